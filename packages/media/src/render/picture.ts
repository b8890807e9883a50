import { appendFile } from 'node:fs/promises';
import { ok, stillWindow, type RenderPlan, type Result } from '@mivvy/core';
import { locateTools } from '../ffmpeg/locate.ts';
import { explainFailure, inputArgs, quietly, runFfmpeg, type RunOptions } from '../ffmpeg/run.ts';
import { runWorker } from '../workers/run-worker.ts';
import { decodeFilters, stillFilters } from './filters.ts';
import { seekTo } from './seek.ts';
import { pictureNewsSchema, type PictureJob } from './picture-job.ts';

const workerFile = new URL('./picture-worker.ts', import.meta.url);

/**
 * Runs one pass of an encode. A window that never moves is cut by ffmpeg's own filters in one process; anything else
 * is drawn picture by picture by our resampler, between a decoding and an encoding process. `rest` is what follows the
 * picture's input on the encoder's command line: further inputs, maps, codec, container and file.
 */
export async function encodePicture(plan: RenderPlan, masterPath: string, inputs: string[], rest: string[], options: RunOptions): Promise<Result<void>> {
  const seek = seekTo(plan.master, plan.source.from);
  const film = [...seek.args, ...inputArgs(masterPath)];
  const still = stillWindow(plan);
  if (still) {
    const run = await runFfmpeg([...film, ...inputs, '-map', `0:${plan.master.videoStream}`, '-vf', stillFilters(plan, seek.skipped, still), ...rest], options);
    return run.ok ? ok(undefined) : run;
  }
  const tools = await locateTools();
  if (!tools.ok) return tools;
  const { width, height } = plan.frame;
  const job: PictureJob = {
    plan, ffmpeg: tools.value.ffmpeg, cwd: options.cwd ?? process.cwd(), nice: options.nice ?? false,
    decode: [...quietly, ...film, '-map', `0:${plan.master.videoStream}`, '-vf', decodeFilters(plan, seek.skipped), '-fps_mode', 'passthrough', '-f', 'rawvideo', 'pipe:1'],
    encode: [...quietly, '-y', '-f', 'rawvideo', '-pix_fmt', 'yuv420p', '-s', `${width}x${height}`, '-r', `${plan.rate.num}/${plan.rate.den}`, '-color_primaries', 'bt709', '-color_trc', 'bt709', '-colorspace', 'bt709', '-color_range', 'tv', '-i', 'pipe:0', ...inputs, '-map', '0:0', ...rest],
  };
  return drawPictures(job, options);
}

/** Hands a picture job to a worker thread and waits for its end. */
async function drawPictures(job: PictureJob, { signal, onProgress, logFile }: RunOptions): Promise<Result<void>> {
  const end = await runWorker({
    file: workerFile, data: job, news: pictureNewsSchema, signal,
    onNews: ({ frames, speed }) => onProgress?.({ frames, seconds: (frames * job.plan.rate.den) / job.plan.rate.num, speed }),
  });
  if (logFile) await appendFile(logFile, `$ ffmpeg ${job.decode.join(' ')}\n$ ffmpeg ${job.encode.join(' ')}\n${end.stderr}\n`).catch(() => undefined);
  return end.ok ? ok(undefined) : { ok: false, problem: explainFailure(end.toolFailed ? end.stderr : '', end.exit) };
}
