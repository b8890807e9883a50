import { open } from 'node:fs/promises';
import {
  drawPlan,
  fitSide,
  gridOf,
  layoutAt,
  structuralSimilarity,
  type FoundCover,
  type RenderPlan,
} from '@mivvy/core';
import * as z from 'zod';
import { pictureInput, runFfprobe } from '../ffmpeg/run.ts';
import { sizedPicture } from '../compare/decodes.ts';
import { masterLuma, oneLuma } from '../compare/one-luma.ts';

/** Longer side of the pictures that are compared. */
const comparedSide = 480;

const probed = z.object({
  streams: z.array(z.object({ width: z.number().positive(), height: z.number().positive() })).min(1),
});

/** What lies beside a film as its cover, held against the master's frame drawn by other means; null where nothing can be read. */
export async function findCover(
  plan: RenderPlan,
  cover: NonNullable<RenderPlan['cover']>,
  path: string,
  masterPath: string,
  signal?: AbortSignal,
): Promise<FoundCover | null> {
  const { master } = plan;
  const read = await readSize(path);
  if (!read) return null;
  const cells = fitSide(cover.size, comparedSide);
  const reading = stillInput(path, read.format);
  const still = await oneLuma(reading, sizedPicture(cells), cells, signal).catch(() => null);
  signal?.throwIfAborted();
  if (!still) return null;
  const shown = fitSide(master.displayed, comparedSide * 3);
  const film = await masterLuma(master, masterPath, cover.frame, shown, signal);
  const layout = layoutAt(cover.framing, cover.frame, master.displayed, cover.size);
  const drawn = drawPlan(layout, gridOf(shown, film), master.displayed, cover.size, cells);
  const likeness = structuralSimilarity(still, drawn.data, cells, drawn.known);
  return { ...read, likeness, difference: meanDifference(still, drawn.data, drawn.known) };
}

/** Mean difference of two planes where they are known; null where nothing is. */
function meanDifference(a: ArrayLike<number>, b: ArrayLike<number>, known: Uint8Array): number | null {
  let [sum, count] = [0, 0];
  for (let i = 0; i < known.length; i++) {
    if (!known[i]) continue;
    sum += Math.abs(a[i]! - b[i]!);
    count++;
  }
  return count ? sum / count : null;
}

type StillFormat = 'jpeg' | 'png';

/** Arguments that open one still of a known format; its name says nothing. */
const stillInput = (path: string, format: StillFormat) => ['-f', `${format}_pipe`, ...pictureInput(path)];

/** The first bytes of the formats that covers have (ISO/IEC 10918-1: start of image; PNG, 3rd edition, section 5.2). */
const starts: Readonly<Record<StillFormat, readonly number[]>> = {
  jpeg: [0xff, 0xd8, 0xff],
  png: [0x89, 0x50, 0x4e, 0x47, 0x0d, 0x0a, 0x1a, 0x0a],
};

/** What a file is by its first bytes; null for neither. */
async function readFormat(path: string): Promise<StillFormat | null> {
  const file = await open(path);
  try {
    const head = Buffer.alloc(8);
    await file.read(head, 0, head.length, 0);
    const is = (format: StillFormat) => starts[format].every((byte, i) => head[i] === byte);
    return is('jpeg') ? 'jpeg' : is('png') ? 'png' : null;
  } finally {
    await file.close();
  }
}

/** Size and format of a still; null where it is none. */
async function readSize(
  path: string,
): Promise<{ width: number; height: number; format: StillFormat } | null> {
  const format = await readFormat(path);
  if (!format) return null;
  const said = await runFfprobe([
    ...['-v', 'error', '-show_entries', 'stream=width,height', '-of', 'json'],
    ...stillInput(path, format),
  ]);
  const read = said.ok ? probed.safeParse(JSON.parse(said.value.stdout || '{}')) : null;
  return read?.success ? { ...read.data.streams[0]!, format } : null;
}
