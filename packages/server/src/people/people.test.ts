import { afterAll, beforeAll, describe, expect, test } from '@jest/globals';
import { mkdtemp, rm } from 'node:fs/promises';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { subMinutes } from 'date-fns';
import { desc, eq, inArray } from 'drizzle-orm';
import * as z from 'zod';
import {
  madeTokenSchema,
  meSchema,
  personLinkSchema,
  personSchema,
  sessionSchema,
  tokenSchema,
  type Role,
} from '@mivvy/api';
import { openApiDocument } from '@mivvy/api/openapi';
import { happenings, people, sessions, tokens } from '../db/schema.ts';
import { madeProduction } from '../testing/made.ts';
import { testServer, until, type TestServer } from '../testing/server.ts';
import { endIdleSessions } from './idle.ts';
import { addPerson, renewLink } from './people.ts';
import { neededFor } from './rights.ts';
import { onThisMachine } from './access.ts';

/**
 * Who may come in, and what they may do. What is asked for is OWASP ASVS 4.0.3, level 2, chapters 2 to 4, as
 * `docs/security.md` lists it.
 */
const password = 'correct horse battery staple';
const access = { ...onThisMachine, signIn: true, address: 'http://mivvy.test' };

let s: TestServer;
const cookies = new Map<string, string>();
beforeAll(async () => {
  s = await testServer({ access });
  for (const [name, role] of [
    ['Ada', 'runs'],
    ['Bo', 'works'],
    ['Cleo', 'looks'],
  ] as const) {
    const added = await addPerson(s.ws.db, { name, role });
    if (!added.ok) throw new Error(added.problem.sentence);
    cookies.set(name, await joined(added.value.secret));
  }
}, 150_000);
afterAll(() => s.stop());

const cookieIn = (headers: Headers) => headers.get('set-cookie')!.split(';')[0]!;
async function joined(secret: string): Promise<string> {
  const answer = await s.call('POST', '/join', { secret, password });
  expect(answer.status).toBe(200);
  return cookieIn(answer.headers);
}
const as = (name: string) => ({ cookie: cookies.get(name)! });
const signIn = (name: string, tried = password) => s.call('POST', '/sign-in', { name, password: tried });
const code = (answer: { body: unknown }) => (answer.body as { code: string }).code;

describe('every route', () => {
  const operations = Object.entries(
    (openApiDocument('test') as { paths: unknown }).paths as Record<string, Record<string, unknown>>,
  ).flatMap(([path, methods]) => Object.keys(methods).map((method) => [method.toUpperCase(), path] as const));
  const ask = (method: string, path: string, headers: Record<string, string>) =>
    fetch(`${s.base}${path.replaceAll(/\{[^}]+\}/g, 'nothing')}`, {
      method,
      headers: {
        ...headers,
        ...(method === 'GET' || method === 'HEAD' ? {} : { 'Content-Type': 'application/json' }),
      },
      ...(['GET', 'HEAD', 'DELETE'].includes(method) ? {} : { body: '{}' }),
      signal: AbortSignal.timeout(60_000),
    });
  const open = ['GET /api/health', 'GET /api/me', 'POST /api/sign-in', 'POST /api/join'];
  const own = /^\/api\/(sign-out|password|second-factor|here|sessions|tokens)(\/|$)/;

  test('is described, and there are many', () => expect(operations.length).toBeGreaterThan(100));

  test('answers nobody who has not signed in, but for those that let in', async () => {
    for (const [method, path] of operations) {
      const answer = await ask(method, path, {});
      await answer.body?.cancel();
      const shut = answer.status === 401;
      expect([`${method} ${path}`, shut]).toEqual([`${method} ${path}`, !open.includes(`${method} ${path}`)]);
    }
  }, 150_000);

  test.each([
    ['Cleo', 'looks'],
    ['Bo', 'works'],
    ['Ada', 'runs'],
  ] as const)(
    '%s, who %s, is refused what is beyond that and nothing else',
    async (name, role) => {
      for (const [method, path] of operations) {
        if (path === '/api/sign-out' || open.includes(`${method} ${path}`)) continue;
        // What changes something is for who works; who comes in, what makes files and what goes for good, for who runs.
        const forWhoRuns =
          path.startsWith('/api/people') ||
          path === '/api/room/clear' ||
          (path === '/api/machines/{id}' && method !== 'GET');
        const beyond =
          (forWhoRuns && role !== 'runs') || (method !== 'GET' && role === 'looks' && !own.test(path));
        const answer = await ask(method, path, as(name));
        const body = answer.headers.get('content-type')?.includes('json') ? await answer.json() : {};
        if (!answer.bodyUsed) await answer.body?.cancel();
        const refused = answer.status === 403 && (body as { code?: string }).code === 'not-yours';
        expect([`${method} ${path}`, refused]).toEqual([`${method} ${path}`, beyond]);
        expect(answer.status).not.toBe(401);
      }
    },
    150_000,
  );

  test('is the same by a slash more or by capitals', async () => {
    for (const path of ['/people/', '/PEOPLE', '/People/x/'])
      expect([path, neededFor('GET', path)]).toEqual([path, 'runs']);
    expect((await ask('GET', '/api/People/', as('Bo'))).status).toBe(403);
    expect((await ask('HEAD', '/api/productions', {})).status).toBe(401);
  });

  test('uploads and the event stream are behind it too', async () => {
    for (const path of ['/api/uploads', '/api/events']) {
      const answer = await fetch(`${s.base}${path}`, { method: path.endsWith('s') ? 'GET' : 'POST' });
      expect([path, answer.status]).toEqual([path, 401]);
    }
  });
});

