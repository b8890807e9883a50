import { isDeepStrictEqual } from 'node:util';
import { parentPort } from 'node:worker_threads';
import { judgeOf, type Films } from '@mivvy/core';
import { judgeJobSchema } from './judge-job.ts';

// Judges one picture after the other, away from the thread that reads the decoders: they wait for that one.

let last: { films: Films; judge: ReturnType<typeof judgeOf> } | null = null;

// What fails in it ends the thread, and whoever waits is told so.
parentPort!.on('message', (message) => {
  const { films, sample } = judgeJobSchema.parse(message);
  if (!last || !isDeepStrictEqual(last.films, films)) last = { films, judge: judgeOf(films) };
  parentPort!.postMessage(last.judge(sample));
});
