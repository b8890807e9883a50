import { median } from '../median.ts';
import { correlate } from './correlate.ts';
import { compareSoundRate } from './sound-offset.ts';
import type { SoundFault } from './sound.ts';

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
/** They are found where they are so much alike, correlation. */
const foundAlike = 0.6;

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
  const usual = median(windows.flatMap((w) => w.alike ?? []));
  if (usual === undefined || usual < waveAlike) return [];
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
    return under > 0 && Math.abs(sum) / Math.sqrt(own * under) > foundAlike;
  });
}

function energyOf(samples: Float32Array, from: number, to: number): number {
  let sum = 0;
  for (let i = from; i < to; i++) sum += samples[i]! ** 2;
  return sum;
}
