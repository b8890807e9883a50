import { readdir, readFile, rm } from 'node:fs/promises';
import { join } from 'node:path';
import { execa } from 'execa';
import { stillWindow, type Placement } from '../../packages/core/src/index.ts';
import { deliver } from '../../packages/media/src/index.ts';
import { containerArgs, pictureArgs } from '../../packages/media/src/render/encoders.ts';
import { stillFilters } from '../../packages/media/src/render/filters.ts';
import { fromStart } from '../../packages/media/src/render/way-in.ts';
import { peakMemory, planFor, tall, type Bench } from './kit.ts';

/** The encoders that this process started itself; others on the machine are not ours to count. */
async function ffmpegPids(): Promise<number[]> {
  const pids: number[] = [];
  for (const entry of await readdir('/proc')) {
    if (!/^\d+$/.test(entry)) continue;
    const status = await readFile(`/proc/${entry}/status`, 'utf8').catch(() => '');
    if (/^Name:\s+ffmpeg$/m.test(status) && Number(/^PPid:\s+(\d+)/m.exec(status)?.[1]) === process.pid)
      pids.push(Number(entry));
  }
  return pids;
}

/** Highest memory of the encoder while something runs. */
async function watchFfmpeg(work: () => Promise<unknown>): Promise<number> {
  let highest = 0;
  const timer = setInterval(
    () =>
      void (async () => {
        for (const pid of await ffmpegPids()) highest = Math.max(highest, await peakMemory(pid));
      })(),
    200,
  );
  await work();
  clearInterval(timer);
  return highest;
}

/** The encoder's memory for a long film against that for a short one, and against plain ffmpeg's. */
export async function exportMemory({ dir, say }: Bench, short: string, long: string): Promise<void> {
  const small: Placement = {
    ...tall,
    frame: { width: 270, height: 480 },
    video: { codec: 'h264', rate: { mode: 'quality', crf: 30 } },
    audio: null,
  };
  const run = async (source: string) => {
    const plan = await planFor(source, small);
    const outPath = join(dir, 'memory.mp4');
    await rm(outPath, { force: true });
    return watchFfmpeg(() =>
      deliver(plan, { masterPath: source, outPath, workDir: join(dir, 'work memory') }),
    );
  };
  const plan = await planFor(long, small);
  const [oursLong, ours] = [await run(long), await run(short)];
  const plain = await watchFfmpeg(() =>
    execa('ffmpeg', [
      '-v',
      'error',
      '-nostdin',
      '-y',
      '-i',
      long,
      '-map',
      '0:0',
      '-vf',
      stillFilters(plan, { kind: 'delivered', way: fromStart(plan.master) }, stillWindow(plan)!),
      ...pictureArgs(plan, 'only'),
      '-an',
      ...containerArgs(plan),
      join(dir, 'memory plain.mp4'),
    ]),
  );
  say(
    `the encoder’s memory for three minutes ÷ for 20 s: ${(oursLong / ours).toFixed(2)}; ÷ plain ffmpeg’s for three minutes: ${(oursLong / plain).toFixed(2)}`,
  );
}
