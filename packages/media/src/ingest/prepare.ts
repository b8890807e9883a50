import {
  fail,
  middleOfSpan,
  ok,
  oneShot,
  planMaster,
  shotSpans,
  type Loudness,
  type MasterFacts,
  type Result,
  type Shot,
} from '@mivvy/core';
import { findShots, type FoundShots } from '../shots/find-shots.ts';
import { measureLoudness } from './loudness.ts';
import { makeProxy } from './proxy.ts';
import { makeStill, stillHeight } from './still.ts';

/** So many shots get their still ahead; the others' are drawn when they are looked at. */
export const stillsAhead = 40;

/** What is to be known and made of a film beyond its frames and its sum. What is there already is not asked for again. */
export interface Preparation {
  facts: MasterFacts;
  sha256: string;
  /** Its shots as they stand; null where nobody has found or drawn any. */
  shots: readonly Shot[] | null;
  /** Its shots are to be found, with its small pictures. */
  find: boolean;
  /** Its sound is to be measured. */
  measure: boolean;
  /** A proof copy is to be made: one that helps may fail, one that is wanted may not. */
  copy: 'no' | 'helpful' | 'wanted';
}

/** One thing that came of it, told as soon as it is there. */
export type PreparedPart =
  /** Null where none could be found: the film is one shot, and can be cut by hand. */
  | { part: 'shots'; found: FoundShots | null }
  | { part: 'loudness'; loudness: Loudness }
  | { part: 'still'; frame: number; path: string }
  /** Null where it could not be made, and is not needed. */
  | { part: 'proxy'; path: string | null };

export interface PreparingOptions {
  /** Where a frame's still is written, and where the proof copy is. */
  stillPath: (frame: number) => string;
  proxyPath: string;
  /** Takes each part as it comes; the next is begun when it is taken. */
  take: (part: PreparedPart) => Promise<void>;
  progress: (stage: string, fraction: number) => void;
  signal: AbortSignal;
  logFile?: string;
}

/** A film's shots are looked for so often: what stops a decoder once need not stop it again. */
const findAttempts = 2;

/** The frames whose stills are drawn ahead, one a shot. */
export const framesAhead = (shots: readonly Shot[], frames: number): number[] =>
  shotSpans(shots, frames).slice(0, stillsAhead).map(middleOfSpan);

async function lookForShots(
  path: string,
  facts: MasterFacts,
  sha256: string,
  { signal, progress }: Pick<PreparingOptions, 'signal' | 'progress'>,
): Promise<FoundShots | null> {
  for (let attempt = 1; attempt <= findAttempts; attempt++) {
    progress('finding shots', 0);
    const found = await findShots(path, facts, planMaster(facts, sha256), {
      signal,
      onFraction: (fraction) => progress('finding shots', fraction * 0.3),
    });
    if (found.ok) return found.value;
  }
  return null;
}

/**
 * Finds a film's shots, measures its sound, draws its shots' stills and makes its proof copy, in the order in which they
 * are needed. Throws `Cancelled`.
 */
export async function prepareFilm(
  path: string,
  { facts, sha256, shots, find, measure, copy }: Preparation,
  { stillPath, proxyPath, take, progress, signal, logFile }: PreparingOptions,
): Promise<Result<void>> {
  const tools = { signal, logFile, nice: true };
  let cutInto = shots;
  if (find) {
    const found = await lookForShots(path, facts, sha256, { signal, progress });
    cutInto ??= found?.shots ?? null;
    await take({ part: 'shots', found });
  }
  if (measure && facts.audio) {
    progress('measuring loudness', 0.3);
    const loudness = await measureLoudness(path, facts.audio.streamIndex, signal, logFile);
    if (!loudness.ok) return loudness;
    await take({ part: 'loudness', loudness: loudness.value });
  }
  // So that a production opens at once.
  const ahead = framesAhead(cutInto ?? oneShot, facts.video.frames);
  for (const [i, frame] of ahead.entries()) {
    signal.throwIfAborted();
    progress('drawing stills', 0.4 + (0.1 * i) / ahead.length);
    const still = await makeStill(path, facts, frame, stillHeight, stillPath(frame), { signal, nice: true });
    if (still.ok) await take({ part: 'still', frame, path: stillPath(frame) });
  }
  if (copy === 'no') return ok(undefined);
  const made = await makeProxy(path, facts, planMaster(facts, sha256), proxyPath, {
    ...tools,
    onFraction: (fraction) => progress('making a proof copy', 0.5 + fraction / 2),
  });
  if (!made.ok && copy === 'wanted') return fail(made.problem.code, made.problem.sentence, made.problem.mend);
  await take({ part: 'proxy', path: made.ok ? proxyPath : null });
  return ok(undefined);
}
