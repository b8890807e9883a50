import { afterAll, beforeAll, beforeEach, expect, test } from '@jest/globals';
import { createHash } from 'node:crypto';
import { appendFile, mkdtemp, readdir, readFile, rm, writeFile } from 'node:fs/promises';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import fc from 'fast-check';
import { eq } from 'drizzle-orm';
import * as z from 'zod';
import { dispatchSchema, happeningViewSchema, type Dispatch } from '@mivvy/api';
import { deliverables, jobs } from '../db/schema.ts';
import { openStandIns } from '../stand-ins/outlet.ts';
import { noFaults, type Faults } from '../stand-ins/faults.ts';
import { fromStored } from '../storage.ts';
import { madeProduction, type MadeProduction } from '../testing/made.ts';
import { testServer, until, type TestServer } from '../testing/server.ts';
import { mostTries, waitBefore } from './backoff.ts';
import { askAfterDispatches } from './watch.ts';

/** Files on their way to the stand-in outlets, with each of their faults switched on in turn. */
let s: TestServer;
let made: MadeProduction;
let outlets: Awaited<ReturnType<typeof openStandIns>>;
let dir: string;
const patienceMs = 700;
beforeAll(async () => {
  dir = await mkdtemp(join(tmpdir(), 'mivvy outlets '));
  outlets = await openStandIns(join(dir, 'stand-ins'), (id) => s.ws.specs.find(id)?.placement);
  s = await testServer({ outlets: { base: outlets.base, patienceMs } });
  made = await madeProduction(() => s, ['quick-tall', 'quick-square']);
}, 375_000);
afterAll(async () => {
  await s.stop();
  await outlets.close();
  await rm(dir, { recursive: true, force: true });
});

const faulty = (faults: Partial<Faults>) =>
  fetch(`${outlets.base}/quick/faults`, {
    method: 'PUT',
    headers: { 'Content-Type': 'application/json' },
    body: JSON.stringify({ ...noFaults, ...faults }),
  });
const list = () => s.get(z.array(dispatchSchema), 'GET', `/productions/${made.id}/dispatches`);
let [x, sha256, deliverableId] = [0.5, '', ''];
/** Another file each time, so that no dispatch is the one before. */
beforeEach(async () => {
  await faulty({});
  x -= 0.013;
  await made.reframe(made.versionIds[0]!, x);
  const [version] = await made.make([made.versionIds[0]!]);
  ({ sha256, id: deliverableId } = version!.deliverable!);
}, 150_000);
const send = (more: object = {}) =>
  s.get(z.array(dispatchSchema), 'POST', `/productions/${made.id}/dispatches`, {
    deliverableIds: [deliverableId],
    connector: 'outlet',
    ...more,
  });
const own = async () => (await list()).filter((each) => each.sha256 === sha256);
const became = (...states: Dispatch['state'][]) =>
  until(async () => {
    const [dispatch] = await own();
    return dispatch && states.includes(dispatch.state) && dispatch;
  });
const copies = () => outlets.films().filter((film) => film.sha256 === sha256);
const stage = async () => (await made.versions())[0]!.stage;
/** The workspace asks outlets by itself, too: what both hear is news once. */
const askedTwiceAtOnce = () => Promise.all([askAfterDispatches(s.ws), askAfterDispatches(s.ws)]);
/** What is told of the file, the newest first. */
const told = async () => {
  const all = await s.get(z.array(happeningViewSchema), 'GET', `/productions/${made.id}/happenings`);
  return all.filter((h) => h.deliverableId === deliverableId).map((h) => h.what.kind);
};

test('a file arrives once, however often it is sent; its receipt is kept, and it is live when the outlet says so', async () => {
  await Promise.all([send(), send(), send()]);
  const arrived = await became('arrived', 'live');
  expect(arrived.receipt).toMatchObject({ sha256, receipt: copies()[0]!.receipt });
  expect(['dispatched', 'live']).toContain(await stage());
  await send();
  await until(async () => {
    await askedTwiceAtOnce();
    return (await became('arrived', 'live')).state === 'live';
  });
  expect([await stage(), (await own()).length, copies().length]).toEqual(['live', 1, 1]);
  const shown = await fetch((await own())[0]!.receipt!.address!);
  const bytes = Buffer.from(await shown.arrayBuffer());
  expect(createHash('sha256').update(bytes).digest('hex')).toBe(sha256);
  expect(await told()).toEqual(['live', 'sent', 'made']);
}, 150_000);

