import { correlate } from './correlate.ts';
import { compareSoundRate } from './sound-offset.ts';

/** A sound at {@link compareSoundRate}, 16 bits, its one or two channels in turn. */
export interface Sound {
  channels: number;
  samples: Int16Array;
}

/**
 * `gap`: silent where the master is heard; `other`: something is heard that the master has not; `turned`: one channel's
 * waves are upside down beside the other's; `exchanged`: left is right; `narrowed`: both are the same where the master's
 * are not.
 */
export const soundFaultKinds = ['gap', 'other', 'turned', 'exchanged', 'narrowed'] as const;

/** What of a file's sound is not the master's. */
export interface SoundFault {
  kind: (typeof soundFaultKinds)[number];
  /** Seconds. */
  from: number;
  to: number;
  /** The one that it is about, where the others are not; 0 left, 1 right. */
  channel?: number;
}

/** Loudness is taken of pieces of so many seconds. */
const pieceSeconds = 0.01;
/** What is in step to within so many pieces either way is no gap: two sounds may lie 40 ms apart. */
const slack = 4;
/** Quieter than this, decibels below full scale, nothing counts as heard. */
const heardFrom = -45;
/** What is so many decibels below what the master leads one to expect is a gap; above, something else. */
const apartBy = 20;
/** Both have to be louder than this where it is measured how much louder the file is than its master. */
const comparable = -50;
/** So many pieces of a channel tell that. */
const askedForGain = 10_000;
/** Faults so near to each other are one, seconds. */
const together = 0.3;

/** Stretches in which channels are held against each other: how long, how many at most, and how far around, seconds. */
const stretchSeconds = 1;
const mostStretches = 8;
const reachSeconds = 0.012;
/** A channel is like another with this correlation, upside down from so much more on, and certainly the same one. */
const alike = 0.6;
const clearly = 0.2;
const certainly = 0.95;
/** It is more like one than another when it is so many times less unlike it. */
const muchMore = 4;
/** What sets two channels apart is heard from so many decibels below what they share on, and is lost when so much is missing. */
const setApart = -15;
const lostFrom = 20;

/** Waves are held against each other in windows of so many seconds; so many in a row that are unlike are another sound. */
const windowSeconds = 0.25;
const leastWindows = 2;
/** Of a window that is heard, root of the mean square, the waves are the master's from this correlation on. */
const windowHeard = 0.01;
const windowAlike = 0.3;
/** Where half of all windows are no more alike than this, waves tell nothing: the two lie a little apart all along. */
const waveAlike = 0.9;
/** As far around, seconds, the same waves are looked for before they are called others: what is late is no other sound. */
const lateReach = 0.5;

/** All channels as one. */
export function monoOf({ channels, samples }: Sound): Float32Array {
  const mono = new Float32Array(Math.floor(samples.length / channels));
  for (let i = 0; i < mono.length; i++) {
    let sum = 0;
    for (let c = 0; c < channels; c++) sum += samples[i * channels + c]!;
    mono[i] = sum / channels / 32768;
  }
  return mono;
}

/** How loud each piece of a channel is, decibels below full scale (root of the mean square). */
function levelsOf({ channels, samples }: Sound, channel: number): Float32Array {
  const piece = Math.round(pieceSeconds * compareSoundRate);
  const levels = new Float32Array(Math.floor(samples.length / channels / piece));
  for (let w = 0; w < levels.length; w++) {
    let sum = 0;
    for (let i = w * piece; i < (w + 1) * piece; i++) {
      const sample = samples[i * channels + channel]!;
      sum += sample * sample;
    }
    levels[w] = 10 * Math.log10(sum / piece / 32768 ** 2 + 1e-10);
  }
  return levels;
}

/** How much louder a file is than its master, decibels: where most of it lies. Null where nothing is heard in both. */
function gainOf(file: readonly Float32Array[], master: readonly Float32Array[]): number | null {
  const gains: number[] = [];
  file.forEach((levels, c) => {
    const every = Math.max(1, Math.floor(levels.length / askedForGain));
    for (let w = 0; w < levels.length; w += every) {
      const planned = master[c]![w] ?? -Infinity;
      if (levels[w]! > comparable && planned > comparable) gains.push(levels[w]! - planned);
    }
  });
  return gains.length ? gains.sort((a, b) => a - b)[gains.length >> 1]! : null;
}

/** The quietest and the loudest of the pieces around one. */
function around(levels: Float32Array, w: number): { least: number; most: number } {
  let [least, most] = [Infinity, -Infinity];
  for (let i = Math.max(0, w - slack); i <= Math.min(levels.length - 1, w + slack); i++) {
    least = Math.min(least, levels[i]!);
    most = Math.max(most, levels[i]!);
  }
  return { least, most };
}

