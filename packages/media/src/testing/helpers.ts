import { mkdtemp, rm } from 'node:fs/promises';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { execa } from 'execa';
import type { Framing, MasterFacts, Placement } from '@mivvy/core';
import { countFrames, probeMaster } from '../ingest/probe.ts';

/** A folder of one test file's own, with a space in its name as people have them. */
export async function testFolder(): Promise<{ dir: string; clean: () => Promise<void> }> {
  const dir = await mkdtemp(join(tmpdir(), 'mivvy test '));
  return { dir, clean: () => rm(dir, { recursive: true, force: true }) };
}

/** Runs plain ffmpeg to make an input for a test. */
export async function ffmpeg(...args: string[]): Promise<void> {
  await execa('ffmpeg', ['-v', 'error', '-y', ...args]);
}

/** The facts of a film, its frames counted; one that cannot be read is a failed test. */
export async function factsOf(path: string): Promise<MasterFacts> {
  const quick = await probeMaster(path);
  const counted = quick.ok ? await countFrames(path, quick.value) : quick;
  if (!counted.ok) throw new Error(counted.problem.sentence);
  return counted.value;
}

/** A placement for tests: quality mode, so that small films encode quickly in one pass. */
export function placement(over: Partial<Placement> = {}): Placement {
  return {
    id: 'test-place',
    name: 'Test place',
    frame: { width: 270, height: 480 },
    container: 'mp4',
    video: { codec: 'h264', rate: { mode: 'quality', crf: 8 } },
    audio: null,
    ...over,
  };
}

/** A window that goes evenly across a film of so many frames, in one stretch. */
export const glideAcross = (end: number, zoom = 1): Framing => ({
  version: 1,
  stretches: [
    {
      from: 0,
      move: {
        kind: 'glide',
        a: { x: 0.2, y: 0.5, zoom: 1 },
        b: { x: 0.8, y: 0.5, zoom },
        start: 0,
        end,
        ease: 'even',
      },
    },
  ],
});