// Each fault, and what has to come of it: the end, and how many copies the outlet has.
const faults: [string, Partial<Faults>, Dispatch['state'], number][] = [
  ['loses the connection in the middle of a piece', { dropPieces: 4 }, 'arrived', 1],
  ['answers that there are too many requests', { tooMany: 2 }, 'arrived', 1],
  ['has errors of its own', { failing: 5 }, 'arrived', 1],
  ['takes the film and loses the connection', { loseAnswers: 1 }, 'arrived', 1],
  ['takes it, loses the connection and forgets keys', { loseAnswers: 1, forgetKeys: true }, 'arrived', 1],
  ['answers later than anybody waits', { lateMs: 1500 }, 'arrived', 1],
  ['keeps another copy than was sent', { spoilCopies: 1 }, 'arrived', 1],
  ['answers with another sum than its copy has', { wrongSums: 1 }, 'arrived', 1],
  ['answers twice', { answerTwice: 1 }, 'arrived', 1],
  ['is slow', { bytesPerSecond: 20_000 }, 'arrived', 1],
];
test.each(faults)(
  'an outlet that %s: the file arrives whole, once, with a receipt',
  async (_words, fault, state, count) => {
    await faulty(fault);
    await send();
    const end = await became('arrived', 'failed', 'refused');
    expect([end.state, end.receipt?.sha256]).toEqual([state, sha256]);
    await faulty({});
    expect(copies()).toHaveLength(count);
    // No copy of other bytes was left behind under its key either.
    expect(outlets.films().filter((film) => film.key === copies()[0]!.key)).toHaveLength(1);
  },
  225_000,
);

test('an outlet that refuses says why in its own words, and is asked again only when somebody says so', async () => {
  const rules = s.ws.specs.find('quick-tall')!.placement;
  const ruled = (frame: object) =>
    fetch(`${outlets.base}/quick/rules`, {
      method: 'PUT',
      headers: { 'Content-Type': 'application/json' },
      body: JSON.stringify({ ...rules, frame }),
    });
  await ruled({ width: 180, height: 320 });
  await send();
  const refused = await became('refused', 'arrived');
  expect([refused.problem?.sentence, refused.attempts]).toEqual([
    'This slot takes 180x320; yours is 90x160.',
    1,
  ]);
  expect([await stage(), copies().length]).toEqual(['passed', 0]);
  await ruled(rules.frame);
  await s.call('POST', `/dispatches/${refused.id}/again`);
  expect((await became('arrived')).receipt!.sha256).toBe(sha256);
}, 150_000);

test('an outlet that refuses after it had taken the film: it is down, and told', async () => {
  await send();
  await became('arrived', 'live');
  await faulty({ refuseAfterwards: 'Music is not cleared.' });
  await until(async () => {
    await askedTwiceAtOnce();
    return (await own())[0]!.state === 'taken-down';
  });
  expect([(await own())[0]!.problem!.sentence, await stage()]).toEqual(['Music is not cleared.', 'passed']);
  expect((await told()).filter((kind) => kind === 'taken-down')).toHaveLength(1);
}, 150_000);

test('a file that was changed behind our back is never sent', async () => {
  const [row] = await s.ws.db.select().from(deliverables).where(eq(deliverables.id, deliverableId));
  const path = fromStored(s.ws.storage, row!.path);
  const bytes = await readFile(path);
  const { utimes, stat } = await import('node:fs/promises');
  const { atime, mtime } = await stat(path);
  // The same length and times: only its sum tells.
  bytes[bytes.length - 10]! ^= 1;
  await writeFile(path, bytes);
  await utimes(path, atime, mtime);
  await send();
  const refused = await became('refused', 'arrived');
  expect([refused.state, refused.problem?.code, copies().length]).toEqual(['refused', 'changed-on-disk', 0]);
}, 150_000);

test('a file that is behind is not taken', async () => {
  await made.reframe(made.versionIds[0]!, 0.9);
  const answer = await s.call('POST', `/productions/${made.id}/dispatches`, {
    deliverableIds: [deliverableId],
    connector: 'outlet',
  });
  expect([answer.status, (answer.body as { code: string }).code]).toEqual([409, 'not-to-be-sent']);
});

