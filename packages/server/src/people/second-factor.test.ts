import { afterAll, beforeAll, describe, expect, test } from '@jest/globals';
import { eq } from 'drizzle-orm';
import type { TOTP } from 'otpauth';
import { Secret, URI } from 'otpauth';
import {
  meSchema,
  personSchema,
  proposedCodesSchema,
  secondFactorSchema,
  sessionSchema,
  spareCodesSchema,
} from '@mivvy/api';
import { people, spareCodes } from '../db/schema.ts';
import { testServer, type TestServer } from '../testing/server.ts';
import { onThisMachine, type SecondFactorRule } from './access.ts';
import { addPerson, renewLink } from './people.ts';
import { stepOf } from './second-factor.ts';

/** A second factor beside the password: OWASP ASVS 4.0.3, level 2, 2.6, 2.8 and 4.3.1, as `docs/security.md` lists them. */
const password = 'correct horse battery staple';
const access = (secondFactor: SecondFactorRule) => ({
  ...onThisMachine,
  signIn: true,
  secondFactor,
  address: 'http://mivvy.test',
});

/** Somebody in a browser of theirs. */
interface Visitor {
  id: string;
  /** What their browser sends. */
  by: { cookie: string };
}
const cookieIn = (headers: Headers) => headers.get('set-cookie')!.split(';')[0]!;
async function visitor(s: TestServer, name: string, role: 'runs' | 'works' = 'works'): Promise<Visitor> {
  const added = await addPerson(s.ws.db, { name, role });
  if (!added.ok) throw new Error(added.problem.sentence);
  const answer = await s.call('POST', '/join', { secret: added.value.secret, password });
  expect(answer.status).toBe(200);
  return { id: added.value.person.id, by: { cookie: cookieIn(answer.headers) } };
}

/** The codes that an app on a phone makes of what it was told. */
const phone = (address: string) => URI.parse(address) as TOTP;
const signIn = (s: TestServer, name: string, code?: string) =>
  s.call('POST', '/sign-in', { name, password, ...(code === undefined ? {} : { code }) });
const codeOf = (answer: { body: unknown }) => (answer.body as { code?: string }).code;

async function setUp(s: TestServer, { by }: Visitor) {
  const begun = await s.call('POST', '/second-factor', { password }, by);
  const { address, secret } = proposedCodesSchema.parse(begun.body);
  const app = phone(address);
  expect(app.secret.base32).toBe(secret);
  const on = await s.call('POST', '/second-factor/on', { code: app.generate() }, by);
  return { app, spare: spareCodesSchema.parse(on.body).spareCodes };
}
/** The code of the next half minute, which a clock a little ahead shows already. */
const nextCode = (app: TOTP) => app.generate({ timestamp: Date.now() + 30_000 });

describe('the codes', () => {
  /** RFC 6238, appendix B, the values for SHA-1, of which six digits are the last six. */
  const seed = Secret.fromLatin1('12345678901234567890').base32;
  test.each([
    [59, '287082'],
    [1111111109, '081804'],
    [1111111111, '050471'],
    [1234567890, '005924'],
    [2000000000, '279037'],
    [20000000000, '353130'],
  ])('at %d s is %s (RFC 6238, appendix B), and of one half minute before and after', (seconds, code) => {
    const step = Math.floor(seconds / 30);
    for (const off of [-30, 0, 30]) expect(stepOf(seed, code, (seconds + off) * 1000)).toBe(step);
    for (const off of [-60, 60]) expect(stepOf(seed, code, (seconds + off) * 1000)).toBeNull();
    for (const other of ['', '28708', `${code}0`, 'letters'])
      expect(stepOf(seed, other, seconds * 1000)).toBeNull();
  });
});

