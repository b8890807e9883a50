import { afterAll, beforeAll, expect, test } from '@jest/globals';
import { readFile, writeFile } from 'node:fs/promises';
import { eq } from 'drizzle-orm';
import {
  deliverableHistorySchema,
  madeReviewLinkSchema,
  reviewLinkSchema,
  reviewPageSchema,
  type ReviewPage,
} from '@mivvy/api';
import { operations } from '@mivvy/api/openapi';
import { deliverables, reviewLinks } from '../db/schema.ts';
import { fromStored } from '../storage.ts';
import { madeProduction, type MadeProduction } from '../testing/made.ts';
import { testServer, type TestServer } from '../testing/server.ts';
import { createReviewApp } from './app.ts';
import { tryPassword } from './links.ts';
import { serveHere } from '../http/listen.ts';
import { hashOf } from '../secrets.ts';

/** The review surface: what a link opens, and that nothing else does or is. */
let s: TestServer;
let made: MadeProduction;
let base: string;
let close: () => Promise<void>;
beforeAll(async () => {
  s = await testServer();
  made = await madeProduction(s, ['quick-tall', 'quick-square']);
  await made.make();
  ({ base, close } = await serveHere(createReviewApp(s.ws)));
  s.ws.reviewAddress = base;
}, 375_000);
afterAll(async () => {
  await close();
  await s.stop();
});

/** A link, with its secret. */
async function link(over: object = {}) {
  const told = await s.get(madeReviewLinkSchema, 'POST', `/productions/${made.id}/review-links`, {
    name: 'The harbour’s board',
    versionIds: made.versionIds,
    ...over,
  });
  return { ...told, secret: told.address.split('/r/')[1]! };
}
const ask = async (path: string, body?: unknown, headers: Record<string, string> = {}) => {
  const answer = await fetch(`${base}/api/review/${path}`, {
    method: body === undefined ? 'GET' : 'POST',
    headers: { ...(body === undefined ? {} : { 'Content-Type': 'application/json' }), ...headers },
    ...(body === undefined ? {} : { body: JSON.stringify(body) }),
  });
  const text = await answer.text();
  const isJson = /json/.test(answer.headers.get('content-type') ?? '');
  return {
    status: answer.status,
    headers: answer.headers,
    body: (isJson ? JSON.parse(text) : text) as never,
  };
};
const page = async (secret: string): Promise<ReviewPage> => reviewPageSchema.parse((await ask(secret)).body);
const stages = async () => (await made.versions()).map((v) => v.stage);

test('a link’s secret is nowhere kept, opens the files that passed, and its visits are listed', async () => {
  const { secret, link: view, qr, onlyHere } = await link();
  expect(Buffer.from(secret, 'base64url').length).toBeGreaterThanOrEqual(16);
  const [row] = await s.ws.db.select().from(reviewLinks).where(eq(reviewLinks.id, view.id));
  expect(JSON.stringify(row)).not.toContain(secret);
  expect(row!.tokenHash).toBe(hashOf(secret));
  expect([qr.startsWith('<svg'), onlyHere]).toEqual([true, true]);
  expect(await stages()).toEqual(['in-review', 'in-review']);
  const shown = await page(secret);
  expect(shown.files.map((file) => [file.title, file.frame, file.answer])).toEqual([
    ['Quick, Tall', { width: 90, height: 160 }, null],
    ['Quick, Square', { width: 120, height: 120 }, null],
  ]);
  const film = await fetch(`${base}/api/review/${secret}/files/${shown.files[0]!.id}`, {
    headers: { Range: 'bytes=0-9' },
  });
  expect([film.status, (await film.arrayBuffer()).byteLength]).toEqual([206, 10]);
  expect((await ask(`${secret}/files/${shown.files[0]!.id}?keep=1`)).status).toBe(403);
  const [listed] = reviewLinkSchema
    .array()
    .parse((await s.call('GET', `/productions/${made.id}/review-links`)).body);
  expect(listed!.visits.map((visit) => visit.outcome)).toEqual(['opened']);
});

