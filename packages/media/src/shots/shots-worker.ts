import { parentPort, workerData } from 'node:worker_threads';
import { ShotFinder, shotsOfJoins, thumbBytes } from '@mivvy/core';
import { eachPiece, startChild } from '../workers/child.ts';
import { shotsJobSchema, type ShotsNews } from './shots-job.ts';

// Looks at every picture of a film, small, and finds its shots.

const job = shotsJobSchema.parse(workerData);
const tell = (news: ShotsNews) => parentPort!.postMessage(news);

const decoder = startChild(job.ffmpeg, job.decode, { nice: true, stdin: 'ignore', stdout: 'pipe' });
const finder = new ShotFinder();
const kept: Uint8Array[] = [];
let frames = 0;
await eachPiece(decoder.child.stdout!, thumbBytes, (thumb) => {
  finder.push(thumb);
  if (frames % job.looksEvery === 0) kept.push(Uint8Array.from(thumb));
  if (++frames % 100 === 0) tell({ kind: 'progress', fraction: Math.min(1, frames / job.frames) });
});
const code = await decoder.ended;
const looks = new Uint8Array(kept.length * thumbBytes);
kept.forEach((thumb, i) => looks.set(thumb, i * thumbBytes));
const shots =
  frames > 0
    ? shotsOfJoins(finder.finish(), Math.min(frames, job.frames), { every: job.looksEvery, data: looks })
    : null;
tell({ kind: 'ended', ok: code === 0 && shots !== null, shots, looks, stderr: decoder.words() });
parentPort!.close();