/** Gaps in one channel, and what is heard in it besides. */
function loudnessFaults(
  file: Float32Array,
  master: Float32Array,
  gain: number,
  channel: number,
): SoundFault[] {
  const faults: SoundFault[] = [];
  const see = (kind: SoundFault['kind'], w: number) => {
    const [from, to] = [w * pieceSeconds, (w + 1) * pieceSeconds];
    const last = faults.findLast((fault) => fault.kind === kind);
    if (last && from - last.to <= together) last.to = to;
    else faults.push({ kind, from, to, channel });
  };
  for (let w = 0; w < Math.min(file.length, master.length); w++) {
    const [own, planned] = [around(file, w), around(master, w)];
    if (planned.least + gain > heardFrom && own.most < planned.least + gain - apartBy) see('gap', w);
    if (own.least > heardFrom && own.least > planned.most + gain + apartBy) see('other', w);
  }
  // What was seen lies so far inside what is.
  const wider = slack * pieceSeconds;
  return faults.map((f) => ({ ...f, from: Math.max(0, f.from - wider), to: f.to + wider }));
}

/** One channel of a sound. */
interface Channel {
  sound: Sound;
  channel: number;
}

/**
 * How a stretch of one channel goes with another's around the same place: the highest and the lowest correlation.
 *
 * @param by where that place is, samples later than in the first
 */
function likeness(
  { sound: a, channel: ca }: Channel,
  { sound: b, channel: cb }: Channel,
  { start, length, by }: { start: number; length: number; by: number },
) {
  const reach = Math.round(reachSeconds * compareSoundRate);
  let [most, least] = [-1, 1];
  for (let lag = by - reach; lag <= by + reach; lag++) {
    let [aa, bb, ab] = [0, 0, 0];
    for (let i = start; i < start + length; i++) {
      const p = a.samples[i * a.channels + ca]!;
      const q = b.samples[(i + lag) * b.channels + cb] ?? 0;
      aa += p * p;
      bb += q * q;
      ab += p * q;
    }
    const r = aa && bb ? ab / Math.sqrt(aa * bb) : 0;
    most = Math.max(most, r);
    least = Math.min(least, r);
  }
  return { most, least };
}

/** Channels that are upside down or in each other's place, by some stretches of both sounds. */
function channelFaults(file: Sound, master: Sound, late: number): SoundFault[] {
  if (file.channels !== 2 || master.channels !== 2) return [];
  const whole = Math.min(file.samples.length, master.samples.length) >> 1;
  const length = Math.min(Math.round(stretchSeconds * compareSoundRate), whole);
  const count = Math.max(1, Math.min(mostStretches, Math.floor(whole / Math.max(1, length))));
  const starts = Array.from({ length: count }, (_, i) =>
    Math.round(count === 1 ? 0 : ((whole - length) * i) / (count - 1)),
  );
  const mean = (values: number[]) => values.reduce((sum, v) => sum + v, 0) / values.length;
  const over = (own: number, planned: number) => {
    const each = starts.map((start) =>
      likeness(
        { sound: file, channel: own },
        { sound: master, channel: planned },
        { start, length, by: -Math.round(late * compareSoundRate) },
      ),
    );
    return { most: mean(each.map((e) => e.most)), least: mean(each.map((e) => e.least)) };
  };
  const [left, right] = [over(0, 0), over(1, 1)];
  const all = { from: 0, to: whole / compareSoundRate };
  const narrowed: SoundFault[] = isNarrowed(file, master) ? [{ kind: 'narrowed', ...all }] : [];
  if (Math.min(left.most, right.most) > certainly) return narrowed;
  const [crossed, crossedBack] = [over(0, 1), over(1, 0)];
  const nearer = (other: { most: number }, own: { most: number }) =>
    other.most > alike && (1 - other.most) * muchMore < 1 - own.most;
  if (nearer(crossed, left) && nearer(crossedBack, right)) return [{ kind: 'exchanged', ...all }];
  const isTurned = ({ most, least }: { most: number; least: number }) =>
    -least > alike && -least > most + clearly;
  const stands = ({ most, least }: { most: number; least: number }) =>
    most > alike && most > -least + clearly;
  if (isTurned(left) && stands(right)) return [{ kind: 'turned', ...all, channel: 0 }];
  if (isTurned(right) && stands(left)) return [{ kind: 'turned', ...all, channel: 1 }];
  return narrowed;
}

/** How much of a sound of two channels sets them apart, beside what they share: decibels. */
function apartness({ samples }: Sound): number {
  let [shared, apart] = [0, 0];
  for (let i = 0; i + 1 < samples.length; i += 2) {
    shared += (samples[i]! + samples[i + 1]!) ** 2;
    apart += (samples[i]! - samples[i + 1]!) ** 2;
  }
  return 10 * Math.log10((apart + 1) / (shared + 1));
}

