import { link, mkdir, rename, rm, stat, statfs, unlink } from 'node:fs/promises';
import { dirname, join } from 'node:path';
import {
  checkFile,
  withLine,
  fail,
  ok,
  planSeconds,
  sidecarText,
  type CheckReport,
  type Effort,
  type Placement,
  type Problem,
  type RenderPlan,
  type Result,
} from '@mivvy/core';
import { readBack, writeSidecar } from '../captions/sidecar.ts';
import { writeCover } from '../covers/cover.ts';
import { compareFile } from '../compare/compare-file.ts';
import { catching, explainFailure, inputArgs, must } from '../ffmpeg/run.ts';
import { sha256File } from '../ingest/hash.ts';
import { measureAverage, measureFile, measurePeak } from '../measure/measure.ts';
import type { GraphicPath } from '../layers/overlay-input.ts';
import { laidOverlays } from '../layers/overlay.ts';
import { containerArgs, isFirstPass, passesOf, pictureArgs, sketchSize, type Pass } from './encoders.ts';
import { encodePicture } from './picture.ts';
import { makeSound } from './sound.ts';
import type { SoundShelf } from './sound-shelf.ts';

/** How far the making of one file has come. */
export interface DeliverProgress {
  stage: 'analyse' | 'encode' | 'measure';
  /** Of the whole, 0 to 1. */
  fraction: number;
  /** Seconds left, once it can be told. */
  etaSeconds: number | null;
  /** Film seconds encoded a second. */
  speed: number;
}

/** What is done, in words. */
export const deliverStages: Readonly<Record<DeliverProgress['stage'], string>> = {
  analyse: 'first pass',
  encode: 'encoding',
  measure: 'measuring',
};

export interface DeliverOptions {
  masterPath: string;
  /** Where the finished file goes. It appears there whole, by renaming, or not at all. */
  outPath: string;
  /** Captions that go with the film are written beside it, under its name. */
  sidecarBeside?: boolean;
  /** Finds the pictures that the plan's layers show. */
  graphicPath?: GraphicPath;
  /** Where sounds that were made are found again, when versions of one film are made one after the other. */
  sounds?: SoundShelf;
  /** A folder of this making alone, on the same disk as `outPath`; emptied before and removed after. */
  workDir: string;
  logFile?: string;
  /** How much time the encoder may take; the usual where missing. */
  effort?: Effort | undefined;
  /** Whose rules the file is held against, beside its plan. */
  placement?: Placement | undefined;
  signal?: AbortSignal;
  nice?: boolean;
  onProgress?: (progress: DeliverProgress) => void;
}

/** A finished file and what was measured of it. */
export interface Delivered {
  path: string;
  bytes: number;
  sha256: string;
  report: CheckReport;
  /** The captions that lie beside it. */
  sidecar?: string;
  /** The still that lies beside it. */
  cover?: string;
}

const noGraphic: GraphicPath = ({ sha256 }) => {
  throw new Error(`no picture ${sha256} here`);
};

/** Encodes at most so often to get under a size limit or a ceiling. */
const attempts = 3;
/** Encoders that only aim for a ceiling; the others hold it by their buffer. */
const aimsForCeiling: ReadonlySet<RenderPlan['video']['codec']> = new Set(['vp9', 'av1']);
/** So far above its ceiling a second may lie without being encoded again. */
const aboveCeiling = 1.005;
/** A rate is lowered by this much more than it was exceeded. */
const caution = 0.985;

/** A plan as its sketch is drawn: what is laid over it stands in pixels of the frame itself, and is sized after it is laid. */
const sketched = (plan: RenderPlan): RenderPlan => ({ ...plan, frame: sketchSize(plan) ?? plan.frame });

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

/**
 * Makes a plan's file, measures it, and only then puts it in its place. A file that fails its check is still put
 * there: the report says what is wrong. Cancelling throws `Cancelled` and leaves nothing behind.
 */
