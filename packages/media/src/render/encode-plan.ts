import { stat } from 'node:fs/promises';
import { join } from 'node:path';
import { ok, planSeconds, stillWindow, type Effort, type RenderPlan, type Result } from '@mivvy/core';
import { inputArgs, must, type RunOptions } from '../ffmpeg/run.ts';
import { laidOverlays } from '../layers/overlay.ts';
import type { GraphicPath } from '../layers/overlay-input.ts';
import { measureAverage, measurePeak } from '../measure/stored-pictures.ts';
import { containerArgs, isFirstPass, passesOf, pictureArgs, sketchSize, type Pass } from './encoders.ts';
import { encodePicture } from './picture.ts';
import type { PictureSource } from './picture-source.ts';
import { makeSound, type MadeSound } from './sound.ts';
import type { SoundShelf } from './sound-shelf.ts';

/** How far the encoding of one file has come. */
export interface EncodeProgress {
  stage: 'analyse' | 'encode';
  /** Of the making of the whole file, 0 to 1. */
  fraction: number;
  /** Seconds left, once it can be told. */
  etaSeconds: number | null;
  /** Film seconds encoded a second. */
  speed: number;
}

/** Encodes at most so often to get under a size limit or a ceiling. */
const attempts = 3;
/** Encoders that only aim for a ceiling; the others hold it by their buffer. */
const aimsForCeiling: ReadonlySet<RenderPlan['video']['codec']> = new Set(['vp9', 'av1']);
/** So far above its ceiling a second may lie without being encoded again. */
const aboveCeiling = 1.005;
/** A rate is lowered by this much more than it was exceeded. */
const caution = 0.985;

/** A window this share as wide as a sketch is fine enough to be drawn from: a little larger, it tells the same. */
const fineEnough = 0.9;

/**
 * A plan as its sketch is drawn: what is laid over it stands in pixels of the frame itself, and is sized after it is laid.
 * A window that moves is drawn from pictures of half the size, too, where these are as fine as the sketch is: where a
 * film's colours have to be brought over, that is most of what a sketch costs.
 */
function sketched(plan: RenderPlan): RenderPlan {
  const { width, height } = plan.master.displayed;
  const frame = sketchSize(plan) ?? plan.frame;
  const widest = Math.min(width, (height * frame.width) / frame.height);
  const halves =
    !stillWindow(plan) && width % 4 === 0 && height % 4 === 0 && widest / 2 >= fineEnough * frame.width;
  return {
    ...plan,
    frame,
    master: halves ? { ...plan.master, displayed: { width: width / 2, height: height / 2 } } : plan.master,
  };
}

/** A file whose picture comes to more than its target times this, just below what its report would fail at, is made again. */
const missed = 1.09;

/** True where the picture of a finished file takes clearly more than its target. */
async function missesTarget(
  plan: RenderPlan,
  path: string,
  signal: AbortSignal | undefined,
): Promise<Result<boolean>> {
  const { rate } = plan.video;
  if (rate.mode !== 'two-pass') return ok(false);
  const kbps = await measureAverage(path, planSeconds(plan), signal);
  return kbps.ok ? ok(kbps.value > rate.targetKbps * missed) : kbps;
}

/** The rate to encode at again, where a file at the given one has become too large or broke its ceiling. */
async function lowerRate(
  plan: RenderPlan,
  rate: RenderPlan['video']['rate'],
  path: string,
  signal: AbortSignal | undefined,
): Promise<Result<RenderPlan['video']['rate'] | null>> {
  const { size } = await stat(path);
  const tooLarge = plan.maxBytes === null || rate.mode !== 'two-pass' ? 1 : size / plan.maxBytes;
  const ceiling = plan.video.rate.maxKbps;
  let tooHigh = 1;
  if (ceiling !== undefined && aimsForCeiling.has(plan.video.codec)) {
    const peak = await measurePeak(path, planSeconds(plan), signal);
    if (!peak.ok) return peak;
    if (peak.value > ceiling * aboveCeiling) tooHigh = peak.value / ceiling;
  }
  const excess = Math.max(tooLarge, tooHigh);
  if (excess <= 1) return ok(null);
  const lowered = (kbps: number) => Math.max(1, Math.floor((kbps * caution) / excess));
  if (rate.mode === 'two-pass')
    return ok({
      ...rate,
      targetKbps: lowered(rate.targetKbps),
      maxKbps: tooHigh > 1 ? lowered(rate.maxKbps) : rate.maxKbps,
    });
  return ok(rate.maxKbps === undefined ? null : { ...rate, maxKbps: lowered(rate.maxKbps) });
}