/** Whether a file's two channels are the same, or nearly so, where the master's are not. */
function isNarrowed(file: Sound, master: Sound): boolean {
  const planned = apartness(master);
  return planned > setApart && apartness(file) < planned - lostFrom;
}

/**
 * Where a file's waves are not the master's although both are heard: a tone over a word, another piece of music, as loud
 * as what it stands for.
 *
 * @param late by how much the file's sound comes later, seconds
 */
export function otherWaves(file: Float32Array, master: Float32Array, late: number): SoundFault[] {
  const length = Math.round(windowSeconds * compareSoundRate);
  const by = Math.round(late * compareSoundRate);
  const windows: { at: number; alike: number | null }[] = [];
  for (let at = Math.max(0, by); at + length <= Math.min(file.length, master.length + by); at += length) {
    let [aa, bb, ab] = [0, 0, 0];
    for (let i = at; i < at + length; i++) {
      const [p, q] = [file[i]!, master[i - by]!];
      aa += p * p;
      bb += q * q;
      ab += p * q;
    }
    const heard = Math.sqrt(Math.min(aa, bb) / length) >= windowHeard;
    windows.push({ at, alike: heard ? Math.abs(ab) / Math.sqrt(aa * bb) : null });
  }
  const told = windows.flatMap((w) => w.alike ?? []).sort((a, b) => a - b);
  if (!told.length || told[told.length >> 1]! < waveAlike) return [];
  const faults: { from: number; to: number; count: number }[] = [];
  for (const { at, alike: here } of windows) {
    if (here === null || here >= windowAlike) continue;
    const last = faults.at(-1);
    if (last?.to === at) {
      last.to = at + length;
      last.count++;
    } else faults.push({ from: at, to: at + length, count: 1 });
  }
  return faults
    .filter(
      ({ from, to, count }) =>
        count >= leastWindows && !isElsewhere(file.subarray(from, to), master, from - by),
    )
    .map(({ from, to }) => ({ kind: 'other', from: from / compareSoundRate, to: to / compareSoundRate }));
}

/** Whether a piece of a file's sound is the master's a little sooner or later. */
function isElsewhere(piece: Float32Array, master: Float32Array, at: number): boolean {
  const reach = Math.round(lateReach * compareSoundRate);
  const some = piece.subarray(0, 2 * compareSoundRate);
  const around = new Float32Array(some.length + 2 * reach);
  const first = Math.max(0, reach - at);
  around.set(master.subarray(Math.max(0, at - reach), at + some.length + reach), first);
  const own = energyOf(some, 0, some.length);
  return correlate(some, around).some((sum, i) => {
    const under = energyOf(around, i, i + some.length);
    return under > 0 && Math.abs(sum) / Math.sqrt(own * under) > alike;
  });
}

function energyOf(samples: Float32Array, from: number, to: number): number {
  let sum = 0;
  for (let i = from; i < to; i++) sum += samples[i]! ** 2;
  return sum;
}

/**
 * What of a file's sound is not the master's: gaps, other sounds, channels that are exchanged, upside down or the same. How
 * loud it is as a whole is not asked.
 *
 * @param late by how much the file's sound comes later, seconds
 * @param mono both as one channel, where that is known already
 */
export function soundFaults(
  file: Sound,
  master: Sound,
  late: number,
  mono: { file: Float32Array; master: Float32Array } = { file: monoOf(file), master: monoOf(master) },
): SoundFault[] {
  const channels = channelFaults(file, master, late);
  // What is in one channel is looked for in the other then.
  if (channels.some(({ kind }) => kind === 'exchanged' || kind === 'narrowed')) return channels;
  const by = Math.round(late / pieceSeconds);
  const count = Math.min(file.channels, master.channels);
  const each = (sound: Sound, from: number) =>
    Array.from({ length: count }, (_, c) => levelsOf(sound, c).subarray(Math.max(0, from)));
  const [own, planned] = [each(file, by), each(master, -by)];
  const gain = gainOf(own, planned);
  if (gain === null) return channels;
  const began = Math.max(0, by) * pieceSeconds;
  const faults = own.flatMap((levels, c) =>
    loudnessFaults(levels, planned[c]!, gain, c).map((f) => ({
      ...f,
      from: f.from + began,
      to: f.to + began,
    })),
  );
  return [...channels, ...joined([...faults, ...otherWaves(mono.file, mono.master, late)])];
}

/** Faults of both channels at one time are one. */
function joined(faults: readonly SoundFault[]): SoundFault[] {
  const all: SoundFault[] = [];
  for (const fault of [...faults].sort((a, b) => a.from - b.from)) {
    const same = all.find((f) => f.kind === fault.kind && fault.from < f.to && f.from < fault.to);
    if (!same) {
      all.push({ ...fault });
      continue;
    }
    same.to = Math.max(same.to, fault.to);
    if (same.channel !== fault.channel) delete same.channel;
  }
  return all;
}
