import { parentPort } from 'node:worker_threads';
import { Cancelled, catching } from '../ffmpeg/run.ts';
import { soundJobSchema, type SoundNews } from './sound-job.ts';
import { compareSound } from './sound.ts';

// Compares one file's sound after the other with its master's, away from the thread that started this one.

const tell = (news: SoundNews) => parentPort!.postMessage(news);
let running = new AbortController();

async function compareOne(message: unknown): Promise<void> {
  running = new AbortController();
  try {
    const done = await catching(() => compareSound(soundJobSchema.parse(message), running.signal));
    tell({
      kind: 'ended',
      compared: done.ok ? done.value : null,
      problem: done.ok ? null : done.problem,
    });
  } catch (error) {
    // What else fails in it ends the thread, and whoever waits is told so.
    if (!(error instanceof Cancelled)) throw error;
    tell({ kind: 'ended', compared: null, problem: null });
  }
}

parentPort!.on('message', (message) => (message === 'stop' ? running.abort() : void compareOne(message)));