describe('coming in', () => {
  test('a link opens once, before it ends, and not again after another was made', async () => {
    const { person, link } = personLinkSchema.parse(
      (await s.call('POST', '/people', { name: 'Dag', role: 'works' }, as('Ada'))).body,
    );
    expect(link).toMatch(/^http:\/\/mivvy\.test\/join#[\w-]{40,}$/);
    const first = link.split('#')[1]!;
    const again = await s.call('POST', `/people/${person.id}/link`, {}, as('Ada'));
    const second = personLinkSchema.parse(again.body).link.split('#')[1]!;
    expect((await s.call('POST', '/join', { secret: first, password })).status).toBe(403);
    for (const short of ['short', 'elevenlettr'])
      expect((await s.call('POST', '/join', { secret: second, password: short })).status).toBe(400);
    expect((await s.call('POST', '/join', { secret: second, password })).status).toBe(200);
    expect((await s.call('POST', '/join', { secret: second, password })).status).toBe(403);
    const late = await addPerson(s.ws.db, { name: 'Late', role: 'looks' });
    if (!late.ok) throw new Error('not added');
    await s.ws.db
      .update(people)
      .set({ linkEndsAt: '2020-01-01T00:00:00.000Z' })
      .where(eq(people.id, late.value.person.id));
    expect((await s.call('POST', '/join', { secret: late.value.secret, password })).status).toBe(403);
    await s.call('DELETE', `/people/${person.id}`, undefined, as('Ada'));
  });

  test('nothing of a secret or a password is kept as it is; a cookie is read by no script and sent from no other site', async () => {
    const answer = await signIn('Bo');
    const set = answer.headers.get('set-cookie')!;
    expect(set).toMatch(/HttpOnly/);
    expect(set).toMatch(/SameSite=Strict/);
    expect(answer.headers.get('cache-control')).toBe('no-store');
    const secret = cookieIn(answer.headers).split('=')[1]!;
    const kept = JSON.stringify([
      await s.ws.db.select().from(people),
      await s.ws.db.select().from(sessions),
      await s.ws.db.select().from(tokens),
    ]);
    expect([kept.includes(secret), kept.includes(password)]).toEqual([false, false]);
    expect(kept).toMatch(/\$argon2id\$v=19\$m=19456,t=2,p=1\$/);
  });

  test('over TLS the cookie belongs to this host and to TLS', async () => {
    const other = await testServer({ access: { ...access, secure: true } });
    const added = await addPerson(other.ws.db, { name: 'Ada', role: 'runs' });
    if (!added.ok) throw new Error('not added');
    const answer = await other.call('POST', '/join', { secret: added.value.secret, password });
    expect(answer.headers.get('set-cookie')).toMatch(/^__Host-mivvy-person=.*Path=\/.*Secure/);
    expect(answer.headers.get('strict-transport-security')).toMatch(/max-age=\d{7,}/);
    await other.stop();
  });

  test('a wrong name and a wrong password are told alike; five wrong ones lock the name, the right one too', async () => {
    const [noName, noPassword] = [await signIn('Nobody'), await signIn('Cleo', 'not the right one')];
    expect([noName.status, noName.body]).toEqual([noPassword.status, noPassword.body]);
    for (let i = 0; i < 4; i++) await signIn('Cleo', 'not the right one');
    expect([(await signIn('Cleo')).status, code(await signIn('cleo'))]).toEqual([429, 'locked']);
    // Who is in stays in.
    expect((await s.call('GET', '/productions', undefined, as('Cleo'))).status).toBe(200);
    await s.ws.db.update(people).set({ lockedUntil: null });
  });

  test('guesses from one address are slowed, whatever the names', async () => {
    const other = await testServer({ access });
    let slowed = 0;
    for (let i = 0; i < 40; i++) {
      const answer = await other.call('POST', '/sign-in', { name: `name ${i}`, password });
      if (answer.status === 429) slowed++;
    }
    expect(slowed).toBe(10);
    await other.stop();
  }, 75_000);

  test('a page of another site can do nothing in a person’s name', async () => {
    const foreign: Record<string, string>[] = [
      { origin: 'https://elsewhere.test' },
      { 'sec-fetch-site': 'cross-site' },
    ];
    for (const headers of foreign) {
      const answer = await s.call('POST', '/productions', { name: 'Stolen' }, { ...as('Ada'), ...headers });
      expect([headers, answer.status]).toEqual([headers, 403]);
    }
  });
});

describe('going', () => {
  test('sessions are listed to whose they are, ended, and open nothing after that', async () => {
    cookies.set('Bo', cookieIn((await signIn('Bo')).headers));
    const stolen = as('Bo');
    const list = async (who: string) =>
      z.array(sessionSchema).parse((await s.call('GET', '/sessions', undefined, as(who))).body);
    const own = await list('Bo');
    expect(new Set(own.map((session) => session.person))).toEqual(new Set(['Bo']));
    expect(new Set((await list('Ada')).map((session) => session.person)).size).toBeGreaterThan(1);
    const { id } = own.find((session) => session.own)!;
    expect((await s.call('DELETE', `/sessions/${id}`, undefined, as('Cleo'))).status).toBe(404);
    expect((await s.call('DELETE', `/sessions/${id}`, undefined, as('Ada'))).status).toBe(204);
    expect((await s.call('GET', '/productions', undefined, stolen)).status).toBe(401);
    cookies.set('Bo', cookieIn((await signIn('Bo')).headers));
    const out = await s.call('POST', '/sign-out', {}, as('Bo'));
    expect([out.status, out.headers.get('set-cookie')]).toEqual([204, expect.stringMatching(/Max-Age=0/)]);
    expect((await s.call('GET', '/productions', undefined, as('Bo'))).status).toBe(401);
    cookies.set('Bo', cookieIn((await signIn('Bo')).headers));
  });

  test('a session ends by itself', async () => {
    const cookie = cookieIn((await signIn('Bo')).headers);
    const rows = await s.ws.db.select().from(sessions).orderBy(sessions.createdAt);
    const newest = rows.at(-1)!;
    const hours = (Date.parse(newest.endsAt) - Date.parse(newest.createdAt)) / 3600_000;
    expect(hours).toBeCloseTo(12, 2);
    await s.ws.db
      .update(sessions)
      .set({ endsAt: '2020-01-01T00:00:00.000Z' })
      .where(eq(sessions.id, newest.id));
    expect((await s.call('GET', '/productions', undefined, { cookie })).status).toBe(401);
  });

  test('a browser that nobody uses is signed out, stream and all; what a page asks by itself is no use of it', async () => {
    const [used, unused] = [cookieIn((await signIn('Bo')).headers), cookieIn((await signIn('Bo')).headers)];
    const ask = (cookie: string, own: Record<string, string> = {}) =>
      s.call('GET', '/productions', undefined, { cookie, ...own });
    const newest = await s.ws.db.select().from(sessions).orderBy(desc(sessions.createdAt)).limit(2);
    const before = (minutes: number) => subMinutes(new Date(), minutes).toISOString();
    const setBack = (minutes: number) =>
      s.ws.db
        .update(sessions)
        .set({ lastSeenAt: before(minutes) })
        .where(
          inArray(
            sessions.id,
            newest.map(({ id }) => id),
          ),
        );
    // The server itself signs nobody out so soon: here it is done when it is asked for.
    const sweep = () => endIdleSessions({ ...s.ws, access: { ...access, idleMinutes: 30 } });
    await setBack(29);
    await sweep();
    await setBack(31);
    const stream = await fetch(`${s.base}/api/events`, { headers: { cookie: unused } });
    const reader = stream.body!.getReader();
    const closed = (async () => {
      for (;;) if ((await reader.read()).done) return true;
    })().catch(() => true);
    expect((await ask(unused, { 'X-Unattended': '1' })).status).toBe(200);
    expect((await ask(used)).status).toBe(200);
    await sweep();
    expect(await closed).toBe(true);
    expect((await ask(unused)).status).toBe(401);
    expect((await ask(used)).status).toBe(200);
    // Where nothing is said of it, nobody is signed out before their time.
    await setBack(600);
    await endIdleSessions(s.ws);
    expect((await ask(used)).status).toBe(200);
  });

  test('a password is changed by who knows it, and other browsers are out', async () => {
    const other = cookieIn((await signIn('Bo')).headers);
    const change = (old: string) =>
      s.call('POST', '/password', { old, password: `${password} anew` }, as('Bo'));
    expect((await change('not the right one')).status).toBe(403);
    expect((await change(password)).status).toBe(204);
    expect((await s.call('GET', '/productions', undefined, { cookie: other })).status).toBe(401);
    expect((await s.call('GET', '/productions', undefined, as('Bo'))).status).toBe(200);
    expect((await signIn('Bo', `${password} anew`)).status).toBe(200);
  });

  test('somebody who is removed while working is cut off, event stream and all; the last who runs everything stays', async () => {
    const added = await addPerson(s.ws.db, { name: 'Eve', role: 'works' });
    if (!added.ok) throw new Error('not added');
    const cookie = await joined(added.value.secret);
    const events = await fetch(`${s.base}/api/events`, { headers: { cookie } });
    expect(events.status).toBe(200);
    const reader = events.body!.getReader();
    const cut = (async () => {
      for (;;) if ((await reader.read()).done) return 'closed';
    })().catch(() => 'cut off');
    const { id } = added.value.person;
    expect((await s.call('DELETE', `/people/${id}`, undefined, as('Ada'))).status).toBe(204);
    expect(await cut).toBe('cut off');
    expect((await s.call('GET', '/productions', undefined, { cookie })).status).toBe(401);
    const all = z.array(personSchema).parse((await s.call('GET', '/people', undefined, as('Ada'))).body);
    const ada = all.find((person) => person.name === 'Ada')!;
    expect(code(await s.call('DELETE', `/people/${ada.id}`, undefined, as('Ada')))).toBe('last-runner');
    expect(code(await s.call('PATCH', `/people/${ada.id}`, { role: 'looks' }, as('Ada')))).toBe(
      'last-runner',
    );
    expect(code(await s.call('POST', '/people', { name: ' ADA', role: 'looks' }, as('Ada')))).toBe(
      'name-taken',
    );
  });
});

test('who asks through a proxy is believed from that proxy alone', async () => {
  const asked = async (trustedProxies: string[]) => {
    const other = await testServer({ access: { ...access, trustedProxies } });
    const added = await addPerson(other.ws.db, { name: 'Ada', role: 'runs' });
    if (!added.ok) throw new Error('not added');
    const through = { 'x-forwarded-for': '198.51.100.9' };
    await other.call('POST', '/join', { secret: added.value.secret, password }, through);
    const [session] = await other.ws.db.select().from(sessions);
    await other.stop();
    return session!.address;
  };
  expect(await asked(['127.0.0.1'])).toBe('198.51.100.9');
  expect(await asked([])).toMatch(/127\.0\.0\.1$/);
});

test('a new link cuts off whoever is in by the old password, when it is used', async () => {
  const added = await addPerson(s.ws.db, { name: 'Fay', role: 'works' });
  if (!added.ok) throw new Error('not added');
  const cookie = await joined(added.value.secret);
  const events = await fetch(`${s.base}/api/events`, { headers: { cookie } });
  const reader = events.body!.getReader();
  const cut = (async () => {
    for (;;) if ((await reader.read()).done) return 'closed';
  })().catch(() => 'cut off');
  await joined(await renewLink(s.ws.db, added.value.person.id));
  expect(await cut).toBe('cut off');
  expect((await s.call('GET', '/productions', undefined, { cookie })).status).toBe(401);
});

describe('tokens', () => {
  test('a render machine’s opens what such a machine needs and nothing else', async () => {
    const made = await s.call(
      'POST',
      '/tokens',
      { name: 'Cupboard', role: 'runs', days: 30, holder: 'machine' },
      as('Bo'),
    );
    const { token, secret } = madeTokenSchema.parse(made.body);
    expect([token.holder, token.role]).toEqual(['machine', 'works']);
    const operations = Object.entries(
      (openApiDocument('test') as { paths: unknown }).paths as Record<string, Record<string, unknown>>,
    ).flatMap(([path, methods]) => Object.keys(methods).map((method) => [method, path] as const));
    const needs = /^\/api\/machines\/(join|\{id\}\/(beat|take|jobs\/.+))$/;
    const open = ['/api/health', '/api/me', '/api/sign-in', '/api/join'];
    for (const [method, path] of operations) {
      if (open.includes(path)) continue;
      const answer = await s.call(
        method.toUpperCase(),
        path.replace('/api', '').replaceAll(/\{[^}]+\}/g, 'nothing'),
        method === 'get' || method === 'delete' ? undefined : {},
        by(secret),
      );
      expect([`${method} ${path}`, answer.status === 403]).toEqual([`${method} ${path}`, !needs.test(path)]);
    }
    expect((await fetch(`${s.base}/api/uploads`, { method: 'POST', headers: by(secret) })).status).toBe(403);
    expect((await fetch(`${s.base}/api/events`, { headers: by(secret) })).status).toBe(403);
    await s.call('DELETE', `/tokens/${token.id}`, undefined, as('Bo'));
    expect((await s.call('POST', '/machines/join', {}, by(secret))).status).toBe(401);
  });

  const make = async (who: string, role: Role) =>
    madeTokenSchema.parse(
      (await s.call('POST', '/tokens', { name: 'nightly', role, days: 30 }, as(who))).body,
    );
  const by = (secret: string) => ({ authorization: `Bearer ${secret}` });

  test('ask in a person’s name, for no more than they may, until they are revoked', async () => {
    const { token, secret } = await make('Bo', 'runs');
    expect([token.role, token.person]).toEqual(['works', 'Bo']);
    expect((await s.call('GET', '/people', undefined, by(secret))).status).toBe(403);
    expect(meSchema.parse((await s.call('GET', '/me', undefined, by(secret))).body).person?.name).toBe('Bo');
    for (const path of ['/tokens', '/password'])
      expect(
        (await s.call('POST', path, { name: 'x', role: 'looks', days: 1, old: 'x', password }, by(secret)))
          .status,
      ).not.toBe(200);
    const looks = await make('Bo', 'looks');
    expect((await s.call('POST', '/productions', { name: 'No' }, by(looks.secret))).status).toBe(403);
    const listed = z.array(tokenSchema).parse((await s.call('GET', '/tokens', undefined, as('Bo'))).body);
    expect(JSON.stringify(listed)).not.toContain(secret.slice(-20));
    expect((await s.call('DELETE', `/tokens/${token.id}`, undefined, as('Cleo'))).status).toBe(404);
    expect((await s.call('DELETE', `/tokens/${token.id}`, undefined, as('Bo'))).status).toBe(204);
    expect((await s.call('GET', '/productions', undefined, by(secret))).status).toBe(401);
  });

  test('one that is revoked in the middle of an upload ends it; what had come can be gone on with by another', async () => {
    const { token, secret } = await make('Bo', 'works');
    const production = (await s.call('POST', '/productions', { name: 'Cut off' }, as('Bo'))).body as {
      id: string;
    };
    const meta = `filename ${Buffer.from('a.mp4').toString('base64')},productionId ${Buffer.from(production.id).toString('base64')}`;
    const tus = { 'Tus-Resumable': '1.0.0' };
    const created = await fetch(`${s.base}/api/uploads`, {
      method: 'POST',
      headers: { ...tus, ...by(secret), 'Upload-Length': '1000000', 'Upload-Metadata': meta },
    });
    expect(created.status).toBe(201);
    const at = created.headers.get('location')!.split('/').at(-1)!;
    const slow = new ReadableStream<Uint8Array>({
      async start(controller) {
        controller.enqueue(new Uint8Array(200_000));
        // The rest never comes: it is cut off before.
        await new Promise((resolve) => setTimeout(resolve, 60_000).unref());
      },
    });
    const sending = fetch(`${s.base}/api/uploads/${at}`, {
      method: 'PATCH',
      headers: {
        ...tus,
        ...by(secret),
        'Upload-Offset': '0',
        'Content-Type': 'application/offset+octet-stream',
      },
      body: slow,
      duplex: 'half',
    } as RequestInit).then(
      (answer) => answer.status,
      () => 'cut off',
    );
    await new Promise((resolve) => setTimeout(resolve, 2000));
    await s.call('DELETE', `/tokens/${token.id}`, undefined, as('Bo'));
    expect(await sending).toBe('cut off');
    const offset = await until(async () => {
      const head = await fetch(`${s.base}/api/uploads/${at}`, {
        method: 'HEAD',
        headers: { ...tus, ...as('Bo') },
      });
      return head.headers.get('upload-offset');
    });
    expect(Number(offset)).toBeGreaterThan(0);
    expect(
      (await fetch(`${s.base}/api/uploads/${at}`, { method: 'HEAD', headers: { ...tus, ...by(secret) } }))
        .status,
    ).toBe(401);
  }, 75_000);
});

