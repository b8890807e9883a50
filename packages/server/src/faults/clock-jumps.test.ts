import { afterAll, afterEach, beforeAll, expect, test } from '@jest/globals';
import { mkdtemp, rename, rm } from 'node:fs/promises';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { eq } from 'drizzle-orm';
import * as z from 'zod';
import {
  dispatchSchema,
  ledgerPageSchema,
  madeReviewLinkSchema,
  reviewPageSchema,
  type Version,
} from '@mivvy/api';
import { deliverables, jobs } from '../db/schema.ts';
import { askAfterDispatches } from '../dispatch/watch.ts';
import { RowsQueue } from '../jobs/queue/rows-queue.ts';
import { serveHere, type ServedHere } from '../http/listen.ts';
import { createReviewApp } from '../review/app.ts';
import { openStandIns } from '../stand-ins/outlet.ts';
import { madeProduction, type MadeProduction } from '../testing/made.ts';
import { faultsOf } from '../testing/process.ts';
import { testServer, until, type TestServer } from '../testing/server.ts';
import { setClockAhead, setClockRight } from '../testing/shifted-clock.ts';

// The computer's clock is set ahead and back while things are under way: what is newest, who holds a job and what
// became of a file is not told by it.

const [hourMs, dayMs] = [3600_000, 24 * 3600_000];
let dir: string;
let outlets: Awaited<ReturnType<typeof openStandIns>>;
let s: TestServer;
let made: MadeProduction;
let review: ServedHere;
beforeAll(async () => {
  dir = await mkdtemp(join(tmpdir(), 'mivvy clock '));
  outlets = await openStandIns(join(dir, 'stand-ins'), (id) => s.ws.specs.find(id)?.placement);
  // Two at once: a job whose lease was over could be taken a second time.
  s = await testServer({ outlets: { base: outlets.base }, exportsAtOnce: 2 });
  made = await madeProduction(() => s, ['quick-tall', 'quick-square']);
  review = await serveHere(createReviewApp(s.ws));
  s.ws.reviewAddress = review.base;
}, 375_000);
afterEach(setClockRight);
afterAll(async () => {
  await review.close();
  await s.stop(true);
  await outlets.close();
  expect(await faultsOf(s.dir)).toEqual([]);
  for (const each of [s.dir, dir]) await rm(each, { recursive: true, force: true });
});

const [first, second] = [0, 1];
const idOf = (which: number) => made.versionIds[which]!;
const now = async (which: number): Promise<Version> => (await made.versions())[which]!;
const makingsOf = (which: number) =>
  s.ws.db
    .select()
    .from(deliverables)
    .where(eq(deliverables.versionId, idOf(which)));
let x = 0.5;
const makeAnew = async (which: number) => {
  await made.reframe(idOf(which), (x -= 0.017));
  await made.make([idOf(which)]);
};

test('an export under way while the clock jumps ahead is not begun a second time, and took as long as it took', async () => {
  await s.call('POST', `/productions/${made.id}/exports`, { versionIds: made.versionIds });
  await until(async () => (await s.detail(made.id)).jobs.some((job) => job.state === 'running'));
  setClockAhead(hourMs);
  const free = await new RowsQueue(s.ws.db).free('export', 9);
  expect(free.filter((job) => job.lapsed)).toEqual([]);
  await until(async () => (await made.versions()).every((v) => v.standing === 'passed'));
  setClockAhead(-hourMs);
  for (const which of [first, second]) {
    const files = await makingsOf(which);
    expect(files.map((file) => file.exportNumber)).toEqual([1]);
    expect(files[0]!.tookSeconds).toBeGreaterThan(0);
    expect(files[0]!.tookSeconds).toBeLessThan(hourMs / 1000 / 2);
  }
  const ended = await s.ws.db.select().from(jobs).where(eq(jobs.kind, 'export'));
  expect(ended.map((job) => [job.state, job.attempts])).toEqual([
    ['done', 1],
    ['done', 1],
  ]);
}, 225_000);

test('a file that is made after the clock was set back a day is the newest, and what happened last is last', async () => {
  await makeAnew(first);
  setClockAhead(-dayMs);
  await makeAnew(first);
  const files = await makingsOf(first);
  const newest = files.find((file) => file.exportNumber === Math.max(...files.map((f) => f.exportNumber)))!;
  expect((await now(first)).deliverable!.id).toBe(newest.id);
  // It has the earlier date of the two, and stands first all the same.
  expect(files.every((file) => file.madeAt >= newest.madeAt)).toBe(true);
  const page = await s.get(ledgerPageSchema, 'GET', '/ledger?order=last&descending=true');
  expect([page.rows[0]!.versionId, page.rows[0]!.last!.what.kind]).toEqual([idOf(first), 'made']);
}, 225_000);