describe('beside the password', () => {
  let s: TestServer;
  beforeAll(async () => {
    s = await testServer({ access: access('own-choice') });
  }, 150_000);
  afterAll(() => s.stop());

  test('is asked for from when a code of it was told; others of the person’s browsers are out', async () => {
    const ada = await visitor(s, 'Ada', 'runs');
    const elsewhere = cookieIn((await signIn(s, 'Ada')).headers);
    const wrong = await s.call('POST', '/second-factor', { password: 'not mine at all' }, ada.by);
    expect([wrong.status, codeOf(wrong)]).toEqual([403, 'wrong']);
    await s.call('POST', '/second-factor', { password }, ada.by);
    // Begun, it is asked of nobody; a wrong code does not turn it on.
    expect((await signIn(s, 'Ada')).status).toBe(200);
    expect(codeOf(await s.call('POST', '/second-factor/on', { code: '000000' }, ada.by))).toBe('wrong-code');
    const { app, spare } = await setUp(s, ada);
    expect([spare.length, new Set(spare).size]).toEqual([10, 10]);
    expect((await s.call('GET', '/productions', undefined, { cookie: elsewhere })).status).toBe(401);
    expect((await s.call('GET', '/productions', undefined, ada.by)).status).toBe(200);
    expect([codeOf(await signIn(s, 'Ada')), codeOf(await signIn(s, 'Ada', '123456'))]).toEqual([
      'code-wanted',
      'wrong-code',
    ]);
    // Of a wrong password no code is asked: who guesses is not told that there is one.
    const guess = await s.call('POST', '/sign-in', { name: 'Ada', password: 'a guess of mine' });
    expect(codeOf(guess)).toBe('wrong');
    expect((await signIn(s, 'Ada', nextCode(app))).status).toBe(200);
    const listed = personSchema
      .array()
      .parse((await s.call('GET', '/people', undefined, ada.by)).body)
      .find(({ id }) => id === ada.id)!;
    expect(Date.parse(listed.codesSince!)).toBeGreaterThan(Date.now() - 60_000);
    expect(codeOf(await s.call('POST', '/second-factor', { password }, ada.by))).toBe('has-one');
  });

  test('each code opens once, the one that turned it on too; spaces in it count for nothing', async () => {
    const bo = await visitor(s, 'Bo');
    const begun = await s.call('POST', '/second-factor', { password }, bo.by);
    const app = phone(proposedCodesSchema.parse(begun.body).address);
    const first = app.generate();
    await s.call('POST', '/second-factor/on', { code: first }, bo.by);
    expect(codeOf(await signIn(s, 'Bo', first))).toBe('wrong-code');
    const next = nextCode(app);
    // Of two at the same time one comes in.
    const spaced = `${next.slice(0, 3)} ${next.slice(3)}`;
    const both = await Promise.all([signIn(s, 'Bo', spaced), signIn(s, 'Bo', next)]);
    expect(both.map((answer) => answer.status).sort()).toEqual([200, 403]);
    expect(codeOf(await signIn(s, 'Bo', next))).toBe('wrong-code');
  });

  test('a spare code opens once, however it is typed; what is kept of it tells it to nobody', async () => {
    const cleo = await visitor(s, 'Cleo');
    const { spare } = await setUp(s, cleo);
    const kept = JSON.stringify(await s.ws.db.select().from(spareCodes));
    for (const code of spare) expect(kept).not.toContain(code.replaceAll('-', ''));
    expect((await signIn(s, 'Cleo', spare[3]!.toLowerCase().replaceAll('-', ' '))).status).toBe(200);
    expect(codeOf(await signIn(s, 'Cleo', spare[3]))).toBe('wrong-code');
    const left = secondFactorSchema.parse((await s.call('GET', '/second-factor', undefined, cleo.by)).body);
    expect(left.spareCodes).toBe(9);
    // Nor does it open to another.
    const dag = await visitor(s, 'Dag');
    await setUp(s, dag);
    expect(codeOf(await signIn(s, 'Dag', spare[4]))).toBe('wrong-code');
  });

  test('five wrong codes lock the name, though the password is right each time', async () => {
    const eve = await visitor(s, 'Eve');
    const { app } = await setUp(s, eve);
    for (let i = 0; i < 5; i++) {
      expect(codeOf(await signIn(s, 'Eve'))).toBe('code-wanted');
      expect(codeOf(await signIn(s, 'Eve', `00000${i}`))).toBe('wrong-code');
    }
    expect(codeOf(await signIn(s, 'Eve', nextCode(app)))).toBe('locked');
    await s.ws.db.update(people).set({ lockedUntil: null }).where(eq(people.id, eve.id));
    expect((await signIn(s, 'Eve', nextCode(app))).status).toBe(200);
  });

  test('is turned off by who knows the password, and by a new link, for who lost the phone', async () => {
    const fay = await visitor(s, 'Fay');
    await setUp(s, fay);
    expect(codeOf(await s.call('POST', '/second-factor/off', { password: 'not mine at all' }, fay.by))).toBe(
      'wrong',
    );
    expect((await s.call('POST', '/second-factor/off', { password }, fay.by)).status).toBe(204);
    expect((await signIn(s, 'Fay')).status).toBe(200);
    const { spare } = await setUp(s, fay);
    const secret = await renewLink(s.ws.db, fay.id);
    expect(codeOf(await signIn(s, 'Fay'))).toBe('code-wanted');
    expect((await s.call('POST', '/join', { secret, password })).status).toBe(200);
    expect([(await signIn(s, 'Fay')).status, (await signIn(s, 'Fay', spare[0])).status]).toEqual([200, 200]);
    expect(await s.ws.db.select().from(spareCodes).where(eq(spareCodes.personId, fay.id))).toEqual([]);
  });

  test('a password can still be changed, and a script sets up nothing', async () => {
    const gus = await visitor(s, 'Gus');
    await setUp(s, gus);
    const changed = await s.call(
      'POST',
      '/password',
      { old: password, password: `${password} anew` },
      gus.by,
    );
    expect(changed.status).toBe(204);
    const made = await s.call('POST', '/tokens', { name: 'x', role: 'looks', days: 1 }, gus.by);
    const by = { authorization: `Bearer ${(made.body as { secret: string }).secret}` };
    for (const path of ['/second-factor', '/second-factor/on', '/second-factor/off'])
      expect([path, codeOf(await s.call('POST', path, { password, code: '000000' }, by))]).toEqual([
        path,
        'not-yours',
      ]);
  });
});