test('what is done is signed by who is signed in, whatever their browser says', async () => {
  const asBo: TestServer = {
    ...s,
    call: (method, path, body, headers = {}) => s.call(method, path, body, { ...headers, ...as('Bo') }),
    get: async (schema, method, path, body) => {
      const answer = await s.call(method, path, body, { ...as('Bo'), 'x-who': 'Somebody else' });
      return schema.parse(answer.body);
    },
  };
  const made = await madeProduction(asBo, ['quick-square']);
  await s.call(
    'PATCH',
    `/productions/${made.id}/tracking`,
    { versionIds: made.versionIds, holder: 'Tove' },
    { ...as('Bo'), 'x-who': 'Somebody else' },
  );
  const rows = await s.ws.db.select().from(happenings).where(eq(happenings.productionId, made.id));
  expect(rows.map((row) => row.by)).toContain('Bo');
  expect(rows.map((row) => row.by)).not.toContain('Somebody else');
}, 150_000);

test('on this machine alone nobody signs in, and that is said', async () => {
  const dir = await mkdtemp(join(tmpdir(), 'mivvy alone '));
  const alone = await testServer({ dataDir: dir });
  expect((await alone.call('GET', '/productions')).status).toBe(200);
  expect(meSchema.parse((await alone.call('GET', '/me')).body)).toEqual({
    signIn: false,
    person: null,
    mustSetUpCodes: false,
  });
  expect(code(await alone.call('POST', '/sign-in', { name: 'Ada', password }))).toBe('no-sign-in');
  await alone.stop();
  await rm(dir, { recursive: true, force: true });
});