test('an export that fails after the clock was set back is told, though its file seems to be the later of the two', async () => {
  await makeAnew(first);
  setClockAhead(-dayMs);
  const film = join(s.dir, 'inbox', 'film.mp4');
  await made.reframe(idOf(first), (x -= 0.017));
  await rename(film, `${film}.away`);
  await s.call('POST', `/productions/${made.id}/exports`, { versionIds: [idOf(first)] });
  await until(async () => (await now(first)).standing === 'failed');
  await rename(`${film}.away`, film);
  await made.make([idOf(first)]);
}, 225_000);

test('a job asked for after the clock was set back comes behind those that wait', async () => {
  await s.call('PATCH', '/preferences', { exportsPaused: true });
  const ask = (which: number) =>
    s.call('POST', `/productions/${made.id}/exports`, { versionIds: [idOf(which)] });
  await made.reframe(idOf(first), (x -= 0.017));
  await made.reframe(idOf(second), x);
  await ask(second);
  setClockAhead(-dayMs);
  await ask(first);
  const inOrder = await new RowsQueue(s.ws.db).free('export', 9);
  const asked = await s.ws.db.select().from(jobs).where(eq(jobs.state, 'queued'));
  const subjects = inOrder.map(({ id }) => asked.find((job) => job.id === id)!.subjectId);
  expect(subjects).toEqual([idOf(second), idOf(first)]);
  await s.call('PATCH', '/preferences', { exportsPaused: false });
  await until(async () => (await made.versions()).every((v) => v.standing === 'passed'));
}, 225_000);

test('an approval holds of the bytes that it was given for, and lapses with them, whatever the clock says', async () => {
  await makeAnew(first);
  const { address } = await s.get(madeReviewLinkSchema, 'POST', `/productions/${made.id}/review-links`, {
    name: 'The harbour’s board',
    versionIds: [idOf(first)],
    days: 30,
  });
  const secret = address.split('/r/')[1]!;
  const seen = reviewPageSchema.parse(await (await fetch(`${review.base}/api/review/${secret}`)).json());
  const file = seen.files[0]!;
  const answer = (what: string) =>
    fetch(`${review.base}/api/review/${secret}/answers`, {
      method: 'POST',
      headers: { 'Content-Type': 'application/json' },
      body: JSON.stringify({ by: 'Ines', deliverableId: file.id, sha256: file.sha256, answer: what }),
    });
  expect((await answer('changes-asked')).status).toBe(200);
  setClockAhead(-dayMs);
  // Given later, dated earlier: it is the later one that counts.
  expect((await answer('approved')).status).toBe(200);
  expect((await now(first)).stage).toBe('approved');
  await made.reframe(idOf(first), (x -= 0.017));
  expect((await now(first)).stage).toBe('behind');
  await made.make([idOf(first)]);
  expect((await now(first)).stage).toBe('in-review');
  // Past the link's end nobody gets in, and the file is what it was.
  setClockAhead(31 * dayMs);
  expect((await fetch(`${review.base}/api/review/${secret}`)).status).toBe(410);
}, 225_000);

test('a file is sent once, and is live when the outlet says so, however far the clock was set in between', async () => {
  await makeAnew(second);
  const { id, sha256 } = (await now(second)).deliverable!;
  const send = () =>
    s.call('POST', `/productions/${made.id}/dispatches`, { deliverableIds: [id], connector: 'outlet' });
  const own = async () =>
    (await s.get(z.array(dispatchSchema), 'GET', `/productions/${made.id}/dispatches`)).filter(
      (each) => each.sha256 === sha256,
    );
  await send();
  setClockAhead(-40 * dayMs);
  await send();
  await until(async () => ['arrived', 'live'].includes((await own())[0]!.state));
  // More than a week later it is asked after still: only what is live is let be.
  setClockAhead(40 * dayMs);
  await until(async () => {
    await askAfterDispatches(s.ws);
    return (await own())[0]!.state === 'live';
  });
  const copies = outlets.films().filter((film) => film.sha256 === sha256);
  expect([(await own()).length, copies.length, (await now(second)).stage]).toEqual([1, 1, 'live']);
}, 225_000);
