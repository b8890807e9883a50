import { afterAll, beforeAll, expect, test } from '@jest/globals';
import { writeFile } from 'node:fs/promises';
import { join } from 'node:path';
import { execa } from 'execa';
import * as z from 'zod';
import { inboxFileSchema, jobSchema, masterSchema, productionSchema, type Master } from '@mivvy/api';
import { countFrames, probeMaster } from '@mivvy/media';
import { testServer, until, type TestServer } from './testing/server.ts';

// Which films get a copy for their proofs, and what plays until it is there.

let s: TestServer;
let productionId: string;
beforeAll(async () => {
  s = await testServer();
  const asked = { name: 'Kite', client: '' };
  productionId = (await s.get(productionSchema, 'POST', '/productions', asked)).id;
});
afterAll(() => s.stop());

const h264 = ['-c:v', 'libx264', '-preset', 'ultrafast', '-pix_fmt', 'yuv420p'];
const masterOf = (id: string) => s.get(masterSchema, 'GET', `/masters/${id}`);

/** Brings a film in. How its proofs are played before what was found in it is followed by a copy, and after. */
async function broughtIn(name: string, source: string, ...coded: string[]) {
  const path = join(s.dir, 'inbox', `${name}.mp4`);
  await execa('ffmpeg', ['-v', 'error', '-y', '-f', 'lavfi', '-i', source, ...coded, path]);
  const inbox = await s.get(z.array(inboxFileSchema), 'GET', '/inbox');
  const inboxFile = inbox.find((file) => file.path.endsWith(`${name}.mp4`))!.path;
  const asked = { inboxFile };
  const { id } = await s.get(masterSchema, 'POST', `/productions/${productionId}/masters`, asked);
  const played: Master['proof'][] = [];
  const master = await until(async () => {
    const now = await masterOf(id);
    played.push(now.proof);
    const jobs = await s.get(z.array(jobSchema), 'GET', `/productions/${productionId}/jobs`);
    return now.sha256 !== null && jobs.every(({ state }) => state === 'done') && masterOf(id);
  });
  return { id, path, master, played };
}

/** The copy of a film, as it is played. */
async function copyOf(id: string) {
  const answer = await fetch(`${s.base}/api/masters/${id}/media?as=proxy`);
  expect(answer.status).toBe(200);
  const path = join(s.dir, 'copy.mp4');
  await writeFile(path, Buffer.from(await answer.arrayBuffer()));
  const probed = await probeMaster(path);
  const facts = probed.ok ? await countFrames(path, probed.value) : probed;
  if (!facts.ok) throw new Error(facts.problem.sentence);
  return facts.value;
}

const asItIs = { kind: 'original', copyComing: false };
const meanwhile = { kind: 'original', copyComing: true };

test('a film that plays and scrubs quickly is played as it is', async () => {
  const { id, master } = await broughtIn('light', 'testsrc2=s=320x180:r=25:d=21', ...h264, '-g', '10');
  expect(master.proof).toEqual(asItIs);
  const copy = await fetch(`${s.base}/api/masters/${id}/media?as=proxy`);
  expect((await copy.arrayBuffer()).byteLength).toBe(master.bytes);
});

test('one whose keyframes are far apart is played as it is until its copy is there, which has them close', async () => {
  const { id, master, played } = await broughtIn(
    'far apart',
    'testsrc2=s=320x180:r=25:d=21',
    ...h264,
    ...['-g', '250', '-sc_threshold', '0'],
  );
  expect(master.facts!.video.longestKeyframeGap).toBeGreaterThan(200);
  expect(played).toContainEqual(meanwhile);
  expect(played.filter(({ kind }) => kind !== 'original' && kind !== 'proxy')).toEqual([]);
  expect(master.proof).toEqual({ kind: 'proxy' });
  const { video } = await copyOf(id);
  expect(video).toMatchObject({
    frames: 525,
    rate: { num: 25, den: 1 },
    colour: { matrix: 'bt709', range: 'tv' },
  });
  expect(video.longestKeyframeGap).toBeLessThanOrEqual(15);
});

test('one whose decoding costs too much gets a smaller copy, with as many frames, however close its keyframes', async () => {
  const noisy = ['-vf', 'noise=alls=40:allf=t', '-b:v', '200M', '-minrate', '200M', '-bufsize', '50M'];
  const { id, master, played } = await broughtIn(
    'heavy',
    'testsrc2=s=3840x2160:r=50:d=0.4',
    ...noisy,
    ...h264,
    ...['-g', '10'],
  );
  expect(played).toContainEqual(meanwhile);
  expect(master.proof).toEqual({ kind: 'proxy' });
  const { video } = await copyOf(id);
  expect(video).toMatchObject({ frames: master.facts!.video.frames, rate: { num: 50, den: 1 } });
  expect(video.displayed.width).toBeLessThanOrEqual(1920);
  expect(video.displayed.width / video.displayed.height).toBeCloseTo(16 / 9, 2);
});
