import { parentPort, workerData } from 'node:worker_threads';
import * as z from 'zod';
import { loadDetector, type Detector } from './detector.ts';
import type { DetectNews } from './look-job.ts';
import { seePicture, whyOf, type PictureToSee } from './see-picture.ts';

// Sees what is in single pictures; on a thread of its own, because a picture takes it more than half a second.

const { models } = z.object({ models: z.string() }).parse(workerData);
const tell = (news: DetectNews) => parentPort!.postMessage(news);

let detector: Detector | null = null;
try {
  detector = await loadDetector(models);
  tell({ kind: 'ready' });
} catch (error) {
  tell({ kind: 'missing', why: whyOf(error) });
}

let last: Promise<void> = Promise.resolve();
parentPort!.on('message', ({ frame, ...picture }: PictureToSee & { frame: number }) => {
  last = last.then(async () => {
    tell(await seePicture(detector!, frame, picture));
  });
});
