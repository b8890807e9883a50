import { mkdir, rm, stat } from 'node:fs/promises';
import { join } from 'node:path';
import { ok, planSeconds, type Effort, type RenderPlan, type Result } from '@mivvy/core';
import { catching, inputArgs, must, runFfmpeg } from '../ffmpeg/run.ts';
import type { GraphicPath } from '../layers/overlay-input.ts';
import { laidOverlays } from '../layers/overlay.ts';
import { colourTags } from '../render/colour-tags.ts';
import { containerArgs, isFirstPass, passesOf, pictureArgs } from '../render/encoders.ts';
import { encodePicture } from '../render/picture.ts';
import { filmItself } from '../render/picture-source.ts';

export interface StripOptions {
  masterPath: string;
  /** A folder of this strip alone, where its films stay. */
  folder: string;
  graphicPath: GraphicPath;
  signal?: AbortSignal | undefined;
}

/** A strip encoded in one way. */
export interface StripFilm {
  path: string;
  bytes: number;
  kbps: number;
  /** Time that the encoding took. */
  seconds: number;
  /** Structural similarity of its brightness to the picture that was encoded, over all its frames. */
  likeness: number;
}

/** How a strip is encoded. */
export interface StripEncode {
  name: string;
  effort: Effort;
  /** Path of the strip as it was drawn. */
  drawn: string;
  /** The encoder goes for likeness alone, as for measuring: what pleases the eye costs it. */
  forLikeness?: boolean;
}

/** Encoders that weigh what the eye likes are told not to, where likeness is measured (common practice). */
const tunedForLikeness: Readonly<Record<RenderPlan['video']['codec'], readonly string[]>> = {
  h264: ['-tune', 'ssim'],
  hevc: ['-tune', 'ssim'],
  vp9: ['-tune', 'ssim'],
  av1: [],
};

/** What a strip is held against: so finely coded that nothing of the coding is seen (common practice). */
const fine = ['-c:v', 'libx264', '-preset', 'veryfast', '-crf', '6', '-pix_fmt', 'yuv420p'];

/** Draws a strip's pictures without the encoder that it is a test of: the master as the version shows it, unsharpened. */
export async function drawStrip(
  plan: RenderPlan,
  { masterPath, folder, graphicPath, signal }: StripOptions,
): Promise<Result<string>> {
  return catching(async () => {
    await mkdir(folder, { recursive: true });
    const { sharpen: _sharpen, ...plain } = plan;
    const path = join(folder, 'drawn.mp4');
    const work = join(folder, 'layers');
    const overlays = await laidOverlays(plain, work, graphicPath);
    must(
      await encodePicture(
        plain,
        filmItself(plain, masterPath),
        [],
        [...fine, ...colourTags, '-an', '-movflags', '+faststart', '-f', 'mp4', path],
        { cwd: folder, signal, nice: true },
        overlays,
      ),
    );
    await rm(work, { recursive: true, force: true });
    return path;
  });
}

/** Encodes a strip with a plan's full settings, and measures what it came to beside the drawn one. */
export async function encodeStrip(
  plan: RenderPlan,
  { name, effort, drawn, forLikeness = false }: StripEncode,
  { masterPath, folder, graphicPath, signal }: StripOptions,
): Promise<Result<StripFilm>> {
  return catching(async () => {
    const work = join(folder, `${name} work`);
    await mkdir(work, { recursive: true });
    try {
      const path = join(folder, `${name}.${plan.container}`);
      const overlays = await laidOverlays(plan, join(work, 'layers'), graphicPath);
      const started = performance.now();
      for (const pass of passesOf(plan)) {
        const video = pictureArgs(plan, pass, plan.video.rate, effort);
        const tune = forLikeness ? tunedForLikeness[plan.video.codec] : [];
        const to = isFirstPass(pass) ? ['-an', '-f', 'null', '-'] : ['-an', ...containerArgs(plan), path];
        must(
          await encodePicture(
            plan,
            filmItself(plan, masterPath),
            [],
            [...video, ...tune, ...to],
            { cwd: work, signal, nice: true },
            overlays,
          ),
        );
      }
      const seconds = (performance.now() - started) / 1000;
      const { size } = await stat(path);
      const likeness = must(await likenessOf(path, drawn, signal));
      return { path, bytes: size, kbps: (size * 8) / 1000 / planSeconds(plan), seconds, likeness };
    } finally {
      await rm(work, { recursive: true, force: true });
    }
  });
}

/** How alike two films of the same length are (SSIM of their brightness, by ffmpeg's own filter). */
async function likenessOf(path: string, other: string, signal?: AbortSignal): Promise<Result<number>> {
  const said = await runFfmpeg(
    [
      ...inputArgs(path),
      ...inputArgs(other),
      '-filter_complex',
      '[0:v]setpts=N[a];[1:v]setpts=N[b];[a][b]ssim',
      ...['-an', '-f', 'null', '-'],
    ],
    { signal, nice: true },
  );
  if (!said.ok) return said;
  const found = /SSIM Y:([\d.]+)/.exec(said.value);
  if (!found) throw new Error(`no likeness in ${said.value.slice(-200)}`);
  return ok(Number(found[1]));
}
