import { parentPort, workerData } from 'node:worker_threads';
import { DifferenceFinder, otherPicture, type FrameSpan } from '@mivvy/core';
import { piecesOf, startChild } from '../workers/child.ts';
import { matchJobSchema, type MatchNews } from './match-job.ts';

// Decodes two films side by side, small, and finds where their pictures are not the same.

const job = matchJobSchema.parse(workerData);
const tell = (news: MatchNews) => parentPort!.postMessage(news);

const start = (decode: string[]) =>
  startChild(job.ffmpeg, decode, { nice: true, stdin: 'ignore', stdout: 'pipe' });
const decoders = [start(job.film), start(job.textless)] as const;
const bytes = job.size.width * job.size.height * 3;
const [film, textless] = decoders.map(({ child }) => piecesOf(child.stdout!, bytes));

const finder = new DifferenceFinder(job.size);
const others: FrameSpan[] = [];
let frames = 0;
for (;;) {
  const [one, other] = await Promise.all([film!.next(), textless!.next()]);
  if (one.done || other.done) break;
  if (finder.push(one.value, other.value) >= otherPicture) {
    const last = others.at(-1);
    if (last?.to === frames) last.to++;
    else others.push({ from: frames, to: frames + 1 });
  }
  if (++frames % 100 === 0) tell({ kind: 'progress', fraction: Math.min(1, frames / job.frames) });
}
for (const decoder of decoders) decoder.stop();
await Promise.all(decoders.map((decoder) => decoder.ended));
tell({
  kind: 'ended',
  frames,
  differs: finder.finish(),
  others,
  stderr: decoders.map((decoder) => decoder.words()).join(''),
});
parentPort!.close();