interface EncodeOptions extends Pick<RunOptions, 'signal' | 'logFile' | 'nice'> {
  masterPath: string;
  /** Where its pictures are read from. */
  source: PictureSource;
  /** Finds the pictures that the plan's layers show. */
  graphicPath: GraphicPath;
  sounds?: SoundShelf | undefined;
  workDir: string;
  effort?: Effort | undefined;
  onProgress?: ((progress: EncodeProgress) => void) | undefined;
}

/**
 * Encodes a plan's picture and sound into a file in its working folder: in as many passes as its encoder has, and again
 * where it misses its rate, its size limit or its ceiling. Throws `Cancelled`, and the problem that stops it.
 */
export async function encodePlan(
  plan: RenderPlan,
  { masterPath, source, workDir, signal, logFile, ...options }: EncodeOptions,
): Promise<{ path: string; sound: MadeSound | null }> {
  const passes = passesOf(plan);
  const meter = progressMeter(plan, passes, Date.now(), options.onProgress);
  const path = join(workDir, `picture.${plan.container}`);
  const overlays = await laidOverlays(plan, join(workDir, 'layers'), options.graphicPath);
  // The sound is made while the first pass runs: it needs little of the machine.
  const soundRun = { masterPath, workDir, signal, logFile };
  const sound = options.sounds?.sound(plan, soundRun) ?? makeSound(plan, soundRun);
  sound.catch(() => undefined); // awaited below; a failure there must not count as unhandled meanwhile

  const encode = async (pass: Pass, rate: RenderPlan['video']['rate']): Promise<void> => {
    const video = pictureArgs(plan, pass, rate, options.effort);
    const run = {
      cwd: workDir,
      signal,
      logFile,
      nice: options.nice ?? false,
      sketch: pass === 'sketch',
      onProgress: meter(pass),
    };
    if (isFirstPass(pass)) {
      const drawn = pass === 'sketch' && !overlays.length ? sketched(plan) : plan;
      const nowhere = [...video, '-an', '-f', 'null', '-'];
      must(await encodePicture(drawn, source, [], nowhere, run, overlays));
      return;
    }
    const soundFile = (await sound)?.path;
    const soundIn = soundFile ? inputArgs(soundFile) : [];
    const soundOut = soundFile ? ['-map', '1:a:0', '-c:a', 'copy'] : ['-an'];
    const rest = [...video, ...soundOut, ...containerArgs(plan), path];
    must(await encodePicture(plan, source, soundIn, rest, run, overlays));
  };

  for (const pass of passes) await encode(pass, plan.video.rate);

  // What a sketch told of where the bits are needed was wrong for this film: it is told by a whole first pass.
  if (passes[0] === 'sketch' && must(await missesTarget(plan, path, signal)))
    for (const pass of [1, 2] as const) await encode(pass, plan.video.rate);

  let { rate } = plan.video;
  for (let i = 1; i < attempts; i++) {
    const lower = must(await lowerRate(plan, rate, path, signal));
    if (!lower) break;
    rate = lower;
    await encode(passes.at(-1)!, rate);
  }
  return { path, sound: await sound };
}

/** Turns the encoder's counts into a fraction of the whole. First passes are quicker than second ones. */
function progressMeter(
  plan: RenderPlan,
  passes: readonly Pass[],
  started: number,
  tell: EncodeOptions['onProgress'],
) {
  const shares = passes.length === 1 ? [0.96] : passes[0] === 'sketch' ? [0.2, 0.76] : [0.33, 0.63];
  const seconds = planSeconds(plan);
  return (pass: Pass) =>
    ({ frames, speed }: { frames: number; speed: number }) => {
      const index = pass === 2 ? 1 : 0;
      const base = shares.slice(0, index).reduce((a, b) => a + b, 0);
      const fraction = Math.min(0.96, base + shares[index]! * Math.min(1, frames / plan.frames));
      const elapsed = (Date.now() - started) / 1000;
      const eta =
        fraction > 0.03 ? (elapsed / fraction) * (1 - fraction) : speed > 0 ? seconds / speed : null;
      tell?.({
        stage: isFirstPass(pass) ? 'analyse' : 'encode',
        fraction,
        etaSeconds: eta === null ? null : Math.round(eta * 10) / 10,
        speed,
      });
    };
}
