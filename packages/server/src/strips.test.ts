import { afterAll, beforeAll, expect, test } from '@jest/globals';
import { readdir } from 'node:fs/promises';
import { preferencesSchema, stripSchema, versionSchema } from '@mivvy/api';
import { madeProduction, type MadeProduction } from './testing/made.ts';
import { testServer, until, type TestServer } from './testing/server.ts';

/** What is tried before a whole film is made, and what is chosen after it. */
let s: TestServer;
let made: MadeProduction;
beforeAll(async () => {
  s = await testServer();
  made = await madeProduction(s, ['quick-tall']);
}, 150_000);
afterAll(() => s.stop());

const version = () => s.get(versionSchema, 'GET', `/versions/${made.versionIds[0]!}`);
const film = async (id: string, name: string) => {
  const answer = await fetch(`${s.base}/api/strips/${id}/${name}`);
  return { status: answer.status, bytes: (await answer.arrayBuffer()).byteLength };
};

test('a strip is made in two ways, can be looked at, and gives way to later ones', async () => {
  const ask = () =>
    s.get(stripSchema, 'POST', `/versions/${made.versionIds[0]!}/strip`, {
      from: 5,
      ways: [
        { effort: 'quick', sharpen: null },
        { effort: 'usual', sharpen: 0.7 },
      ],
    });
  const first = await ask();
  expect(first.ways.map((way) => [way.effort, way.sharpen])).toEqual([
    ['quick', null],
    ['usual', 0.7],
  ]);
  // The film is one second long: a strip is no longer than that.
  expect(first.frames).toBeLessThanOrEqual(25);
  expect(first.ways[0]!.likeness).toBeGreaterThan(first.ways[1]!.likeness);
  for (const name of ['drawn', 'first', 'second']) {
    const { status, bytes } = await film(first.id, name);
    expect([name, status, bytes > 500]).toEqual([name, 200, true]);
  }
  expect((await film(first.id, 'third')).status).toBe(404);
  for (let i = 0; i < 4; i++) await ask();
  expect((await film(first.id, 'drawn')).status).toBe(404);
  expect(await readdir(s.ws.storage.work)).toHaveLength(4);
}, 150_000);

test('what a strip cannot be made of is said', async () => {
  const ask = (id: string, from: number) =>
    s.call('POST', `/versions/${id}/strip`, { from, ways: [{ effort: 'quick', sharpen: null }] });
  expect((await ask(made.versionIds[0]!, 9999)).status).toBe(422);
  expect((await ask('nothinghere', 0)).status).toBe(404);
  const wrong = await s.call('POST', `/versions/${made.versionIds[0]!}/strip`, { from: 0, ways: [] });
  expect(wrong.status).toBe(400);
});

test('sharpening is a choice of the version: its file is behind after it, and is made with it', async () => {
  await made.make();
  const choose = (sharpen: number | null) =>
    s.call('PATCH', `/versions/${made.versionIds[0]!}/sharpen`, { sharpen });
  expect((await choose(7)).status).toBe(400);
  await choose(0.35);
  const behind = await version();
  expect([behind.standing, behind.behind]).toEqual(['behind', ['the sharpening changed']]);
  await made.make();
  expect((await version()).sharpen).toBe(0.35);
  const plan = await s.call('GET', `/versions/${made.versionIds[0]!}/plan`);
  expect((plan.body as { sharpen: number }).sharpen).toBe(0.35);
}, 150_000);

test('the effort is a choice of the workspace: it is measured, kept with each file, and puts none behind', async () => {
  const measured = await s.get(preferencesSchema, 'POST', '/efforts', { versionId: made.versionIds[0]! });
  expect(measured.effortMeasured!.gains.map((gain) => gain.effort)).toEqual(['quick', 'usual', 'thorough']);
  const next = await s.get(preferencesSchema, 'PATCH', '/preferences', { effort: 'thorough' });
  expect([next.effort, next.effortMeasured]).toEqual(['thorough', measured.effortMeasured]);
  expect((await version()).standing).toBe('passed');
  await made.reframe(made.versionIds[0]!, 0.6);
  await s.call('POST', `/productions/${made.id}/exports`, { versionIds: made.versionIds });
  const done = await until(async () => {
    const now = await version();
    return now.standing === 'passed' && now;
  });
  expect(done.deliverable!.effort).toBe('thorough');
}, 225_000);
