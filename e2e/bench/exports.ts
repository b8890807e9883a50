import { rm } from 'node:fs/promises';
import { join } from 'node:path';
import { deliver } from '../../packages/media/src/index.ts';
import { median, planFor, tall, timed, type Bench } from './kit.ts';
import { plainTwoPass } from './sets.ts';

/** One export against the plain way to the same file. */
export async function exportRatio({ dir, pairs, say }: Bench, source: string): Promise<void> {
  const plan = await planFor(source, tall);
  const plain = () => plainTwoPass(plan, source, join(dir, 'plain'));
  const outPath = join(dir, 'ours.mp4');
  const ours = async () => {
    await rm(outPath, { force: true });
    const made = await deliver(plan, {
      masterPath: source,
      outPath,
      workDir: join(dir, 'work'),
    });
    if (!made.ok) throw new Error(made.problem.sentence);
  };
  const ratios: number[] = [];
  for (let i = 0; i < pairs; i++) {
    // In turn, the other one first each time, so that a machine that slows down favours neither.
    const early = i % 2 ? await timed(ours) : null;
    const p = await timed(plain);
    const o = early ?? (await timed(ours));
    ratios.push(o / p);
    say(`  pair ${i + 1}: ours ÷ plain ffmpeg = ${(o / p).toFixed(3)}`);
  }
  say(
    `export of 8 s, 1080p to 1080×1920, sound normalised and file measured ÷ plain two-pass ffmpeg without either: median ${median(ratios).toFixed(3)} (wanted: at most 1.00)`,
  );
}

/** A film whose window moves all the time against one that stands still: what the finer way of cutting costs. */
export async function movingRatio({ dir, say }: Bench, source: string): Promise<void> {
  const still = await planFor(source, tall);
  const moving = {
    ...still,
    framing: {
      version: 1 as const,
      stretches: [
        {
          from: 0,
          move: {
            kind: 'glide' as const,
            a: { x: 0.3, y: 0.5, zoom: 1 },
            b: { x: 0.7, y: 0.5, zoom: 1 },
            start: 0,
            end: still.frames - 1,
            ease: 'even' as const,
          },
        },
      ],
    },
  };
  const outPath = join(dir, 'moving.mp4');
  const run = (plan: typeof still) =>
    timed(async () => {
      await rm(outPath, { force: true });
      const made = await deliver(plan, {
        masterPath: source,
        outPath,
        workDir: join(dir, 'work'),
      });
      if (!made.ok) throw new Error(made.problem.sentence);
    });
  const held = await run(still);
  say(
    `export of 4 s with a window that moves at every frame ÷ the same with one that stands still: ${((await run(moving)) / held).toFixed(2)}`,
  );
}
