import { correlate } from './correlate.ts';

/** Where a file's sound stands beside its master's, in one piece of the film. */
export interface SoundOffset {
  /** Seconds into the film, in the middle of the piece. */
  at: number;
  /** How much later than in the master the sound comes, seconds; earlier below zero. */
  seconds: number;
  /** Correlation of the two where they lie best: 1 the same. */
  alike: number;
}

/** Samples a second in which sound is compared. */
export const compareSoundRate = 4000;
/** Length of the pieces, how many at most, and how far apart sounds are looked for, seconds. */
const pieceSeconds = 3;
const mostPieces = 8;
const reachSeconds = 1;
/** A piece quieter than this, full scale being 1, says nothing of where it stands. */
const audible = 0.0015;
/** Of places that are as good as the best, to this share, the nearest counts: a steady tone is the same at every turn. */
const asGood = 0.985;

const energy = (samples: Float32Array): number => {
  let sum = 0;
  for (const s of samples) sum += s * s;
  return sum;
};

/** Correlates one piece of a file's sound with the master's around the same place. */
function offsetOf(
  file: Float32Array,
  master: Float32Array,
  start: number,
  length: number,
): SoundOffset | null {
  const reach = Math.round(reachSeconds * compareSoundRate);
  const piece = file.subarray(start, start + length);
  const own = energy(piece);
  if (Math.sqrt(own / piece.length) < audible) return null;
  // What lies around it in the master, with silence before its start and after its end.
  const around = new Float32Array(length + 2 * reach);
  const before = Math.max(0, reach - start);
  around.set(master.subarray(Math.max(0, start - reach), start + length + reach), before);
  const sums = correlate(piece, around);
  // The energy of what lies under the piece is carried along from one lag to the next.
  let under = energy(around.subarray(0, length));
  const alike = sums.map((sum, i) => {
    if (i > 0) under += around[i + length - 1]! ** 2 - around[i - 1]! ** 2;
    return under > own * 1e-6 ? Math.abs(sum) / Math.sqrt(own * under) : 0;
  });
  const best = alike.reduce((a, b) => Math.max(a, b), 0);
  let lag = 0;
  for (let away = 0; away <= reach; away++) {
    const here = [away, -away].find((l) => alike[l + reach]! >= best * asGood);
    if (here === undefined) continue;
    lag = here;
    // On to the top of the hill that it lies on.
    const side = Math.sign(lag) || 0;
    while (side && Math.abs(lag) < reach && alike[lag + side + reach]! > alike[lag + reach]!) lag += side;
    break;
  }
  return { at: (start + length / 2) / compareSoundRate, seconds: -lag / compareSoundRate || 0, alike: best };
}

/**
 * How far a file's sound is out of step with the master's, in pieces over the film's length, by cross-correlation. Both
 * mono at {@link compareSoundRate}. Pieces in which nothing is heard are left out.
 */
export function soundOffsets(file: Float32Array, master: Float32Array): SoundOffset[] {
  const whole = Math.min(file.length, master.length);
  const length = Math.min(Math.round(pieceSeconds * compareSoundRate), whole);
  if (length < compareSoundRate / 10) return [];
  const count = Math.max(1, Math.min(mostPieces, Math.floor(whole / length)));
  const starts = Array.from({ length: count }, (_, i) =>
    Math.round(count === 1 ? 0 : ((whole - length) * i) / (count - 1)),
  );
  return starts.flatMap((start) => offsetOf(file, master, start, length) ?? []);
}
