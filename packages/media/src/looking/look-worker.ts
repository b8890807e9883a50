import { parentPort, workerData } from 'node:worker_threads';
import { lookAtShot, stitchLooks, type LookPicture, type ShotLook, type Sight } from '@mivvy/core';
import { eachPiece, startChild } from '../workers/child.ts';
import { startWorker } from '../workers/run-worker.ts';
import type { Seen } from './detector-picture.ts';
import { detectNewsSchema, lookJobSchema, type LookNews } from './look-job.ts';

// Looks at a film shot by shot: pictures come small from one decoding, the detector sees some of them large.

const job = lookJobSchema.parse(workerData);
const tell = (news: LookNews) => parentPort!.postMessage(news);
/** A long shot is looked at in pieces of so many pictures, so that memory stays flat. */
const mostPictures = 500;
/** So many large pictures wait for the detector at most; then the decoding waits as well. */
const mostWaiting = 4;

/** Ends the decoding, once that has begun. */
let stopDecoding = () => undefined as void;
// Told to stop, it ends at once, whatever it waits for: the detector's models, or sights of pictures that never come.
parentPort!.on('message', () => {
  stopDecoding();
  process.exit(0);
});

const seen = new Map<number, Seen[]>();
let waiting = 0;
let wake: (() => void)[] = [];
const woken = () => new Promise<void>((resolve) => wake.push(resolve));
const wakeAll = () => {
  const all = wake;
  wake = [];
  all.forEach((go) => go());
};

let done = false;
let detecting = job.models !== null;
const detector =
  job.models === null
    ? null
    : await startWorker(new URL('./detect-worker.ts', import.meta.url), { models: job.models });
const withoutDetector = (what: string) => {
  if (!detecting) return;
  detecting = false;
  tell({
    kind: 'detector',
    note: {
      kind: 'missing',
      sentence: `The detector ${what}; from there on subjects were found by movement, colour and contrast alone.`,
    },
  });
  wakeAll();
};
if (!detector) tell({ kind: 'detector', note: { kind: 'off' } });
const ready = new Promise<void>((resolve) => {
  if (!detector) return resolve();
  detector.on('message', (message) => {
    const news = detectNewsSchema.parse(message);
    if (news.kind === 'ready') {
      tell({ kind: 'detector', note: { kind: 'used' } });
      resolve();
    } else if (news.kind === 'missing') {
      withoutDetector(`could not be loaded (${news.why})`);
      resolve();
    } else if (news.kind === 'failed') {
      // What it could not look at is not the same as nothing seen.
      withoutDetector(`failed on a picture (${news.why})`);
    } else {
      waiting--;
      seen.set(news.frame, news.seen);
      wakeAll();
    }
  });
  // A thread that dies leaves the rest to movement, colour and contrast.
  detector.on('error', (error) => {
    withoutDetector(`died (${error.message})`);
    resolve();
  });
  detector.on('exit', () => {
    if (done) return;
    withoutDetector('ended before it had looked');
    resolve();
  });
});
await ready;

const decoder = startChild(job.ffmpeg, job.decode, {
  nice: true,
  stdin: 'ignore',
  stdout: 'pipe',
  ...(job.models === null ? {} : { more: 'pipe' as const }),
});
const closerAt = new Set(job.closerAt);
stopDecoding = decoder.stop;
let fed = 0;
const large = decoder.child.stdio[3] as unknown as AsyncIterable<Buffer> | undefined;
const feeding = large
  ? eachPiece(large, job.large.width * job.large.height * 3, async (rgb) => {
      const frame = job.detectAt[fed++]!;
      while (detecting && waiting >= mostWaiting) await woken();
      if (!detecting) return;
      waiting++;
      detector!.postMessage({
        frame,
        rgb: Uint8Array.from(rgb),
        size: job.picture,
        closer: closerAt.has(frame),
      });
    })
  : Promise.resolve();

/** What the detector saw of a piece of a shot, once it has looked at all of it. */
async function sightsOf(first: number, count: number): Promise<Sight[]> {
  const last = first + count * job.step;
  const wanted = job.detectAt.filter((f) => f >= first && f < last);
  while (detecting && wanted.some((f) => !seen.has(f))) await woken();
  const sights = wanted.flatMap((frame) =>
    (seen.get(frame) ?? []).map((s): Sight => ({
      at: Math.min(count - 1, Math.round((frame - first) / job.step)),
      kind: s.kind,
      what: s.what,
      score: s.score,
      closer: s.closer,
      turned: s.turned,
      box: {
        x: s.x * job.size.width,
        y: s.y * job.size.height,
        width: s.width * job.size.width,
        height: s.height * job.size.height,
      },
    })),
  );
  wanted.forEach((f) => seen.delete(f));
  return sights;
}

let shot = 0;
let pieces: ShotLook[] = [];
let pictures: LookPicture[] = [];
let firstFrame = 0;
/** Pieces are looked at one after the other while the decoding goes on; only so many wait. */
let looking: Promise<void> = Promise.resolve();
let piecesWaiting = 0;

async function lookAtPiece(
  span: { from: number; to: number },
  first: number,
  all: LookPicture[],
  index: number,
  piece: number,
  ends: boolean,
): Promise<void> {
  const sights = await sightsOf(first, all.length);
  pieces.push(
    lookAtShot(
      {
        from: first,
        step: job.step,
        to: ends ? span.to : first + (all.length - 1) * job.step,
        pictures: all,
        size: job.size,
        perSecond: job.framesPerSecond / job.step,
      },
      sights,
      `s${index + 1}${piece ? `p${piece + 1}` : ''}t`,
    ),
  );
  piecesWaiting--;
  wakeAll();
  if (!ends) return;
  tell({ kind: 'shot', look: { ...stitchLooks(pieces), from: span.from, to: span.to } });
  pieces = [];
}

let piece = 0;
function close(ends: boolean): void {
  const [span, first, all, index, number] = [job.shots[shot]!, firstFrame, pictures, shot, piece];
  piecesWaiting++;
  looking = looking.then(() => lookAtPiece(span, first, all, index, number, ends));
  pictures = ends ? [] : [all.at(-1)!];
  firstFrame = first + (all.length - 1) * job.step;
  piece = ends ? 0 : piece + 1;
}

let frame = 0;
await eachPiece(decoder.child.stdout!, job.size.width * job.size.height * 3, async (bytes) => {
  while (shot + 1 < job.shots.length && frame >= job.shots[shot]!.to) {
    close(true);
    shot++;
  }
  if (!pictures.length) firstFrame = frame;
  pictures.push(Uint8Array.from(bytes));
  frame += job.step;
  if (pictures.length >= mostPictures && frame < job.shots[shot]!.to) close(false);
  // The looking sets the pace: what has been decoded ahead of it stays small.
  while (piecesWaiting > 3) await woken();
});
close(true);
const code = await decoder.ended;
await feeding;
await looking;
done = true;
await detector?.terminate();
tell({ kind: 'ended', ok: code === 0, stderr: decoder.words() });
parentPort!.close();
