import { once } from 'node:events';
import { parentPort, workerData } from 'node:worker_threads';
import { frameToSeconds, planLayout } from '@mivvy/core';
import { eachPiece, startChild } from '../workers/child.ts';
import { pictureJobSchema, type PictureNews } from './picture-job.ts';
import { pictureBytes, Resampler } from './resampler.ts';

// Decodes a plan's frames, draws each as the plan lays it out, and feeds the encoder. All of it happens here, so that
// the thread that started this one stays free.

/** How often progress is told, milliseconds. */
const tellEvery = 250;

const job = pictureJobSchema.parse(workerData);
const { plan } = job;
const tell = (news: PictureNews) => parentPort!.postMessage(news);

const odd = plan.master.displayed.width % 2 !== 0 || plan.master.displayed.height % 2 !== 0;
const chroma = odd ? '444' : '420';
const resampler = await Resampler.open(plan.master.displayed, chroma, plan.frame);
const common = { cwd: job.cwd, nice: job.nice };
const decoder = startChild(job.ffmpeg, job.decode, { ...common, stdin: 'ignore', stdout: 'pipe' });
const encoder = startChild(job.ffmpeg, job.encode, { ...common, stdin: 'pipe', stdout: 'ignore' });
const into = encoder.child.stdin!;
// An encoder that stops takes its pipe with it; its own words say why.
into.on('error', () => decoder.child.kill('SIGKILL'));

let frames = 0;
const started = performance.now();
let told = started;
await eachPiece(decoder.child.stdout!, pictureBytes(plan.master.displayed, chroma), async (picture) => {
  if (frames >= plan.frames) return;
  const drawn = Buffer.from(resampler.draw(picture, planLayout(plan, frames++)));
  if (!into.destroyed && !into.write(drawn)) await Promise.race([once(into, 'drain').catch(() => undefined), encoder.ended]);
  const now = performance.now();
  if (now - told > tellEvery) {
    told = now;
    tell({ kind: 'progress', frames, speed: frameToSeconds(frames, plan.rate) / ((now - started) / 1000) });
  }
});
const decoded = await decoder.ended;
into.end();
const encoded = await encoder.ended;
const exit = encoded !== 0 ? `the encoder ended with ${encoded}` : decoded !== 0 ? `reading the film ended with ${decoded}` : `${frames} of ${plan.frames} pictures could be read`;
tell({ kind: 'ended', ok: decoded === 0 && encoded === 0 && frames === plan.frames, stderr: `${decoder.words()}${encoder.words()}`, toolFailed: decoded !== 0 || encoded !== 0, exit });
parentPort!.close();
