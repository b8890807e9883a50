import { appendFile } from 'node:fs/promises';
import { ok, ownFault, stillWindow, type RenderPlan, type Result } from '@mivvy/core';
import { locateTools } from '../ffmpeg/locate.ts';
import { explainFailure, inputArgs, quietly, runFfmpeg, type RunOptions } from '../ffmpeg/run.ts';
import { overlayGraph, type Overlay } from '../layers/overlay-input.ts';
import { runWorker } from '../workers/run-worker.ts';
import { colourTags } from './colour-tags.ts';
import { decodeFilters, sharpenFilters, stillFilters, type Pictures } from './filters.ts';
import { asRead, type PictureSource } from './picture-source.ts';
import { pictureNewsSchema, type PictureJob } from './picture-job.ts';
import { wayInto } from './way-in.ts';

const workerFile = new URL('./picture-worker.ts', import.meta.url);

/** True for a plan whose pictures one decoding process gives as they are delivered: one span, at its own pace. */
const isPlain = (plan: RenderPlan) => plan.kept.length === 1 && plan.pace.num === plan.pace.den;

/**
 * Runs one pass of an encode. One span through a window that never moves is cut by ffmpeg's own filters in one process.
 * Anything else goes through a worker between decoding processes, one for each kept span, and an encoding one: it takes
 * the pictures that are due, and draws them by our resampler where the window moves. `rest` is what follows the
 * picture's input on the encoder's command line: further inputs, maps, codec, container and file. `overlays` are laid
 * over it, the farthest first.
 */
export async function encodePicture(
  plan: RenderPlan,
  source: PictureSource,
  inputs: string[],
  rest: string[],
  options: RunOptions & {
    /** It tells an encoder where the bits are needed, and is seen by nobody. */
    sketch?: boolean;
  },
  overlays: readonly Overlay[] = [],
): Promise<Result<void>> {
  // Overlays come after the picture, and the sound where there is one.
  const laid = { firstInput: inputs.length ? 2 : 1, frames: plan.frames };
  const overlayArgs = overlays.flatMap((overlay) => overlay.args);
  const plain = isPlain(plan);
  const read = asRead(plan, source);
  const still = stillWindow(plan);
  if (still && plain) {
    const way = wayInto(read.master, read.kept[0]!.from);
    const window = stillFilters(read, { kind: 'delivered', way }, still, options.sketch ? 'sketch' : 'fine');
    const chain = [window, ...sharpenFilters(plan)].join(',');
    const run = await runFfmpeg(
      [
        ...way.args,
        ...inputArgs(source.path),
        ...inputs,
        ...(overlays.length
          ? [
              ...overlayArgs,
              '-filter_complex',
              overlayGraph(`[0:${read.master.videoStream}]${chain}`, overlays, laid),
              '-map',
              '[out]',
            ]
          : ['-map', `0:${read.master.videoStream}`, '-vf', chain]),
        ...rest,
      ],
      options,
    );
    return run.ok ? ok(undefined) : run;
  }
  const tools = await locateTools();
  if (!tools.ok) return tools;
  const { width, height } = plan.frame;
  const sharpened = sharpenFilters(plan).join(',');
  const decodes = read.kept.map((span) => {
    const way = wayInto(read.master, span.from);
    const pictures: Pictures = plain ? { kind: 'delivered', way } : { kind: 'span', way, span };
    const filters = still
      ? stillFilters(read, pictures, still)
      : decodeFilters(read, pictures, plan.master.displayed);
    return [
      ...quietly,
      ...way.args,
      ...inputArgs(source.path),
      '-map',
      `0:${read.master.videoStream}`,
      '-vf',
      filters,
      '-fps_mode',
      'passthrough',
      ...(plain ? [] : ['-frames:v', String(span.to - span.from)]),
      '-f',
      'rawvideo',
      'pipe:1',
    ];
  });
  const job: PictureJob = {
    plan,
    ffmpeg: tools.value.ffmpeg,
    cwd: options.cwd ?? process.cwd(),
    nice: options.nice ?? false,
    decodes,
    comes: plain ? 'delivered' : 'kept',
    drawn: still !== null,
    encode: [
      ...quietly,
      '-y',
      '-f',
      'rawvideo',
      '-pix_fmt',
      'yuv420p',
      '-s',
      `${width}x${height}`,
      '-r',
      `${plan.rate.num}/${plan.rate.den}`,
      ...colourTags,
      '-i',
      'pipe:0',
      ...inputs,
      ...(overlays.length
        ? [
            ...overlayArgs,
            '-filter_complex',
            overlayGraph(`[0:v]${sharpened || 'null'}`, overlays, laid),
            '-map',
            '[out]',
          ]
        : ['-map', '0:0', ...(sharpened ? ['-vf', sharpened] : [])]),
      ...rest,
    ],
  };
  return drawPictures(job, options);
}

/** Hands a picture job to a worker thread and waits for its end. */
async function drawPictures(
  job: PictureJob,
  { signal, onProgress, logFile }: RunOptions,
): Promise<Result<void>> {
  const end = await runWorker({
    file: workerFile,
    data: job,
    news: pictureNewsSchema,
    signal,
    onNews: ({ frames, speed }) =>
      onProgress?.({ frames, seconds: (frames * job.plan.rate.den) / job.plan.rate.num, speed }),
  });
  if (logFile)
    await appendFile(
      logFile,
      `${job.decodes.map((d) => `$ ffmpeg ${d.join(' ')}\n`).join('')}$ ffmpeg ${job.encode.join(' ')}\n${end.stderr}\n`,
    ).catch(() => undefined);
  if (end.fault) {
    if (logFile) await appendFile(logFile, `${end.fault.why}\n`).catch(() => undefined);
    return { ok: false, problem: ownFault(`drawing frame ${end.fault.frame}`) };
  }
  return end.ok
    ? ok(undefined)
    : { ok: false, problem: explainFailure(end.toolFailed ? end.stderr : '', end.exit) };
}
