import { mkdtemp, rm } from 'node:fs/promises';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import {
  compareSoundRate,
  frameToSeconds,
  median,
  monoOf,
  nearestFrame,
  planSeconds,
  soundFaults,
  soundOffsets,
  type Comparison,
  type RenderPlan,
  type Sound,
  type SoundFault,
  type SoundOffset,
} from '@mivvy/core';
import { inputArgs, must, runFfmpegToMemory } from '../ffmpeg/run.ts';
import { soundFrom } from '../render/filters.ts';
import { cutSound } from '../render/cut-sound.ts';
import type { ComparedSound, SoundJob } from './sound-job.ts';

/** Below this no piece of a file's sound is the master's, correlation. */
const leastAlike = 0.35;
/** Below this half of its pieces are the master's made over: in another pitch, for one. Coders leave more than 0.9. */
const madeOver = 0.6;

/** Arguments that read a sound in the rate in which sounds are compared, from a time of its file on. */
const soundArgs = (
  path: string,
  stream: number,
  start: number,
  format: string,
  layout: string,
  as: string,
) => [
  ...inputArgs(path),
  '-map',
  `0:${stream}`,
  '-af',
  [
    ...soundFrom(start),
    `aresample=${compareSoundRate}:async=1:first_pts=0`,
    `aformat=sample_fmts=${format}:channel_layouts=${layout}`,
  ].join(','),
  '-f',
  as,
  'pipe:1',
];

/** Reads a sound, mono, in the rate in which sounds are compared, from a time of its file on. */
export async function readSound(
  path: string,
  stream: number,
  start: number,
  signal?: AbortSignal,
): Promise<Float32Array> {
  const bytes = must(
    await runFfmpegToMemory(soundArgs(path, stream, start, 'flt', 'mono', 'f32le'), { signal }),
  );
  return new Float32Array(bytes.buffer, bytes.byteOffset, bytes.length >> 2);
}

/** The same in its channels: 16 bits, so that a long film's two channels take no more room than one did. */
async function readChannels(
  path: string,
  stream: number,
  start: number,
  channels: 1 | 2,
  signal?: AbortSignal,
): Promise<Sound> {
  const layout = channels === 1 ? 'mono' : 'stereo';
  const bytes = must(
    await runFfmpegToMemory(soundArgs(path, stream, start, 's16', layout, 's16le'), { signal }),
  );
  return { channels, samples: new Int16Array(bytes.buffer, bytes.byteOffset, bytes.length >> 1) };
}

/** The master's sound as the plan plays it. */
async function plannedSound(
  plan: RenderPlan,
  path: string,
  channels: 1 | 2,
  signal?: AbortSignal,
): Promise<Sound> {
  const audio = plan.audio!;
  if (plan.pace.num !== plan.pace.den) {
    const work = await mkdtemp(join(tmpdir(), 'mivvy-sound-'));
    try {
      const cut = join(work, 'cut.wav');
      must(await cutSound(plan, audio, cut, { masterPath: path, workDir: work, signal }));
      return await readChannels(cut, 0, 0, channels, signal);
    } finally {
      await rm(work, { recursive: true, force: true });
    }
  }
  // Not by the renderer's way: the film's sound whole, and what is kept of it by arithmetic.
  const whole = await readChannels(path, audio.stream, plan.master.videoStartSeconds, channels, signal);
  const at = (frame: number) =>
    Math.round(frameToSeconds(frame, plan.master.rate) * compareSoundRate) * channels;
  const length = plan.kept.reduce((sum, { from, to }) => sum + at(to) - at(from), 0);
  const joined = new Int16Array(length);
  let filled = 0;
  for (const { from, to } of plan.kept) {
    joined.set(whole.samples.subarray(at(from), at(to)), filled);
    filled += at(to) - at(from);
  }
  return { channels, samples: joined };
}

/** A sound that is heard in its channels may be none as one: those cancel each other. */
const inStep = { late: 0, alike: 1, sound: null };

/** Compares a file's sound with its master's. */
export async function compareSound(
  { plan, masterPath, file }: SoundJob,
  signal?: AbortSignal,
): Promise<ComparedSound> {
  if (!plan.audio) return { sound: null };
  const channels = plan.audio.channels === 1 ? 1 : 2;
  const [own, planned] = await Promise.all([
    readChannels(file.path, file.stream, file.start, channels, signal),
    plannedSound(plan, masterPath, channels, signal),
  ]);
  const frameOf = (seconds: number) =>
    Math.max(0, Math.min(plan.frames - 1, nearestFrame(seconds, plan.rate)));
  const mono = { file: monoOf(own), master: monoOf(planned) };
  const place = placeOf(plan, soundOffsets(mono.file, mono.master), frameOf) ?? inStep;
  if (place === 'unlike') return { sound: null };
  const { late, alike, sound } = place;
  const told = (faults: readonly SoundFault[]) =>
    faults.map(({ kind, from, to, channel }) => ({
      kind,
      span: { from: frameOf(from), to: Math.max(frameOf(from), frameOf(to)) + 1 },
      seconds: Number((to - from).toFixed(2)),
      ...(channel === undefined || channels === 1 ? {} : { channel }),
    }));
  const faults = soundFaults(own, planned, sound?.found === false ? 0 : late, mono).filter(
    (fault) => !isInFade(plan, fault),
  );
  if (alike >= madeOver || plan.pace.num !== plan.pace.den) return { sound, otherSound: told(faults) };
  // Channels that cancel each other are another sound, or none, when they are heard as one.
  const turned = faults.filter(({ kind }) => kind === 'turned');
  if (turned.length) return { sound: null, otherSound: told(turned) };
  if (sound && !sound.found) return { sound };
  const all = { from: 0, to: plan.frames };
  return { sound, otherSound: [{ kind: 'unlike', span: all, seconds: planSeconds(plan) }] };
}

/** As much beside a fade, seconds, belongs to it. */
const besideFade = 0.1;

/** Whether something lies in the fade across a join, which is not drawn into what the master's sound should be. */
function isInFade({ kept, audio, master }: RenderPlan, { from, to }: SoundFault): boolean {
  const reach = audio!.joinMs / 2000 + besideFade;
  let join = 0;
  return kept.slice(0, -1).some((span) => {
    join += frameToSeconds(span.to - span.from, master.rate);
    return from >= join - reach && to <= join + reach;
  });
}

/** Where a sound stands by what was found in its pieces; null where nothing is heard, `unlike` where nothing can be told. */
function placeOf(
  plan: RenderPlan,
  pieces: readonly SoundOffset[],
  frameOf: (seconds: number) => number,
): { late: number; alike: number; sound: NonNullable<Comparison['sound']> } | 'unlike' | null {
  if (!pieces.length) return null;
  const best = pieces.reduce((a, b) => (b.alike > a.alike ? b : a));
  if (best.alike < leastAlike) {
    // A pace may be made in many ways, and then what is heard is the same and its waves are not.
    if (plan.pace.num !== plan.pace.den) return 'unlike';
    return { late: 0, alike: best.alike, sound: { seconds: 0, at: frameOf(best.at), found: false } };
  }
  const heard = pieces.filter((p) => p.alike >= Math.max(leastAlike, best.alike * 0.6));
  const worst = heard.reduce((a, b) => (Math.abs(b.seconds) > Math.abs(a.seconds) ? b : a));
  const alike = median(pieces.map((piece) => piece.alike))!;
  return { late: best.seconds, alike, sound: { seconds: worst.seconds, at: frameOf(worst.at), found: true } };
}
