import { readdir, readFile, rm } from 'node:fs/promises';
import { join } from 'node:path';
import {
  keptLength,
  makePlan,
  heldFraming,
  type FrameSpan,
  type Placement,
} from '../../packages/core/src/index.ts';
import { countFrames, deliver, probeMaster } from '../../packages/media/src/index.ts';

/** Resident memory of this process and of everything that it started, bytes. */
async function treeMemory(): Promise<number> {
  const parents = new Map<number, number>();
  const resident = new Map<number, number>();
  for (const entry of await readdir('/proc')) {
    if (!/^\d+$/.test(entry)) continue;
    const status = await readFile(`/proc/${entry}/status`, 'utf8').catch(() => '');
    parents.set(Number(entry), Number(/^PPid:\s+(\d+)/m.exec(status)?.[1] ?? 0));
    resident.set(Number(entry), Number(/^VmRSS:\s+(\d+) kB/m.exec(status)?.[1] ?? 0) * 1024);
  }
  const ours = (pid: number): boolean =>
    pid === process.pid || (parents.has(pid) && parents.get(pid)! > 1 && ours(parents.get(pid)!));
  return [...resident].reduce((sum, [pid, bytes]) => (ours(pid) ? sum + bytes : sum), 0);
}

/** So many kept frames, as `count` spans spread evenly over the film. */
const spread = (count: number, kept: number, frames: number): FrameSpan[] => {
  const each = Math.floor(kept / count);
  return Array.from({ length: count }, (_, i) => {
    const from = Math.floor((i * frames) / count);
    return { from, to: from + each };
  });
};
/** Every other one first: each join is a long way. */
const scattered = (spans: readonly FrameSpan[]) => [
  ...spans.filter((_, i) => i % 2),
  ...spans.filter((_, i) => !(i % 2)).reverse(),
];

/** A cut of many spans of a ten-minute master against the same length kept in one span: time and memory. */
export async function cutsSpeed(
  dir: string,
  master: string,
  placement: Placement,
  say: (line: string) => void,
): Promise<void> {
  const quick = await probeMaster(master);
  const facts = quick.ok ? await countFrames(master, quick.value) : quick;
  if (!facts.ok) throw new Error(facts.problem.sentence);
  const { frames } = facts.value.video;
  const kept = 250;
  const run = async (spans: readonly FrameSpan[]) => {
    const { plan } = makePlan({
      facts: facts.value,
      sha256: '0'.repeat(64),
      placement,
      framing: heldFraming({ x: 0.4, y: 0.5, zoom: 1 }),
      kept: spans,
    });
    const outPath = join(dir, 'cut.mp4');
    await rm(outPath, { force: true });
    let peak = 0;
    const timer = setInterval(() => void treeMemory().then((m) => (peak = Math.max(peak, m))), 250);
    const started = performance.now();
    const made = await deliver(plan, {
      masterPath: master,
      outPath,
      workDir: join(dir, 'work cut'),
    });
    clearInterval(timer);
    if (!made.ok) throw new Error(made.problem.sentence);
    return { seconds: (performance.now() - started) / 1000, peak, frames: keptLength(spans) };
  };
  const one = [{ from: 6010, to: 6010 + kept }];
  const many = spread(10, kept, frames);
  // The one span is made before and after, so that a machine that slows down favours neither.
  const [before, inMany, mixed, after] = [
    await run(one),
    await run(many),
    await run(scattered(many)),
    await run(one),
  ];
  const whole = (before.seconds / before.frames + after.seconds / after.frames) / 2;
  const peak = (before.peak + after.peak) / 2;
  const line = (name: string, r: typeof inMany) =>
    say(
      `export of ${name} of one second each from a ten-minute master with a keyframe every two seconds ÷ the same length in one span (wanted: time at most 1.15): time ${(r.seconds / r.frames / whole).toFixed(2)}, memory ${(r.peak / peak).toFixed(2)}`,
    );
  line('10 spans', inMany);
  line('10 spans in a scattered order', mixed);
}