test('a note is pinned to a frame, told in the ledger, answered, done; approval is of bytes and lapses with them', async () => {
  const { secret } = await link();
  const [tall] = (await page(secret)).files;
  const seen = { deliverableId: tall!.id, sha256: tall!.sha256, by: 'Ines' };
  const noted = await ask(`${secret}/notes`, {
    ...seen,
    frame: 12,
    x: 0.25,
    y: 0.5,
    words: 'The kite is cut',
  });
  expect(noted.status).toBe(200);
  expect((await made.versions())[0]!.openNotes).toBe(1);
  const { notes } = await s.get(deliverableHistorySchema, 'GET', `/versions/${made.versionIds[0]}/history`);
  expect(notes[0]).toMatchObject({
    frame: 12,
    masterFrame: 12,
    x: 0.25,
    words: 'The kite is cut',
    fromClient: true,
  });
  await s.call('POST', `/notes/${notes[0]!.id}/answers`, { words: 'Moved it' });
  await s.call('PATCH', `/notes/${notes[0]!.id}`, { done: true });
  const [again] = (await page(secret)).files;
  expect(again!.notes[0]).toMatchObject({ answers: [{ words: 'Moved it', fromClient: false }] });
  expect((await made.versions())[0]!.openNotes).toBe(0);

  // Two answer at once: both are facts, and the last of them holds.
  await Promise.all([
    ask(`${secret}/answers`, { ...seen, answer: 'changes-asked' }),
    ask(`${secret}/answers`, { ...seen, by: 'Ole', answer: 'approved' }),
  ]);
  expect(['approved', 'changes-asked']).toContain((await stages())[0]);
  await ask(`${secret}/answers`, { ...seen, answer: 'approved' });
  expect((await stages())[0]).toBe('approved');
  await made.reframe(made.versionIds[0]!, 0.41);
  const behind = (await made.versions())[0]!;
  expect(behind.stage).toBe('behind');
  expect(behind.behind.at(-1)).toMatch(/^Ines approved this earlier file on/);
  await made.make([made.versionIds[0]!]);
  // Nobody has approved these bytes; they lie before the client by themselves.
  expect((await stages())[0]).toBe('in-review');
  const [renewed] = (await page(secret)).files;
  expect([renewed!.answer, renewed!.changedSince]).toEqual([null, true]);
  // An answer to the film that was looked at before is not one to this.
  const late = await ask(`${secret}/answers`, { ...seen, answer: 'approved' });
  expect([late.status, (late.body as { code: string }).code]).toEqual([409, 'made-anew']);
  expect((await stages())[0]).toBe('in-review');
}, 150_000);

test('a link that has ended or was revoked opens nothing, not even for who was in', async () => {
  const { secret, link: view } = await link();
  const shown = await page(secret);
  await s.ws.db
    .update(reviewLinks)
    .set({ endsAt: '2020-01-01T00:00:00.000Z' })
    .where(eq(reviewLinks.id, view.id));
  const file = `${secret}/files/${shown.files[0]!.id}`;
  expect([(await ask(secret)).status, (await ask(file)).status]).toEqual([410, 410]);
  const other = await link();
  await s.call('POST', `/review-links/${other.link.id}/revoke`);
  expect((await ask(other.secret)).status).toBe(410);
  expect((await ask(`${other.secret}/notes`, {})).status).toBe(410);
});

test('a password is asked for, tried a few times only, and nothing is told before it', async () => {
  const { secret } = await link({ password: 'red kite 14' });
  const before = await ask(secret);
  expect([before.status, JSON.stringify(before.body)]).toEqual([401, expect.not.stringContaining('Kite"')]);
  expect((await ask(`${secret}/enter`, { password: 'wrong' })).status).toBe(401);
  const entered = await ask(`${secret}/enter`, { password: 'red kite 14' });
  const cookie = entered.headers.get('set-cookie')!;
  expect(cookie).toMatch(/HttpOnly/i);
  expect(cookie).toMatch(/SameSite=Strict/i);
  expect(cookie).toContain(`Path=/api/review/${secret}`);
  const session = { Cookie: cookie.split(';')[0]! };
  expect((await ask(secret, undefined, session)).status).toBe(200);
  // It is of this link alone, and of no workspace.
  const other = await link({ password: 'another one' });
  expect((await ask(other.secret, undefined, session)).status).toBe(401);
  for (let i = 0; i < 5; i++) await ask(`${other.secret}/enter`, { password: `guess ${i}` });
  const locked = await ask(`${other.secret}/enter`, { password: 'another one' });
  expect([locked.status, (locked.body as { code: string }).code]).toEqual([429, 'locked']);
}, 150_000);

test('sixty guesses at once are counted before they are hashed, and lock out nobody who comes from elsewhere', async () => {
  const { secret, link: view } = await link({ password: 'red kite 14' });
  const guesses = await Promise.all(
    Array.from({ length: 60 }, (_, i) => ask(`${secret}/enter`, { password: `guess ${i}` })),
  );
  const told = guesses.map(({ status }) => status);
  expect([told.filter((n) => n === 401).length, told.filter((n) => n === 429).length]).toEqual([5, 55]);
  const [row] = await s.ws.db.select().from(reviewLinks).where(eq(reviewLinks.id, view.id));
  expect(await tryPassword(s.ws.db, row!, 'red kite 14', new Date(), '192.0.2.7')).toBe('right');
  expect(await tryPassword(s.ws.db, row!, 'red kite 14', new Date(), '127.0.0.1')).toBe('locked');
}, 150_000);

