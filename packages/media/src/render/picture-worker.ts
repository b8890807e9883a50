import { once } from 'node:events';
import { PassThrough, pipeline } from 'node:stream';
import { parentPort, workerData } from 'node:worker_threads';
import { frameToSeconds, keptIndexAt, planLayout } from '@mivvy/core';
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
const resampler = job.drawn ? null : await Resampler.open(plan.master.displayed, chroma, plan.frame);
const common = { cwd: job.cwd, nice: job.nice };
const pieceBytes = resampler ? pictureBytes(plan.master.displayed, chroma) : pictureBytes(plan.frame, '420');
// Piped on at once: what a process has written before it ended is thrown away where nobody reads it yet.
const startDecoder = (args: string[]) => {
  const started = startChild(job.ffmpeg, args, { ...common, stdin: 'ignore', stdout: 'pipe' });
  // A process that breaks off says so itself, in its words and its exit code.
  return { ...started, pictures: pipeline(started.child.stdout!, new PassThrough(), () => undefined) };
};
// The span after the one that is being read is opened already: seeking costs no time of its own, and only two are open.
let decoder = startDecoder(job.decodes[0]!);
let following = job.decodes[1] ? startDecoder(job.decodes[1]) : null;
const encoder = startChild(job.ffmpeg, job.encode, { ...common, stdin: 'pipe', stdout: 'ignore' });
const into = encoder.child.stdin!;
let broken = false;
// An encoder that stops takes its pipe with it; its own words say why.
into.on('error', () => {
  broken = true;
  decoder.stop();
  following?.stop();
});

/** Delivered frames written, and pictures read. */
let frames = 0;
let read = 0;
const started = performance.now();
let told = started;
const write = async (drawn: Buffer) => {
  frames++;
  if (!into.destroyed && !into.write(drawn))
    await Promise.race([once(into, 'drain').catch(() => undefined), encoder.ended]);
  const now = performance.now();
  if (now - told > tellEvery) {
    told = now;
    tell({ kind: 'progress', frames, speed: frameToSeconds(frames, plan.rate) / ((now - started) / 1000) });
  }
};
/** The frame that could not be drawn by our fault, and why. After it nothing more is read or encoded. */
let fault: { frame: number; why: string } | undefined;
const draw = (picture: Uint8Array): Buffer | undefined => {
  try {
    return Buffer.from(resampler ? resampler.draw(picture, planLayout(plan, frames)) : picture);
  } catch (error) {
    fault = { frame: frames, why: error instanceof Error ? (error.stack ?? error.message) : String(error) };
    broken = true;
    decoder.stop();
    following?.stop();
    return undefined;
  }
};
/** True when the picture that was just read is what the next delivered frame shows. */
const isDue = () => frames < plan.frames && (job.comes === 'delivered' || keptIndexAt(plan, frames) === read);
const take = async (picture: Uint8Array) => {
  // A picture may be shown by several frames, or by none.
  while (!fault && isDue()) {
    const drawn = draw(picture);
    if (!drawn) return;
    await write(drawn);
    if (job.comes === 'delivered') break;
  }
  read++;
};
let decoded: number | null = 0;
let words = '';
for (let i = 0; i < job.decodes.length && decoded === 0 && !broken; i++) {
  await eachPiece(decoder.pictures, pieceBytes, take);
  decoded = await decoder.ended;
  words += decoder.words();
  if (!following) break;
  decoder = following;
  following = job.decodes[i + 2] ? startDecoder(job.decodes[i + 2]!) : null;
}
following?.stop();
into.end();
const encoded = await encoder.ended;
const exit =
  encoded !== 0
    ? `the encoder ended with ${encoded}`
    : decoded !== 0
      ? `reading the film ended with ${decoded}`
      : `${frames} of ${plan.frames} pictures could be read`;
tell({
  kind: 'ended',
  ok: decoded === 0 && encoded === 0 && frames === plan.frames,
  stderr: `${words}${encoder.words()}`,
  toolFailed: decoded !== 0 || encoded !== 0,
  exit,
  ...(fault ? { fault } : {}),
});
parentPort!.close();