test('where it is asked of who runs everything, they can do nothing before they have one, and others can', async () => {
  const s = await testServer({ access: access('runs') });
  const [ada, bo] = [await visitor(s, 'Ada', 'runs'), await visitor(s, 'Bo')];
  const me = async (of: Visitor) => meSchema.parse((await s.call('GET', '/me', undefined, of.by)).body);
  expect([(await me(ada)).mustSetUpCodes, (await me(bo)).mustSetUpCodes]).toEqual([true, false]);
  for (const path of ['/productions', '/people', '/sessions', '/tokens', '/events'])
    expect([path, codeOf(await s.call('GET', path, undefined, ada.by))]).toEqual([
      path,
      'second-factor-wanted',
    ]);
  expect(codeOf(await s.call('POST', '/tokens', { name: 'x', role: 'runs', days: 1 }, ada.by))).toBe(
    'second-factor-wanted',
  );
  expect((await s.call('GET', '/productions', undefined, bo.by)).status).toBe(200);
  await setUp(s, ada);
  expect((await me(ada)).mustSetUpCodes).toBe(false);
  expect((await s.call('GET', '/people', undefined, ada.by)).status).toBe(200);
  expect(sessionSchema.array().parse((await s.call('GET', '/sessions', undefined, ada.by)).body).length).toBe(
    2,
  );
  await s.stop();
}, 150_000);

test('a password that is guessed easily is refused, with why', async () => {
  const s = await testServer({ access: access('own-choice') });
  const added = await addPerson(s.ws.db, { name: 'Marigold Okonkwo', role: 'works' });
  if (!added.ok) throw new Error('not added');
  const { secret } = added.value;
  for (const [easy, why] of [
    ['Password1234!', /stolen/],
    ['passwordpassword', /over and over/],
    ['aaaaaaaaaaaa', /over and over/],
    ['qwertyuiopas', /stolen|keyboard|keys/],
    ['marigold okonkwo', /too easily/],
    ['mivvymivvymivvy', /too easily/],
  ] as const) {
    const answer = await s.call('POST', '/join', { secret, password: easy });
    expect([easy, answer.status, codeOf(answer)]).toEqual([easy, 400, 'easily-guessed']);
    expect((answer.body as { sentence: string }).sentence).toMatch(why);
  }
  // The link was not used up by it.
  const joined = await s.call('POST', '/join', { secret, password });
  expect(joined.status).toBe(200);
  const cookie = cookieIn(joined.headers);
  const change = (to: string) => s.call('POST', '/password', { old: password, password: to }, { cookie });
  expect(codeOf(await change('iloveyou1234'))).toBe('easily-guessed');
  // So is nearly the longest that may be, and it is taken.
  expect((await change('abcABC123!zyx'.repeat(9))).status).toBe(204);
  await s.stop();
}, 150_000);