test('what is refused uses up no notes, a repeated parameter is refused, and a link shows no other production', async () => {
  const { secret } = await link({ password: 'red kite 14' });
  const refused = await Promise.all(
    Array.from({ length: 205 }, () => ask(`${secret}/notes`, { words: 'no' })),
  );
  expect(new Set(refused.map(({ status }) => status))).toEqual(new Set([401]));
  const entered = await ask(`${secret}/enter`, { password: 'red kite 14' });
  const session = { Cookie: entered.headers.get('set-cookie')!.split(';')[0]! };
  const shown = reviewPageSchema.parse((await ask(secret, undefined, session)).body);
  const [file] = shown.files;
  const note = {
    deliverableId: file!.id,
    sha256: file!.sha256,
    frame: 1,
    x: 0.5,
    y: 0.5,
    words: 'Up',
    by: 'Ada',
  };
  expect((await ask(`${secret}/notes`, note, session)).status).toBe(200);
  const path = `${secret}/files/${file!.id}`;
  expect((await ask(`${path}?keep=1`, undefined, session)).status).toBe(403);
  expect((await ask(`${path}?keep=1&keep=1`, undefined, session)).status).toBe(400);
  const other = await s.call('POST', `/productions/${made.id}/review-links`, {
    name: 'Two',
    versionIds: [...made.versionIds, 'nobodys1'],
  });
  expect(other.status).toBe(400);
}, 150_000);

test('a film that was changed on the disk cannot be approved', async () => {
  const { secret } = await link();
  const { files } = await page(secret);
  const [file] = files;
  const [row] = await s.ws.db.select().from(deliverables).where(eq(deliverables.id, file!.id));
  const path = fromStored(s.ws.storage, row!.path);
  const bytes = await readFile(path);
  await writeFile(path, Buffer.concat([bytes, Buffer.from('more')]));
  const answer = { deliverableId: file!.id, sha256: file!.sha256, answer: 'approved', by: 'Ada' };
  expect((await ask(`${secret}/answers`, answer)).status).toBe(409);
  await writeFile(path, bytes);
  expect((await ask(`${secret}/answers`, answer)).status).toBe(200);
  expect((await ask(`${secret}/answers`, { ...answer, answer: 'withdrawn' })).status).toBe(200);
});

test('no route of the workspace is there for a review session, and the workspace refuses one', async () => {
  const { secret } = await link({ password: 'red kite 14' });
  const entered = await ask(`${secret}/enter`, { password: 'red kite 14' });
  const Cookie = entered.headers.get('set-cookie')!.split(';')[0]!;
  for (const { method, path } of operations) {
    const at = path.replace(/\{\w+\}/g, made.id);
    const there = await fetch(`${base}${at}`, { method: method.toUpperCase(), headers: { Cookie } });
    expect([method, path, there.status]).toEqual([method, path, 404]);
    await there.body?.cancel();
    const inside = await fetch(`${s.base}${at}`, { method: method.toUpperCase(), headers: { Cookie } });
    expect([method, path, inside.status]).toEqual([method, path, 403]);
    await inside.body?.cancel();
  }
  expect((await s.call('GET', `/productions/${made.id}`)).status).toBe(200);
  for (const path of ['/', '/index.html', '/productions', '/assets/../index.html', '/api/uploads', '/r/'])
    expect([path, (await fetch(`${base}${path}`)).status]).toEqual([path, 404]);
});

test('ten thousand guesses are slowed and let nobody in; who has a link is not shut out by them', async () => {
  const { secret } = await link();
  const found = { 404: 0, 429: 0, other: 0 };
  for (let i = 0; i < 10_000; i += 50) {
    const answers = await Promise.all(
      Array.from({ length: 50 }, (_none, j) =>
        fetch(`${base}/api/review/${hashOf(`${i + j}`).slice(0, 32)}`).then(async (answer) => {
          await answer.body?.cancel();
          return answer.status;
        }),
      ),
    );
    for (const status of answers)
      if (status === 404 || status === 429) found[status]++;
      else found.other++;
  }
  expect(found.other).toBe(0);
  expect(found[404]).toBeLessThanOrEqual(20 + 50);
  expect(found[429]).toBeGreaterThan(9900);
  expect((await ask(secret)).status).toBe(200);
}, 300_000);