test('what is cancelled on its way is not there; what is cancelled as it arrives has arrived', async () => {
  const jobOf = async (dispatchId: string) =>
    (await s.ws.db.select().from(jobs).where(eq(jobs.subjectId, dispatchId)))[0]!.id;
  const cancel = async (dispatchId: string) => s.call('POST', `/jobs/${await jobOf(dispatchId)}/cancel`);
  await faulty({ bytesPerSecond: 2000 });
  await send();
  const { id } = await became('sending');
  await cancel(id);
  await became('cancelled');
  expect([copies().length, await stage()]).toEqual([0, 'passed']);
  await faulty({});
  const { outlet } = s.ws.connectors;
  const sent = outlet.send.bind(outlet);
  outlet.send = async (...how) => {
    const outcome = await sent(...how);
    await cancel(id);
    return outcome;
  };
  await s.call('POST', `/dispatches/${id}/again`);
  const arrived = await became('arrived', 'live');
  outlet.send = sent;
  expect([arrived.receipt?.sha256, copies().length]).toEqual([sha256, 1]);
  expect((await told()).filter((kind) => kind === 'sent')).toHaveLength(1);
}, 150_000);

test('a folder gets whole files by their names, and no other file of it is touched', async () => {
  const folder = join(dir, 'watched folder');
  await send({ connector: 'folder', folder });
  const end = await became('arrived', 'failed', 'refused');
  const name = end.fileName;
  expect([end.state, await readdir(folder)]).toEqual(['arrived', [name]]);
  const sum = createHash('sha256')
    .update(await readFile(join(folder, name)))
    .digest('hex');
  expect(sum).toBe(sha256);
  // Another file of its name in another folder is not written over.
  const taken = join(dir, 'taken');
  await rm(taken, { recursive: true, force: true });
  await fetch(outlets.base).catch(() => undefined);
  const { mkdir } = await import('node:fs/promises');
  await mkdir(taken);
  await appendFile(join(taken, name), 'other');
  await send({ connector: 'folder', folder: taken });
  const refused = await until(async () => (await own()).find((each) => each.to === taken && each.problem));
  expect([refused.state, await readFile(join(taken, name), 'utf8')]).toEqual(['refused', 'other']);
  expect(
    (
      await s.call('POST', `/productions/${made.id}/dispatches`, {
        deliverableIds: [deliverableId],
        connector: 'folder',
        folder: 'here',
      })
    ).status,
  ).toBe(400);
}, 150_000);

test('a server that is stopped in the middle goes on where it was, and nothing is sent twice', async () => {
  for (const fault of [{ bytesPerSecond: 2000 }, { lateMs: 60_000 }]) {
    x -= 0.013;
    await made.reframe(made.versionIds[0]!, x);
    ({ sha256, id: deliverableId } = (await made.make([made.versionIds[0]!]))[0]!.deliverable!);
    await faulty(fault);
    await send();
    // Once on its way; once taken by the outlet, whose answer has not come.
    await until(async () =>
      'lateMs' in fault ? copies().length > 0 : (await own())[0]!.state === 'sending',
    );
    await s.stop(true);
    await faulty({});
    s = await testServer({ dataDir: s.dir, outlets: { base: outlets.base, patienceMs } });
    const end = await became('arrived', 'live', 'failed', 'refused');
    expect([end.receipt?.sha256, copies().length]).toEqual([sha256, 1]);
    const told = await s.get(z.array(happeningViewSchema), 'GET', `/productions/${made.id}/happenings`);
    expect(told.filter((h) => h.sha256 === sha256 && h.what.kind === 'sent')).toHaveLength(1);
  }
}, 300_000);

test('waits grow, and differ', () => {
  fc.assert(
    fc.property(
      fc.integer({ min: 1, max: mostTries }),
      fc.double({ min: 0, max: 1, noNaN: true }),
      (n, chance) => {
        const wait = waitBefore(n, chance);
        expect(wait).toBeGreaterThanOrEqual(Math.min(60_000, 1000 * 2 ** (n - 1)) / 2);
        expect(wait).toBeLessThanOrEqual(90_000);
      },
    ),
  );
});
