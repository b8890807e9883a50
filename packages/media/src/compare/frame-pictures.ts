import { mkdir, readFile, rm } from 'node:fs/promises';
import { join } from 'node:path';
import { frameToSeconds, pictureStart, stripPlan, type RenderPlan, type Result } from '@mivvy/core';
import { catching, inputArgs, must, runFfmpeg, type RunOptions } from '../ffmpeg/run.ts';
import { probeMaster } from '../ingest/probe.ts';
import { wayTo } from '../ingest/still.ts';
import type { GraphicPath } from '../layers/overlay-input.ts';
import { laidOverlays } from '../layers/overlay.ts';
import { encodePicture } from '../render/picture.ts';
import { filmItself } from '../render/picture-source.ts';

/**
 * What BT.709 pictures of limited range are as red, green and blue, for PNG. The curve is not named in it: a browser would
 * show the one picture otherwise than the other.
 */
const asPng =
  'scale=in_color_matrix=bt709:in_range=tv:flags=accurate_rnd+full_chroma_int+lanczos:out_range=pc,format=rgb24,setparams=color_primaries=unknown:color_trc=unknown';
const onePng = ['-frames:v', '1', '-f', 'image2', '-update', '1'];

/**
 * One picture of a finished film as PNG, pixel for pixel as it is decoded.
 *
 * @param frame of the film, from 0
 * @param folder for its work alone; it is gone afterwards
 */
export function pictureInFile(
  path: string,
  frame: number,
  folder: string,
  options: RunOptions = {},
): Promise<Result<Buffer>> {
  return inFolder(folder, async (work) => {
    const facts = must(await probeMaster(path, options.signal));
    const { rate, streamIndex } = facts.video;
    const { before, after, choose } = wayTo(facts, frame, pictureStart(facts) + frameToSeconds(frame, rate));
    const out = join(work, 'file.png');
    const filters = choose ? `${choose},${asPng}` : asPng;
    const reading = [...before, ...inputArgs(path), ...after, '-map', `0:${streamIndex}`];
    must(await runFfmpeg([...reading, '-vf', filters, ...onePng, out], options));
    return readFile(out);
  });
}

/** The same picture as a plan wants it, drawn from its master without any encoder; sharpening and layers included. */
export function pictureAsPlanned(
  plan: RenderPlan,
  frame: number,
  from: { masterPath: string; graphicPath: GraphicPath; folder: string },
  options: RunOptions = {},
): Promise<Result<Buffer>> {
  return inFolder(from.folder, async (work) => {
    const one = stripPlan(plan, { from: frame, to: frame + 1 });
    const overlays = await laidOverlays(one, join(work, 'layers'), from.graphicPath);
    const raw = join(work, 'planned.nut');
    const drawn = ['-an', '-c:v', 'rawvideo', '-pix_fmt', 'yuv420p', '-f', 'nut', raw];
    must(
      await encodePicture(
        one,
        filmItself(one, from.masterPath),
        [],
        drawn,
        { ...options, cwd: work },
        overlays,
      ),
    );
    const out = join(work, 'planned.png');
    must(await runFfmpeg(['-f', 'nut', '-i', `file:${raw}`, '-vf', asPng, ...onePng, out], options));
    return readFile(out);
  });
}

/** Works in a folder that is there for that alone, and goes with it. */
function inFolder(folder: string, work: (own: string) => Promise<Buffer>): Promise<Result<Buffer>> {
  return catching(async () => {
    await mkdir(folder, { recursive: true });
    try {
      return await work(folder);
    } finally {
      await rm(folder, { recursive: true, force: true });
    }
  });
}
