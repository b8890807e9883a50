import { parentPort, workerData } from 'node:worker_threads';
import { followDrawn, type LookPicture } from '@mivvy/core';
import { eachPiece, startChild } from '../workers/child.ts';
import { followJobSchema, type FollowNews } from './follow-job.ts';

// Follows a box that a person drew.

const job = followJobSchema.parse(workerData);
const decoder = startChild(job.ffmpeg, job.decode, { nice: false, stdin: 'ignore', stdout: 'pipe' });
const pictures: LookPicture[] = [];
await eachPiece(
  decoder.child.stdout!,
  job.size.width * job.size.height * 3,
  (bytes) => void pictures.push(Uint8Array.from(bytes)),
);
const code = await decoder.ended;
const places =
  pictures.length > job.at
    ? followDrawn(
        {
          from: job.from,
          step: job.step,
          to: job.to,
          pictures,
          size: job.size,
          perSecond: job.framesPerSecond / job.step,
        },
        job.at,
        job.box,
      )
    : [];
const news: FollowNews = { kind: 'ended', ok: code === 0, places, stderr: decoder.words() };
parentPort!.postMessage(news);
parentPort!.close();
