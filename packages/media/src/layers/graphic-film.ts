import { execa } from 'execa';
import * as z from 'zod';
import { fail, ok, type Result } from '@mivvy/core';
import { locateTools } from '../ffmpeg/locate.ts';
import { catching, inputArgs, must, runFfmpeg } from '../ffmpeg/run.ts';
import { countFrames, probeMaster } from '../ingest/probe.ts';

/** A film that is laid over another, as it is kept. */
export interface GraphicFilm {
  width: number;
  height: number;
  rate: { num: number; den: number };
  frames: number;
  /** How its alpha is read: none, as its pixels have it, or in a stream of its own as WebM has it. */
  alpha: 'none' | 'own' | 'webm';
}

/** A moving graphic is this long at most, seconds, and this large. */
const mostSeconds = 180;
const mostSide = 4096;
/** The longest side of what browsers play of it. */
const previewSide = 640;

const tagsSchema = z.object({
  streams: z.array(z.looseObject({ tags: z.looseObject({ alpha_mode: z.string().optional() }).optional() })),
});

/** WebM keeps alpha beside the picture, where only its tag tells of it. */
async function hasWebmAlpha(path: string, stream: number): Promise<boolean> {
  const tools = must(await locateTools());
  const { stdout } = await execa(tools.ffprobe, [
    '-v',
    'error',
    '-select_streams',
    String(stream),
    '-show_entries',
    'stream_tags=alpha_mode',
    '-of',
    'json',
    ...inputArgs(path),
  ]);
  const read = tagsSchema.safeParse(JSON.parse(stdout));
  return read.success && read.data.streams.some((s) => s.tags?.alpha_mode === '1');
}

/** Reads a film that is to be laid over another: with alpha, or on black, at any rate and size. */
export function readGraphicFilm(path: string, name: string): Promise<Result<GraphicFilm>> {
  return catching(async () => {
    // Headers of films that were written to a pipe do not tell how long they are.
    const { video } = must(await countFrames(path, must(await probeMaster(path))));
    const { width, height } = video.displayed;
    const seconds = (video.frames * video.rate.den) / video.rate.num;
    const tooMuch =
      seconds > mostSeconds
        ? `${name} is ${Math.round(seconds)} s long; a film that is laid over another has ${mostSeconds} s at most.`
        : Math.max(width, height) > mostSide
          ? `${name} is ${width} × ${height}; a side may have ${mostSide} pixels at most.`
          : null;
    if (tooMuch) must(fail('bad-graphic', tooMuch, 'Save it shorter or smaller.'));
    const own = /^(yuva|rgba|argb|bgra|abgr|gbrap|ya|pal8)/.test(video.pixelFormat);
    const alpha = own ? 'own' : (await hasWebmAlpha(path, video.streamIndex)) ? 'webm' : 'none';
    return { width, height, rate: video.rate, frames: video.frames, alpha };
  });
}

/** Makes what browsers play of it: every picture stands alone, so that any is shown at once. */
export async function previewGraphicFilm(
  path: string,
  out: string,
  film: GraphicFilm,
): Promise<Result<void>> {
  const k = Math.min(1, previewSide / Math.max(film.width, film.height));
  const even = (n: number) => Math.max(2, Math.round((n * k) / 2) * 2);
  const run = await runFfmpeg(
    [
      ...(film.alpha === 'webm' ? ['-c:v', 'libvpx-vp9'] : []),
      ...inputArgs(path),
      '-an',
      '-vf',
      `fps=${film.rate.num}/${film.rate.den},scale=${even(film.width)}:${even(film.height)}:flags=area`,
      '-c:v',
      'libvpx-vp9',
      '-pix_fmt',
      film.alpha === 'none' ? 'yuv420p' : 'yuva420p',
      '-g',
      '1',
      '-crf',
      '24',
      '-b:v',
      '0',
      '-deadline',
      'realtime',
      '-cpu-used',
      '8',
      '-auto-alt-ref',
      '0',
      '-f',
      'webm',
      '-y',
      out,
    ],
    {},
  );
  return run.ok ? ok(undefined) : run;
}
