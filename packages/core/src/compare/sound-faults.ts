import { compareSoundRate } from './sound-offset.ts';

/** A sound at {@link compareSoundRate}, 16 bits, its one or two channels in turn. */
export interface Sound {
  channels: number;
  samples: Int16Array;
}

/**
 * `gap`: silent where the master is heard; `other`: something is heard that the master has not; `turned`: one channel's
 * waves are upside down beside the other's; `exchanged`: left is right.
 */
export const soundFaultKinds = ['gap', 'other', 'turned', 'exchanged'] as const;

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
/** A channel is like another with this correlation, and more like one than another from so much more on. */
const alike = 0.6;
const clearly = 0.2;

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
    for (let i = w * piece; i < (w + 1) * piece; i++) sum += (samples[i * channels + channel]! / 32768) ** 2;
    levels[w] = 10 * Math.log10(sum / piece + 1e-10);
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

/** How a stretch of one channel goes with another's around the same place: the highest and the lowest correlation. */
function likeness(a: Sound, ca: number, b: Sound, cb: number, start: number, length: number) {
  const reach = Math.round(reachSeconds * compareSoundRate);
  let [most, least] = [-1, 1];
  for (let lag = -reach; lag <= reach; lag++) {
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
function channelFaults(file: Sound, master: Sound): SoundFault[] {
  if (file.channels !== 2 || master.channels !== 2) return [];
  const whole = Math.min(file.samples.length, master.samples.length) >> 1;
  const length = Math.min(Math.round(stretchSeconds * compareSoundRate), whole);
  const count = Math.max(1, Math.min(mostStretches, Math.floor(whole / Math.max(1, length))));
  const starts = Array.from({ length: count }, (_, i) =>
    Math.round(count === 1 ? 0 : ((whole - length) * i) / (count - 1)),
  );
  const mean = (values: number[]) => values.reduce((sum, v) => sum + v, 0) / values.length;
  const over = (own: number, planned: number) => {
    const each = starts.map((start) => likeness(file, own, master, planned, start, length));
    return { most: mean(each.map((e) => e.most)), least: mean(each.map((e) => e.least)) };
  };
  const [left, right] = [over(0, 0), over(1, 1)];
  const all = { from: 0, to: whole / compareSoundRate };
  if (Math.min(left.most, right.most) > alike) return [];
  const [crossed, crossedBack] = [over(0, 1), over(1, 0)];
  if (
    Math.min(crossed.most, crossedBack.most) > alike &&
    crossed.most > left.most + clearly &&
    crossedBack.most > right.most + clearly
  )
    return [{ kind: 'exchanged', ...all }];
  const isTurned = ({ most, least }: { most: number; least: number }) =>
    -least > alike && -least > most + clearly;
  const stands = ({ most, least }: { most: number; least: number }) =>
    most > alike && most > -least + clearly;
  if (isTurned(left) && stands(right)) return [{ kind: 'turned', ...all, channel: 0 }];
  if (isTurned(right) && stands(left)) return [{ kind: 'turned', ...all, channel: 1 }];
  return [];
}

/**
 * What of a file's sound is not the master's: gaps, other sounds, channels that are exchanged or upside down. How loud it
 * is as a whole is not asked.
 *
 * @param late by how much the file's sound comes later, seconds
 */
export function soundFaults(file: Sound, master: Sound, late: number): SoundFault[] {
  const channels = channelFaults(file, master);
  if (channels.some(({ kind }) => kind === 'exchanged')) return channels;
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
  return [...channels, ...joined(faults)];
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
