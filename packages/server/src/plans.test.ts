import { join } from 'node:path';
import { afterAll, beforeAll, describe, expect, test } from '@jest/globals';
import { sql } from 'drizzle-orm';
import * as z from 'zod';
import {
  inboxFileSchema,
  masterSchema,
  productionSchema,
  versionSchema,
  type ServerEvent,
  type Version,
} from '@mivvy/api';
import { heldFraming } from '@mivvy/core';
import { deliverables, jobs, productions, versions } from './db/schema.ts';
import { quickBook, smallFilm, testServer, until, type TestServer } from './testing/server.ts';
import { versionsOf } from './views/versions.ts';

let s: TestServer;
let productionId: string;
let version: Version;
const heard: ServerEvent[] = [];

beforeAll(async () => {
  s = await testServer();
  const tell = s.ws.events.tell;
  s.ws.events.tell = (event) => {
    heard.push(event);
    tell(event);
  };
  await s.call('POST', '/spec-book/files', { fileName: 'quick.specbook.json', text: quickBook });
  await smallFilm(join(s.dir, 'inbox', 'film.mp4'), 2);
  ({ id: productionId } = await s.get(productionSchema, 'POST', '/productions', { name: 'Kite' }));
  const [film] = await s.get(z.array(inboxFileSchema), 'GET', '/inbox');
  const master = await s.get(masterSchema, 'POST', `/productions/${productionId}/masters`, {
    inboxFile: film!.path,
  });
  await quiet();
  [version] = (await s.get(z.array(versionSchema), 'POST', `/productions/${productionId}/versions`, {
    masterId: master.id,
    placementIds: ['quick-tall'],
  })) as [Version];
}, 150_000);
afterAll(() => s.stop());

const quiet = () =>
  until(async () => {
    const d = await s.detail(productionId);
    return d.jobs.length === 0 && d;
  });
const revision = async () =>
  (await s.ws.db.select({ revision: productions.revision }).from(productions))[0]!.revision;
const shown = async () => (await versionsOf(s.ws, productionId)).map((v) => v.standing);
/** What stands in the rows is what is worked out when nothing is known. */
async function expectStanding(standing: Version['standing']): Promise<void> {
  expect(await shown()).toEqual([standing]);
  await s.ws.db.run(sql`update ${versions} set standing = null`);
  expect(await shown()).toEqual([standing]);
}
const frame = async (x: number) => {
  version = await s.get(versionSchema, 'PATCH', `/versions/${version.id}`, {
    revision: version.revision,
    framing: heldFraming({ x, y: 0.5, zoom: 1 }),
  });
};

describe('where a version stands is kept with it, and follows', () => {
  test('an export, a framing, its way back, the file and the spec book', async () => {
    await expectStanding('to-make');
    await s.call('POST', `/productions/${productionId}/exports`, { versionIds: [version.id] });
    await quiet();
    await expectStanding('passed');
    await frame(0.2);
    expect(version.standing).toBe('behind');
    await expectStanding('behind');
    version = await s.get(versionSchema, 'POST', `/versions/${version.id}/undo`);
    await expectStanding('passed');

    const other = JSON.parse(quickBook) as { outlets: { placements: { container: string }[] }[] };
    other.outlets[0]!.placements.forEach((p) => (p.container = 'mov'));
    await s.call('POST', '/spec-book/files', {
      fileName: 'quick.specbook.json',
      text: JSON.stringify(other),
    });
    // It stays with the revision that it was made for until it is brought over.
    await expectStanding('passed');
    await s.call('POST', '/spec-book/bring-over', { versionIds: [version.id] });
    await expectStanding('behind');
    await s.call('POST', `/versions/${version.id}/undo`);
    await expectStanding('passed');
    await s.call('POST', '/spec-book/files', { fileName: 'quick.specbook.json', text: quickBook });
    await s.call('POST', '/spec-book/bring-over', { versionIds: [version.id] });
    await expectStanding('passed');
    version = await s.get(versionSchema, 'GET', `/versions/${version.id}`);

    await s.ws.db.update(deliverables).set({ passed: false });
    await expectStanding('failed-check');
    await s.ws.db.update(deliverables).set({ passed: true });
    await s.ws.db
      .update(jobs)
      .set({ state: 'running' })
      .where(sql`${jobs.kind} = 'export'`);
    await expectStanding('making');
    await s.ws.db
      .update(jobs)
      .set({ state: 'done' })
      .where(sql`${jobs.kind} = 'export'`);
    await expectStanding('passed');
    await s.ws.db.delete(deliverables);
    await expectStanding('to-make');
  }, 150_000);
});

describe('events', () => {
  test('a changed framing is told of once, with its window, and names nothing else', async () => {
    heard.length = 0;
    const answer = await s.call(
      'PATCH',
      `/versions/${version.id}`,
      { revision: version.revision, framing: heldFraming({ x: 0.4, y: 0.5, zoom: 1 }) },
      { 'X-Window': 'window-one' },
    );
    version = versionSchema.parse(answer.body);
    expect(heard).toEqual([
      { kind: 'version', id: version.id, productionId, revision: version.revision, by: 'window-one' },
    ]);
  });

  test('a production has another revision after a change, and the same one after a tick of a job', async () => {
    const before = await revision();
    await s.ws.db.update(jobs).set({ fraction: 0.5, stage: 'encoding' });
    expect(await revision()).toBe(before);
    await frame(0.7);
    expect(await revision()).toBeGreaterThan(before);
    expect((await s.detail(productionId)).revision).toBe(await revision());
  });
});
