import { afterAll, beforeAll, expect, test } from '@jest/globals';
import { spawnSync } from 'node:child_process';
import { mkdtempSync } from 'node:fs';
import { mkdir, readdir, rm } from 'node:fs/promises';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { heldFraming, makePlan, type Framing } from '@mivvy/core';
import { factsOf, ffmpeg, glideAcross, placement, testFolder } from '../testing/helpers.ts';
import { deliver } from './deliver.ts';

// A file is made on disks of every size up to one that suffices: whichever step meets the end of the room, it is the
// disk that is said to be full, and nothing is left.

const mounts: string[] = [];
const unmount = (folder: string) => spawnSync('umount', ['-l', folder], { stdio: 'ignore' });
function diskOf(kilobytes: number): string | null {
  const folder = mkdtempSync(join(tmpdir(), 'mivvy small disk '));
  mounts.push(folder);
  const mounted = spawnSync('mount', ['-t', 'tmpfs', '-o', `size=${kilobytes}k`, 'tmpfs', folder], {
    stdio: 'ignore',
  });
  return mounted.status === 0 ? folder : null;
}
const onDisk = diskOf(64) ? test : test.skip;
if (onDisk === test.skip)
  process.stderr.write('No disk of its own may be mounted here: files are not made on full ones.\n');

let dir: string;
let clean: () => Promise<void>;
beforeAll(async () => ({ dir, clean } = await testFolder()));
afterAll(async () => {
  for (const folder of mounts) {
    unmount(folder);
    await rm(folder, { recursive: true, force: true });
  }
  await clean();
});

const place = placement({
  frame: { width: 90, height: 160 },
  audio: { codec: 'aac', kbps: 96, sampleRate: 48000, channels: 2 },
});

onDisk.each<[string, Framing]>([
  ['a window that stands still', heldFraming()],
  ['one that moves', glideAcross(49)],
])('%s', async (_what, framing) => {
  const master = join(dir, 'film.mp4');
  await ffmpeg(
    ...['-f', 'lavfi', '-i', 'testsrc2=s=320x180:r=25:d=2', '-f', 'lavfi', '-i', 'sine=r=48000:d=2'],
    ...['-c:v', 'libx264', '-preset', 'ultrafast', '-pix_fmt', 'yuv420p', '-c:a', 'aac', master],
  );
  const { plan } = makePlan({
    facts: await factsOf(master),
    sha256: '0'.repeat(64),
    placement: place,
    framing,
  });
  const came: string[] = [];
  for (const kilobytes of [4, 12, 24, 48, 96, 192, 384, 768, 4000]) {
    const disk = diskOf(kilobytes)!;
    const out = join(disk, 'out');
    await mkdir(out);
    const made = await deliver(plan, {
      masterPath: master,
      outPath: join(out, 'made.mp4'),
      workDir: join(disk, 'work'),
    });
    came.push(made.ok ? (made.value.report.passed ? 'passed' : 'failed') : made.problem.code);
    expect([await readdir(disk), await readdir(out)]).toEqual([['out'], made.ok ? ['made.mp4'] : []]);
    unmount(disk);
  }
  expect(came.at(-1)).toBe('passed');
  expect(came[0]).toBe('disk-full');
  expect(new Set(came)).toEqual(new Set(['disk-full', 'passed']));
});
