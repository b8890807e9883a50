import { execa } from 'execa';
import { planMaster } from '../../packages/core/src/index.ts';
import { countFrames, findShots, probeMaster } from '../../packages/media/src/index.ts';
import { timed, type Bench } from './kit.ts';

/** Finding shots against the length of the film, of a demo-like film without grain and of a grainy one. */
export async function shotsSpeed({ say }: Bench, source: string, easy: string): Promise<void> {
  for (const [name, path] of [
    ['without grain', easy],
    ['with grain', source],
  ] as const) {
    const quick = await probeMaster(path);
    const facts = quick.ok ? await countFrames(path, quick.value) : quick;
    if (!facts.ok) throw new Error(facts.problem.sentence);
    const seconds = (facts.value.video.frames * facts.value.video.rate.den) / facts.value.video.rate.num;
    const took = await timed(
      async () => void (await findShots(path, facts.value, planMaster(facts.value, '0'.repeat(64)))),
    );
    const plain = await timed(() =>
      execa('ffmpeg', ['-v', 'error', '-nostdin', '-i', path, '-f', 'null', '-']),
    );
    say(
      `finding shots of a 1080p film ${name}: ${(seconds / took).toFixed(1)} × real time, ÷ the wanted 8: ${(seconds / took / 8).toFixed(2)}; its time ÷ that of plain decoding by ffmpeg: ${(took / plain).toFixed(2)}`,
    );
  }
}
