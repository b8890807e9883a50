import { mkdir, rm } from 'node:fs/promises';
import { join } from 'node:path';
import { execa } from 'execa';
import {
  heldFraming,
  makePlan,
  stillWindow,
  type Framing,
  type MasterFacts,
  type Placement,
  type RenderPlan,
} from '../../packages/core/src/index.ts';
import { DecodedFilms, deliver, SoundShelf } from '../../packages/media/src/index.ts';
import { containerArgs, pictureArgs } from '../../packages/media/src/render/encoders.ts';
import { stillFilters } from '../../packages/media/src/render/filters.ts';
import { fromStart } from '../../packages/media/src/render/way-in.ts';

/** The plain way to make a plan's file: two passes of ffmpeg, its sound coded as it is, nothing measured. */
export async function plainTwoPass(plan: RenderPlan, source: string, work: string): Promise<void> {
  await mkdir(work, { recursive: true });
  const filters = stillFilters(plan, { kind: 'delivered', way: fromStart(plan.master) }, stillWindow(plan)!);
  const input = ['-v', 'error', '-nostdin', '-y', '-i', source, '-map', '0:0', '-vf', filters];
  await execa('ffmpeg', [...input, ...pictureArgs(plan, 1), '-an', '-f', 'null', '-'], { cwd: work });
  const sound = ['-map', '0:1', '-c:a', 'aac', '-b:a', '128k'];
  await execa('ffmpeg', [...input, ...pictureArgs(plan, 2), ...sound, ...containerArgs(plan), 'out.mp4'], {
    cwd: work,
  });
}

const shapes = [
  { name: '9:16', width: 1080, height: 1920 },
  { name: '4:5', width: 1080, height: 1350 },
  { name: '1:1', width: 1080, height: 1080 },
  { name: '16:9', width: 1920, height: 1080 },
  { name: '2:3', width: 1000, height: 1500 },
];

interface SetRun {
  /** Every window of ours moves at every frame; those of the plain way stand still, for a plain crop knows no better. */
  moving: boolean;
  dir: string;
  source: string;
  facts: MasterFacts;
  /** A placement whose rate and sound all five have. */
  like: Placement;
  timed: (work: () => Promise<unknown>) => Promise<number>;
  say: (words: string) => void;
}

/** A window that goes across a film from its first frame to its last, and a little closer. */
const across = (frames: number): Framing => ({
  version: 1,
  stretches: [
    {
      from: 0,
      move: {
        kind: 'glide',
        a: { x: 0.3, y: 0.5, zoom: 1 },
        b: { x: 0.7, y: 0.5, zoom: 1.1 },
        start: 0,
        end: frames - 1,
        ease: 'even',
      },
    },
  ],
});

/** Five versions of one film, against the plain way to the same five; what their reports take of the time. */
export async function setRatio({ moving, dir, source, facts, like, timed, say }: SetRun): Promise<void> {
  const held = heldFraming({ x: 0.4, y: 0.5, zoom: 1 });
  const plansWith = (framing: Framing) =>
    shapes.map(({ width, height }) => {
      const placement = { ...like, frame: { width, height } };
      return makePlan({ facts, sha256: '0'.repeat(64), placement, framing }).plan;
    });
  const plainPlans = plansWith(held);
  const plans = moving ? plansWith(across(facts.video.frames)) : plainPlans;
  const outPath = join(dir, 'one of five.mp4');
  const sounds = new SoundShelf();
  const films = new DecodedFilms(join(dir, 'decoded'));
  let [ours, plain, reports] = [0, 0, 0];
  // One by one in turns, so that a machine that is slower for some minutes is so for both.
  for (const [i, plan] of plans.entries()) {
    await rm(outPath, { force: true });
    let measuring = 0;
    const onProgress = ({ stage }: { stage: string }) => {
      if (stage === 'measure') measuring ||= performance.now();
    };
    const decoded = { films, wanted: () => i < plans.length - 1 };
    const options = { masterPath: source, outPath, workDir: join(dir, 'work'), sounds, decoded, onProgress };
    ours += await timed(async () => {
      const made = await deliver(plan, options);
      if (!made.ok) throw new Error(made.problem.sentence);
    });
    reports += (performance.now() - measuring) / 1000;
    plain += await timed(() => plainTwoPass(plainPlans[i]!, source, join(dir, 'plain')));
  }
  say(
    `five versions of one film${moving ? ', their windows moving' : ''}, reports included ÷ five times plain two-pass ffmpeg: ${(ours / plain).toFixed(3)} (limit of ours ${moving ? '1.05' : '0.90'}); the reports’ share of it: ${(reports / ours).toFixed(3)} (limit of ours 0.20)`,
  );
}
