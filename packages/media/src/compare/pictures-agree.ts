import { mkdir, rm, writeFile } from 'node:fs/promises';
import { join } from 'node:path';
import { LRUCache } from 'lru-cache';
import {
  fitSide,
  frameToSeconds,
  gridOf,
  masterFrameAt,
  pictureStart,
  type MasterFacts,
  type PlanPicture,
  type RenderPlan,
  type Result,
} from '@mivvy/core';
import { catching, inputArgs, must, pictureInput } from '../ffmpeg/run.ts';
import { probeMaster } from '../ingest/probe.ts';
import { wayTo } from '../ingest/still.ts';
import type { GraphicPath } from '../layers/overlay-input.ts';
import { filmKey } from '../render/film-key.ts';
import { sizedPicture } from './decodes.ts';
import { pictureAsPlanned } from './frame-pictures.ts';
import { masterLuma, oneLuma } from './one-luma.ts';
import { plannedPicture } from './planned-pictures.ts';

/** Pictures are compared so small that what an encoder does to them is averaged away, pixels a side. */
const cells = { width: 48, height: 48 };
/** Longer side of the pictures of a master that they are drawn from. */
const masterSide = 320;
/** Where the looks are taken, in parts of the film. */
const looks = [0.1, 0.5, 0.9];
/** Small pictures of one frame differ by less than this, as a mean square of levels of 16 to 235; 25 dB below white. */
const mostDifferent = 150;
/** Where less than this share of a frame is the master's own, the frame is drawn with all that is laid over it. */
const leastKnown = 0.1;

/** What is looked at, and where from. */
export interface AgreeFrom {
  masterPath: string;
  graphicPath: GraphicPath;
  /** For its work alone; it is gone afterwards. */
  folder: string;
  signal?: AbortSignal;
}

/**
 * Whether a file shows in a few places what its plan wants there. Far cheaper than holding all of it against its film:
 * it finds another film, another crop, another order; no small fault.
 */
export function picturesAgree(plan: RenderPlan, path: string, from: AgreeFrom): Promise<Result<boolean>> {
  return catching(async () => {
    const facts = must(await probeMaster(path, from.signal));
    for (const part of looks) {
      const frame = Math.min(plan.frames - 1, Math.floor(plan.frames * part));
      const there = await lumaInFile(path, facts, frame, from.signal);
      if (!there || meanSquareDifference(there, await planned(plan, frame, from)) > mostDifferent)
        return false;
    }
    return true;
  });
}

/** One frame of a finished film, small; null where it has no such frame. */
function lumaInFile(path: string, facts: MasterFacts, frame: number, signal: AbortSignal | undefined) {
  const { rate, streamIndex } = facts.video;
  const { before, after, choose } = wayTo(facts, frame, pictureStart(facts) + frameToSeconds(frame, rate));
  const reading = [...before, ...inputArgs(path), ...after, '-map', `0:${streamIndex}`];
  const sized = sizedPicture(cells, ':in_color_matrix=bt709');
  return oneLuma(reading, choose ? `${choose},${sized}` : sized, cells, signal);
}

/** What a plan shows at a frame, small. */
async function planned(plan: RenderPlan, frame: number, from: AgreeFrom): Promise<PlanPicture> {
  const size = fitSide(plan.master.displayed, masterSide);
  const bytes = await masterPicture(plan, masterFrameAt(plan, frame), from);
  const drawn = plannedPicture(plan, frame, gridOf(size, bytes), cells);
  const known = drawn.known.reduce((sum, one) => sum + one, 0) / drawn.known.length;
  return known < leastKnown ? withAllLaidOver(plan, frame, from) : drawn;
}

/** Small pictures of masters that were looked at: the versions of one film are looked at in the same frames of it. */
const seen = new LRUCache<string, Uint8Array>({ max: 200 });

async function masterPicture(
  { master }: RenderPlan,
  frame: number,
  { masterPath, signal }: AgreeFrom,
): Promise<Uint8Array> {
  const size = fitSide(master.displayed, masterSide);
  const key = await filmKey(masterPath, { master, frame });
  const known = key === null ? undefined : seen.get(key);
  if (known) return known;
  const read = await masterLuma(master, masterPath, frame, size, signal);
  if (key !== null) seen.set(key, read);
  return read;
}

/** The same, layers and captions included, as it is drawn for the screen: it takes longer, and leaves nothing unknown. */
async function withAllLaidOver(plan: RenderPlan, frame: number, from: AgreeFrom): Promise<PlanPicture> {
  const { folder, signal } = from;
  await mkdir(folder, { recursive: true });
  try {
    const drawing = { ...from, folder: join(folder, 'plan') };
    const path = join(folder, 'picture.png');
    await writeFile(path, must(await pictureAsPlanned(plan, frame, drawing, { signal })));
    const bytes = await oneLuma(pictureInput(path), sizedPicture(cells), cells, signal);
    if (!bytes) throw new Error('no picture was drawn');
    return { ...cells, data: new Float32Array(bytes), known: new Uint8Array(bytes.length).fill(1) };
  } finally {
    await rm(folder, { recursive: true, force: true });
  }
}

/** Of what is known. */
function meanSquareDifference(shown: Uint8Array, { data, known }: PlanPicture): number {
  let [sum, count] = [0, 0];
  for (let i = 0; i < known.length; i++) {
    if (!known[i]) continue;
    sum += (shown[i]! - data[i]!) ** 2;
    count++;
  }
  return sum / Math.max(1, count);
}
