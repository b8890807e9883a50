import { afterAll, beforeAll, expect, test } from '@jest/globals';
import { copyFile, utimes } from 'node:fs/promises';
import { join } from 'node:path';
import { heldFraming, makePlan, type RenderPlan } from '@mivvy/core';
import { deliver } from '../render/deliver.ts';
import { factsOf, ffmpeg, placement, testFolder } from '../testing/helpers.ts';
import { examineFile } from './examine-file.ts';
import { MasterShelf } from './master-shelf.ts';

let dir: string;
let clean: () => Promise<void>;
let plan: RenderPlan;
const at = (name: string) => join(dir, name);
const film = (picture: string, to: string) =>
  ffmpeg('-f', 'lavfi', '-i', picture, '-t', '2', '-crf', '14', '-pix_fmt', 'yuv420p', to);

beforeAll(async () => {
  ({ dir, clean } = await testFolder());
  await film('mandelbrot=s=640x360:rate=25', at('master.mp4'));
  await film('testsrc2=s=640x360:r=25', at('other.mp4'));
  const facts = await factsOf(at('master.mp4'));
  const place = placement({ frame: { width: 270, height: 480 } });
  ({ plan } = makePlan({ facts, sha256: '0'.repeat(64), placement: place, framing: heldFraming() }));
}, 150_000);
afterAll(() => clean());

const plane = (bytes: number) => ({ width: bytes, height: 1, bytes: new Uint8Array(bytes) });
const pictures = (bytes: number) => ({
  smalls: [new Uint8Array(bytes)],
  larges: new Map([[0, { luma: plane(bytes), cb: plane(bytes), cr: plane(bytes) }]]),
});

test('keeps so many bytes, and lets go of what was not asked for longest', () => {
  const shelf = new MasterShelf(1000);
  expect([shelf.bears(1000), shelf.bears(1001)]).toEqual([true, false]);
  for (const key of ['a', 'b']) shelf.keep(key, pictures(100));
  expect(shelf.find('a')).toBeDefined();
  shelf.keep('c', pictures(100));
  expect(['a', 'b', 'c'].map((key) => shelf.find(key) !== undefined)).toEqual([true, false, true]);
  shelf.keep('large', pictures(400));
  expect(shelf.find('large')).toBeUndefined();
});

test('a film is known by its file and by how it was decoded', async () => {
  const key = (args: string[]) => MasterShelf.keyOf(plan, at('master.mp4'), args);
  const first = await key(['a']);
  expect([await key(['a']), (await key(['b'])) === first]).toEqual([first, false]);
  await utimes(at('master.mp4'), new Date(), new Date(Date.now() + 5000));
  expect(await key(['a'])).not.toBe(first);
});

test('a film that is gone is said to be, in a sentence', async () => {
  const found = await examineFile(at('other.mp4'), plan, at('gone.mp4'));
  expect(found.ok ? 'compared' : found.problem.sentence).toBe('A file that is needed is no longer there.');
}, 60_000);

test('the second version of a film is held against the same pictures; a film in its place is decoded anew', async () => {
  const made = await deliver(plan, {
    masterPath: at('master.mp4'),
    outPath: at('file.mp4'),
    workDir: at('work'),
  });
  if (!made.ok) throw new Error(made.problem.sentence);
  const compared = async () => {
    const found = await examineFile(at('file.mp4'), plan, at('master.mp4'));
    if (!found.ok) throw new Error(found.problem.sentence);
    return found.value.compared;
  };
  // Decoded in the export, and kept by the thread that compared its file.
  const [kept, again] = [await compared(), await compared()];
  expect(again).toEqual(kept);
  expect(kept.likeness!.value).toBeGreaterThan(0.9);
  await copyFile(at('other.mp4'), at('master.mp4'));
  expect((await compared()).likeness!.value).toBeLessThan(0.5);
}, 150_000);
