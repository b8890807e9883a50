import { join } from 'node:path';
import { execa } from 'execa';
import {
  checkFile,
  heldFraming,
  makePlan,
  type CheckReport,
  type MasterFacts,
  type Placement,
  type RenderPlan,
} from '../../packages/core/src/index.ts';
import { examineFile, countFrames, deliver, heardIn, probeMaster } from '../../packages/media/src/index.ts';
import { plantedFaults } from '../../packages/media/src/testing/planted.ts';
import { photoFolder } from './photo-shots.ts';

/** Real footage, where it is installed: an animated film with cuts, and a street that a camera watches. */
const footage = ['Megamind.avi', 'vtest.avi'];
/** Frames of it that are delivered. */
const most = 300;

function placementFor(codec: Placement['video']['codec']): Placement {
  const isWeb = codec === 'vp9' || codec === 'av1';
  return {
    id: codec,
    name: codec,
    frame: { width: 540, height: 960 },
    container: isWeb ? 'webm' : 'mp4',
    video: { codec, rate: { mode: 'two-pass', targetKbps: 3500, maxKbps: 4000 }, keyframeSeconds: 2 },
    audio: {
      codec: isWeb ? 'opus' : 'aac',
      kbps: 128,
      sampleRate: 48000,
      channels: 2,
      loudness: { integratedLufs: -16, truePeakDbtp: -1.5 },
    },
  };
}

async function factsOf(path: string): Promise<MasterFacts> {
  const quick = await probeMaster(path);
  const counted = quick.ok ? await countFrames(path, quick.value) : quick;
  if (!counted.ok) throw new Error(counted.problem.sentence);
  return counted.value;
}

/** Real pictures with a noise that swells and falls, as a master. */
async function masterFrom(dir: string, folder: string, name: string): Promise<string> {
  const path = join(dir, `${name}.mp4`);
  await execa('ffmpeg', [
    ...['-v', 'error', '-y', '-i', join(folder, name)],
    ...['-f', 'lavfi', '-i', 'anoisesrc=c=pink:a=0.3:d=60:seed=2,tremolo=f=3:d=0.8'],
    ...['-map', '0:v:0', '-map', '1:a:0', '-t', '30', '-c:v', 'libx264', '-crf', '14', '-c:a', 'aac', path],
  ]);
  return path;
}

interface Made {
  path: string;
  plan: RenderPlan;
  placement: Placement;
  master: string;
  heard: boolean | null;
  seconds: number;
}

async function make(dir: string, master: string, codec: Placement['video']['codec']): Promise<Made> {
  const placement = placementFor(codec);
  const facts = await factsOf(master);
  const kept = [{ from: 0, to: Math.min(facts.video.frames, most) }];
  const { plan } = makePlan({ facts, sha256: '0'.repeat(64), placement, framing: heldFraming(), kept });
  const path = join(dir, `good ${codec} ${Date.now()}.${placement.container}`);
  const started = Date.now();
  const made = await deliver(plan, {
    masterPath: master,
    outPath: path,
    workDir: join(dir, 'work'),
    placement,
  });
  if (!made.ok) throw new Error(made.problem.sentence);
  const heard = await heardIn(plan, master);
  return {
    path,
    plan,
    placement,
    master,
    heard: heard.ok ? heard.value : null,
    seconds: (Date.now() - started) / 1000,
  };
}

async function check(path: string, { plan, placement, master, heard }: Made): Promise<CheckReport> {
  const examined = await examineFile(path, plan, master);
  if (!examined.ok) throw new Error(examined.problem.sentence);
  const { measured, compared } = examined.value;
  return checkFile({ plan, heard, alone: false }, measured, { placement, compared });
}

const failing = (report: CheckReport) => report.checks.filter((line) => !line.ok).map((line) => line.id);

/** Files with planted faults, and good files of every codec, from real footage: which lines of their reports tell. */
export async function plantedTable(dir: string, say: (line: string) => void): Promise<void> {
  const folder = photoFolder();
  if (!folder) return say('planted faults: no real footage is installed; nothing was measured');
  const masters = await Promise.all(footage.map((name) => masterFrom(dir, folder, name)));
  for (const [i, master] of masters.entries()) {
    for (const codec of ['hevc', 'vp9', 'av1'] as const) {
      const made = await make(dir, master, codec);
      say(
        `good file, ${codec}, ${footage[i]}: ${failing(await check(made.path, made)).join(', ') || 'nothing'}`,
      );
    }
    const good = await make(dir, master, 'h264');
    const started = Date.now();
    const clean = failing(await check(good.path, good));
    const share = (Date.now() - started) / 1000 / good.seconds;
    say(
      `good file, h264, ${footage[i]}: ${clean.join(', ') || 'nothing'}; its report took ${share.toFixed(2)} of its export`,
    );
    const other = masters[(i + 1) % masters.length]!;
    for (const { name, id, args } of plantedFaults({ good: good.path, plan: good.plan, master, other })) {
      const path = join(dir, `${name}.mp4`);
      await execa('ffmpeg', ['-v', 'error', '-y', ...args, path]);
      const told = failing(await check(path, good));
      const more = told.filter((line) => line !== id).join(', ');
      say(
        `${told.includes(id) ? 'found ' : 'MISSED'} ${id.padEnd(16)} ${name}${more ? ` (and ${more})` : ''}`,
      );
    }
  }
}
