import { parentPort, workerData } from 'node:worker_threads';
import { z } from 'zod';
import { loadDetector, type Detector } from './detector.ts';
import type { DetectNews } from './look-job.ts';

// Sees what is in single pictures; on a thread of its own, because a picture takes it more than half a second.

const { models } = z.object({ models: z.string() }).parse(workerData);
const tell = (news: DetectNews) => parentPort!.postMessage(news);
const why = (error: unknown) =>
  (error instanceof Error ? error.message : String(error)).split('\n')[0]!.slice(0, 200);

let detector: Detector | null = null;
try {
  detector = await loadDetector(models);
  tell({ kind: 'ready' });
} catch (error) {
  tell({ kind: 'missing', why: why(error) });
}

let last: Promise<void> = Promise.resolve();
parentPort!.on('message', (message: { frame: number; rgb: Uint8Array }) => {
  last = last.then(async () => {
    try {
      tell({ kind: 'seen', frame: message.frame, seen: await detector!.see(message.rgb) });
    } catch (error) {
      tell({ kind: 'failed', why: why(error) });
    }
  });
});
