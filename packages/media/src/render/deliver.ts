import type { Stats } from 'node:fs';
import { appendFile, link, mkdir, rename, rm, stat, unlink } from 'node:fs/promises';
import { dirname } from 'node:path';
import {
  checkFile,
  withLine,
  fail,
  ok,
  ownFault,
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
import { examineFile } from '../compare/examine-file.ts';
import { Cancelled, catching, explainFailure, must } from '../ffmpeg/run.ts';
import { sha256File } from '../ingest/hash.ts';
import type { GraphicPath } from '../layers/overlay-input.ts';
import type { DecodedFilms } from './decoded-films.ts';
import { encodePlan, type EncodeProgress } from './encode-plan.ts';
import { LowestRoom } from './lowest-room.ts';
import { filmItself } from './picture-source.ts';
import type { SoundShelf } from './sound-shelf.ts';

/** How far the making of one file has come. */
export interface DeliverProgress extends Omit<EncodeProgress, 'stage'> {
  stage: 'decode' | EncodeProgress['stage'] | 'measure';
}

/** What is done, in words. */
export const deliverStages: Readonly<Record<DeliverProgress['stage'], string>> = {
  decode: 'decoding for all versions',
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
  /** Where a film lies decoded while several versions are made from it, and whether further ones are waiting. */
  decoded?: { films: DecodedFilms; wanted: () => boolean | Promise<boolean> };
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

/** Encodes a plan from its film as it lies decoded where several versions are made from it, else from the film. */
async function encodeFromBest(plan: RenderPlan, options: DeliverOptions) {
  const { masterPath, signal, logFile, nice, onProgress } = options;
  const onDecoding = () => onProgress?.({ stage: 'decode', fraction: 0, etaSeconds: null, speed: 0 });
  const lending = { signal, logFile, nice: nice ?? false, onDecoding };
  const lent = await options.decoded?.films.lend(plan, masterPath, {
    ...lending,
    wanted: options.decoded.wanted,
  });
  try {
    const source = lent?.source ?? filmItself(plan, masterPath);
    return await encodePlan(plan, { ...options, source, graphicPath: options.graphicPath ?? noGraphic });
  } finally {
    await lent?.giveBack();
  }
}

/**
 * Makes a plan's file, measures it, and only then puts it in its place. A file that fails its check is still put
 * there: the report says what is wrong. Cancelling throws `Cancelled` and leaves nothing behind.
 */
export async function deliver(plan: RenderPlan, options: DeliverOptions): Promise<Result<Delivered>> {
  const { workDir, signal, logFile } = options;
  await rm(workDir, { recursive: true, force: true });
  const before = await stat(options.masterPath).catch(() => null);
  const room = new LowestRoom(dirname(options.outPath));
  let stage: DeliverProgress['stage'] = 'decode';
  const watched: DeliverOptions = {
    ...options,
    onProgress(progress) {
      stage = progress.stage;
      options.onProgress?.(progress);
    },
  };
  const making = catching(() => make(plan, watched, before, signal));
  const made = await making
    .catch(async (error: unknown): Promise<Result<Delivered>> => {
      // An error with a system code comes from the disk or a tool; every other one is our fault.
      if (error instanceof Cancelled || (error as NodeJS.ErrnoException).code !== undefined) throw error;
      const why = error instanceof Error ? (error.stack ?? error.message) : String(error);
      if (logFile) await appendFile(logFile, `${why}\n`).catch(() => undefined);
      return { ok: false, problem: ownFault(deliverStages[stage]) };
    })
    .finally(() => room.end());
  return made.ok ? made : { ok: false, problem: truth(made.problem, room.lowest) };
}

/** The steps of {@link deliver}. Throws problems, `Cancelled`, and our own mistakes. */
async function make(
  plan: RenderPlan,
  options: DeliverOptions,
  before: Stats | null,
  signal: AbortSignal | undefined,
): Promise<Delivered> {
  const { workDir, logFile } = options;

  await mkdir(workDir, { recursive: true });
  await mkdir(dirname(options.outPath), { recursive: true });
  try {
    const { path: out, sound } = await encodeFromBest(plan, options);

    options.onProgress?.({ stage: 'measure', fraction: 0.97, etaSeconds: 1, speed: 0 });
    const [examined, sha256] = await Promise.all([
      examineFile(out, plan, options.masterPath, { signal, nice: options.nice ?? false }),
      sha256File(out, signal),
    ]);
    const { measured, compared } = must(examined);
    const heard = sound && sound.source.integratedLufs !== null;
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
}

/** Less than this free before a failure, and the failure was the full disk, whatever the tools made of it. Bytes. */
const nothingFree = 2_000_000;

/** A problem as it is: tools do not always say that what stopped them was the disk. */
function truth(problem: Problem, lowest: number): Problem {
  const vague = problem.code === 'ffmpeg-failed' || problem.code === 'incomplete';
  return vague && lowest < nothingFree ? explainFailure('No space left on device', '') : problem;
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