export async function deliver(plan: RenderPlan, options: DeliverOptions): Promise<Result<Delivered>> {
  const { workDir, signal, logFile } = options;
  await rm(workDir, { recursive: true, force: true });
  const before = await stat(options.masterPath).catch(() => null);
  const made = await catching(async () => {
    await mkdir(workDir, { recursive: true });
    await mkdir(dirname(options.outPath), { recursive: true });
    try {
      const started = Date.now();
      const passes = passesOf(plan);
      const meter = progressMeter(plan, passes, started, options.onProgress);
      const out = join(workDir, `picture.${plan.container}`);
      const overlays = await laidOverlays(plan, join(workDir, 'layers'), options.graphicPath ?? noGraphic);

      const encode = async (
        pass: Pass,
        rate: RenderPlan['video']['rate'],
        sound: ReturnType<typeof makeSound>,
      ) => {
        const video = pictureArgs(plan, pass, rate, options.effort);
        const runOptions = {
          cwd: workDir,
          signal,
          logFile,
          nice: options.nice ?? false,
          sketch: pass === 'sketch',
          onProgress: meter(pass),
        };
        if (isFirstPass(pass))
          return must(
            await encodePicture(
              pass === 'sketch' && !overlays.length ? sketched(plan) : plan,
              options.masterPath,
              [],
              [...video, '-an', '-f', 'null', '-'],
              runOptions,
              overlays,
            ),
          );
        const soundFile = (await sound)?.path;
        const soundOut = soundFile ? ['-map', '1:a:0', '-c:a', 'copy'] : ['-an'];
        must(
          await encodePicture(
            plan,
            options.masterPath,
            soundFile ? inputArgs(soundFile) : [],
            [...video, ...soundOut, ...containerArgs(plan), out],
            runOptions,
            overlays,
          ),
        );
      };

      // The sound is made while the first pass runs: it needs little of the machine.
      const soundRun = { masterPath: options.masterPath, workDir, signal, logFile };
      const sound = options.sounds?.sound(plan, soundRun) ?? makeSound(plan, soundRun);
      sound.catch(() => undefined); // awaited below; a failure there must not count as unhandled meanwhile
      for (const pass of passes) await encode(pass, plan.video.rate, sound);
      const made = await sound;

      // What a sketch told of where the bits are needed was wrong for this film: it is told by a whole first pass.
      if (passes[0] === 'sketch' && must(await missesTarget(plan, out, signal))) {
        await encode(1, plan.video.rate, sound);
        await encode(2, plan.video.rate, sound);
      }

      let rate = plan.video.rate;
      for (let i = 1; i < attempts; i++) {
        const lower = must(await lowerRate(plan, rate, out, signal));
        if (!lower) break;
        rate = lower;
        await encode(passes.at(-1)!, rate, sound);
      }

      options.onProgress?.({ stage: 'measure', fraction: 0.97, etaSeconds: 1, speed: 0 });
      const [measuring, sha256] = await Promise.all([measureFile(out, signal), sha256File(out, signal)]);
      const measured = must(measuring);
      const compared = must(
        await compareFile(out, measured, plan, options.masterPath, { signal, nice: options.nice ?? false }),
      );
      const heard = made && made.source.integratedLufs !== null;
      const report = checkFile({ plan, heard, alone: false }, measured, {
        placement: options.placement,
        compared,
      });
      const { size } = await stat(out);
      signal?.throwIfAborted();
      const after = await stat(options.masterPath).catch(() => null);
      if (!before || before.size !== after?.size || before.mtimeMs !== after.mtimeMs) {
        must(
          fail(
            'master-changed',
            'The film was changed while the file was made from it, so the file was thrown away.',
            'Take the changed film in its place, then export again.',
          ),
        );
      }
      const cover = plan.cover
        ? await writeCover(plan, plan.cover, {
            masterPath: options.masterPath,
            film: options.outPath,
            work: workDir,
            signal,
            logFile,
            nice: options.nice ?? false,
          })
        : null;
      try {
        must(await putInPlace(out, options.outPath));
      } catch (error) {
        if (cover) await rm(cover.path, { force: true });
        throw error;
      }
      const { sidecar } = plan;
      const beside =
        sidecar && options.sidecarBeside ? await writeSidecar(sidecar, options.outPath, workDir) : null;
      const line = beside?.line ?? (sidecar && readBack(sidecar, sidecarText(sidecar)));
      options.onProgress?.({ stage: 'measure', fraction: 1, etaSeconds: 0, speed: 0 });
      return {
        path: options.outPath,
        bytes: size,
        sha256,
        report: [line, cover?.line].reduce((all, more) => (more ? withLine(all, more) : all), report),
        ...(beside ? { sidecar: beside.path } : {}),
        ...(cover ? { cover: cover.path } : {}),
      };
    } finally {
      await rm(workDir, { recursive: true, force: true });
    }
  });
  return made.ok ? made : { ok: false, problem: await truth(made.problem, dirname(options.outPath)) };
}

/** Less than this free after a failure, and the failure was the full disk, whatever the tools made of it. Bytes. */
const nothingFree = 2_000_000;

/** A problem as it is: tools do not always say that what stopped them was the disk. */
async function truth(problem: Problem, folder: string): Promise<Problem> {
  if (problem.code !== 'ffmpeg-failed') return problem;
  const disk = await statfs(folder).catch(() => null);
  return disk && disk.bavail * disk.bsize < nothingFree
    ? explainFailure('No space left on device', '')
    : problem;
}

/** Puts a finished file in its place, whole or not at all, and never in the place of another. */
async function putInPlace(from: string, to: string): Promise<Result<void>> {
  try {
    await link(from, to);
    await unlink(from);
  } catch (error) {
    const { code } = error as NodeJS.ErrnoException;
    if (code === 'EEXIST')
      return fail(
        'name-taken',
        'A file of that name is there already, and it was left as it is.',
        'Move it, or choose another folder.',
      );
    // Some file systems know no second name for a file; there, looking first is the best that can be had.
    if (
      code !== 'EPERM' &&
      code !== 'ENOTSUP' &&
      code !== 'EOPNOTSUPP' &&
      code !== 'EXDEV' &&
      code !== 'EMLINK'
    )
      throw error;
    if (await stat(to).catch(() => null))
      return fail(
        'name-taken',
        'A file of that name is there already, and it was left as it is.',
        'Move it, or choose another folder.',
      );
    await rename(from, to);
  }
  return ok(undefined);
}

/** Turns the encoder's counts into a fraction of the whole. First passes are quicker than second ones. */
function progressMeter(
  plan: RenderPlan,
  passes: readonly Pass[],
  started: number,
  tell: DeliverOptions['onProgress'],
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
