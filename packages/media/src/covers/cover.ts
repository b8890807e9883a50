import { rename, stat } from 'node:fs/promises';
import { basename, dirname, extname, join } from 'node:path';
import { coverLine, coverPlan, type CheckLine, type RenderPlan } from '@mivvy/core';
import { must, runFfmpeg, type RunOptions } from '../ffmpeg/run.ts';
import { encodePicture } from '../render/picture.ts';
import { filmItself } from '../render/picture-source.ts';
import { findCover } from './compare-cover.ts';

type Cover = NonNullable<RenderPlan['cover']>;

const endings = { jpeg: 'jpg', png: 'png' } as const;

/** The name of the still that lies beside a film. */
export const coverName = (film: string, { format }: Pick<Cover, 'format'>): string =>
  `${basename(film, extname(film))}.${endings[format]}`;

/** Stills are kept finely: of the 2 to 31 of the coder's scale this is the best. */
const jpegQuality = '2';

/** Draws a plan's cover into a file, as the renderer draws its films. Throws what stops it. */
async function drawCover(
  plan: RenderPlan,
  cover: Cover,
  masterPath: string,
  work: string,
  options: RunOptions,
) {
  const one = coverPlan(plan, cover);
  const frame = join(work, 'cover-frame.nut');
  must(
    await encodePicture(
      one,
      filmItself(one, masterPath),
      [],
      ['-an', '-frames:v', '1', '-c:v', 'rawvideo', '-pix_fmt', 'yuv420p', '-f', 'nut', frame],
      options,
    ),
  );
  const out = join(work, `cover.${endings[cover.format]}`);
  // Stills hold what screens show: JPEG all 256 steps by BT.601 (JFIF; from memory), PNG red, green and blue.
  const read = 'scale=in_color_matrix=bt709:in_range=tv:flags=accurate_rnd+full_chroma_int+lanczos';
  const coded =
    cover.format === 'jpeg'
      ? ['-vf', `${read}:out_color_matrix=bt601:out_range=pc,format=yuvj420p`, '-q:v', jpegQuality]
      : ['-vf', `${read}:out_range=pc,format=rgb24`];
  must(
    await runFfmpeg(
      ['-f', 'nut', '-i', `file:${frame}`, ...coded, '-frames:v', '1', '-f', 'image2', '-update', '1', out],
      options,
    ),
  );
  return out;
}

/** Makes a plan's cover and lays it beside the film, whole or not at all; with its line of the report. Throws what stops it. */
export async function writeCover(
  plan: RenderPlan,
  cover: Cover,
  { masterPath, film, work, ...options }: RunOptions & { masterPath: string; film: string; work: string },
): Promise<{ path: string; line: CheckLine }> {
  const unfinished = await drawCover(plan, cover, masterPath, work, options);
  const path = join(dirname(film), coverName(film, cover));
  const line = await coverLineOf(plan, cover, unfinished, masterPath, options.signal);
  await rename(unfinished, path);
  return { path, line };
}

/** Whether the still in a file is the cover that a plan wants. */
export async function coverLineOf(
  plan: RenderPlan,
  cover: Cover,
  path: string,
  masterPath: string,
  signal?: AbortSignal,
): Promise<CheckLine> {
  const there = await stat(path).catch(() => null);
  const found = there ? await findCover(plan, cover, path, masterPath, signal) : null;
  return coverLine(cover, plan.master, found);
}
