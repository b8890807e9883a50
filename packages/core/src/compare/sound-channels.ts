import { compareSoundRate } from './sound-offset.ts';
import type { Sound, SoundFault } from './sound.ts';

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

/**
 * Channels that are upside down, in each other's place or the same, by some stretches of both sounds.
 *
 * @param late by how much the file's sound comes later, seconds
 */
export function channelFaults(file: Sound, master: Sound, late: number): SoundFault[] {
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
