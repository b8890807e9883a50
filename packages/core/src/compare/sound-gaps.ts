import { median } from '../median.ts';
import { compareSoundRate } from './sound-offset.ts';
import type { Sound, SoundFault } from './sound.ts';

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
  return median(gains) ?? null;
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

/**
 * Gaps in a file's sound, and what is heard in it where the master is silent, channel by channel. How loud it is as a whole
 * is not asked.
 *
 * @param late by how much the file's sound comes later, seconds
 */
export function soundGaps(file: Sound, master: Sound, late: number): SoundFault[] {
  const by = Math.round(late / pieceSeconds);
  const count = Math.min(file.channels, master.channels);
  const each = (sound: Sound, from: number) =>
    Array.from({ length: count }, (_, c) => levelsOf(sound, c).subarray(Math.max(0, from)));
  const [own, planned] = [each(file, by), each(master, -by)];
  const gain = gainOf(own, planned);
  if (gain === null) return [];
  const began = Math.max(0, by) * pieceSeconds;
  return own.flatMap((levels, c) =>
    loudnessFaults(levels, planned[c]!, gain, c).map((f) => ({
      ...f,
      from: f.from + began,
      to: f.to + began,
    })),
  );
}
