import { readFile, stat, writeFile } from 'node:fs/promises';
import { basename, join } from 'node:path';
import { LRUCache } from 'lru-cache';
import { canonicalJson, planSeconds, type RenderPlan } from '@mivvy/core';
import type { SoundRun } from './cut-sound.ts';
import { makeSound, type MadeSound } from './sound.ts';

/** Sounds that are kept, together, bytes: some hundred minutes of them. */
const shelfBytes = 96_000_000;
/** One that is larger is made anew each time. */
const largestKept = shelfBytes / 4;

/** What a plan's sound is made from; whoever agrees in it has the same sound. */
function soundKey(plan: RenderPlan, masterMark: string): string {
  const { sha256, rate, videoStartSeconds } = plan.master;
  return canonicalJson({
    masterMark,
    sha256,
    rate,
    videoStartSeconds,
    kept: plan.kept,
    pace: plan.pace,
    seconds: planSeconds(plan),
    audio: plan.audio,
  });
}

/**
 * Finished sounds of a while, so that versions of one film that are made one after the other, with the same frames kept
 * and the same sound asked for, have theirs measured and coded once.
 */
export class SoundShelf {
  private readonly kept = new LRUCache<string, { made: MadeSound; bytes: Buffer }>({
    maxSize: shelfBytes,
    sizeCalculation: ({ bytes }) => Math.max(1, bytes.length),
  });

  constructor(private readonly make: typeof makeSound = makeSound) {}

  /** A plan's sound as a file in its working folder: what {@link makeSound} makes. */
  async sound(plan: RenderPlan, run: SoundRun): Promise<MadeSound | null> {
    if (!plan.audio) return null;
    const { size, mtimeMs } = await stat(run.masterPath);
    const key = soundKey(plan, `${size} ${mtimeMs}`);
    const known = this.kept.get(key);
    if (known) {
      const path = join(run.workDir, basename(known.made.path));
      await writeFile(path, known.bytes);
      return { ...known.made, path };
    }
    const made = await this.make(plan, run);
    if (made && (await stat(made.path)).size <= largestKept)
      this.kept.set(key, { made, bytes: await readFile(made.path) });
    return made;
  }
}
