import { parentPort } from 'node:worker_threads';
import { compareJobSchema, type CompareNews } from './compare-job.ts';
import { comparePictures } from './compare-pictures.ts';

// Compares one file after the other with its master, away from the thread that started this one.

const tell = (news: CompareNews) => parentPort!.postMessage(news);

async function compareOne(message: unknown): Promise<void> {
  const compared = await comparePictures(compareJobSchema.parse(message), (fraction) =>
    tell({ kind: 'progress', fraction }),
  );
  tell({ kind: 'ended', ...compared });
}

// What fails in it ends the thread, and whoever waits is told so.
parentPort!.on('message', (message) => (message === 'stop' ? undefined : void compareOne(message)));
