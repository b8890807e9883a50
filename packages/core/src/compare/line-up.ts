import { median } from '../median.ts';
import { correlation } from './register.ts';
import { difference, settled, type Thumb } from './thumbs.ts';
import { withoutWaverings } from './waverings.ts';

/** Frames of a plan that a file does not show, before which of its own frames. */
export interface MissingFrames {
  at: number;
  count: number;
}

/** Frames of a file that show what the one before them shows, where the plan goes on. */
export interface HeldFrames {
  from: number;
  to: number;
}

/** How a file's frames and a plan's go together. */
export interface LineUp {
  /** For each of the file's frames, the plan's frame that it shows. */
  shows: Int32Array;
  missing: MissingFrames[];
  held: HeldFrames[];
}

/** What it takes to believe in a gap, and in each further frame of it: in units of the file's own noise. */
const toBelieve = 10;
/** Less alike than this, median of correlations, and something sets the two films apart all along; then only what is certain is believed at first. */
const likeTheSame = 0.97;
const certain = 20;
const further = 0.5;
/** No one frame speaks louder than this. */
const loudest = 40;
/** Noise is never taken to be less than what rounding to whole values makes, mean square. */
const leastNoise = 0.09;
/** So far to both sides of where it should be a frame is looked for at first, and at last, in frames. */
const near = 12;
const far = 96;

/** Differences of every file frame to the plan's frames in a band around where it should be. */
function band(file: readonly Thumb[], plan: readonly Thumb[], reach: number): Float32Array[] {
  return file.map((picture, k) => {
    const row = new Float32Array(2 * reach + 1).fill(Infinity);
    for (let o = -reach; o <= reach; o++) {
      const other = plan[k + o];
      if (other) row[o + reach] = difference(picture, other);
    }
    return row;
  });
}

/** How much a file's pictures differ from one to the next beside what the plan's do: what coding adds. */
function noiseOf(
  file: readonly Thumb[],
  plan: readonly Thumb[],
  rows: Float32Array[],
  reach: number,
): number {
  const best = rows.map((row, k) => k - reach + row.indexOf(row.reduce((a, b) => Math.min(a, b), Infinity)));
  const changes: number[] = [];
  for (let k = 1; k < file.length; k++) {
    const [a, b] = [plan[best[k - 1]!], plan[best[k]!]];
    if (!a || !b) continue;
    let sum = 0;
    for (let i = 0; i < a.length; i++) {
      const d = file[k]![i]! - b[i]! - file[k - 1]![i]! + a[i]!;
      sum += d * d;
    }
    changes.push(sum / a.length / 2);
  }
  return Math.max(leastNoise, median(changes) ?? leastNoise);
}

/** Ways into a state of the search: on from the frame before, over some that are left out, or staying. */
const enum Way {
  On,
  Stay,
  Over,
}

interface Path {
  shows: Int32Array;
  /** The nearest that it comes to the band's edge. */
  edge: number;
}

/** Median of how alike the file's frames and what they show of the plan are. */
export function alikeness(
  file: readonly Thumb[],
  plan: readonly Thumb[],
  shows: Int32Array,
  blind: Uint8Array,
): number {
  const every = Math.max(1, Math.floor(file.length / 200));
  const all = [...shows].flatMap((j, k) =>
    k % every === 0 && !blind[k] ? [correlation(file[k]!, plan[j]!)] : [],
  );
  return median(all) ?? 0;
}

/** The cheapest way through the band from the first frames to the last ones, by dynamic programming. */
function cheapest(
  rows: Float32Array[],
  frames: number,
  reach: number,
  noise: number,
  blind: Uint8Array,
  opening: number,
): Path {
  const wide = 2 * reach + 1;
  const count = rows.length;
  // Two values a state: gone on to, and stayed on.
  let [on, stay] = [new Float64Array(wide).fill(Infinity), new Float64Array(wide).fill(Infinity)];
  const from = rows.map(() => new Uint8Array(wide));
  const stayed = rows.map(() => new Uint8Array(wide));
  const overs = rows.map(() => new Uint16Array(wide));
  for (let k = 0; k < count; k++) {
    const row = rows[k]!;
    const least = row.reduce((a, b) => Math.min(a, b), Infinity);
    const [nextOn, nextStay] = [new Float64Array(wide).fill(Infinity), new Float64Array(wide).fill(Infinity)];
    let over = Infinity;
    let overBy = 0;
    for (let o = 0; o < wide; o++) {
      const j = k + o - reach;
      if (o >= 1 && k > 0) {
        // Over at least one frame: from the state that was one offset lower, or one further still.
        const fresh = Math.min(on[o - 1]!, stay[o - 1]!) + opening + further;
        if (fresh <= over + further) [over, overBy] = [fresh, 1];
        else [over, overBy] = [over + further, overBy + 1];
      }
      if (j < 0 || j >= frames) continue;
      const cost = blind[k] ? 0 : Math.min(loudest, (row[o]! - least) / noise);
      if (k === 0) {
        nextOn[o] = cost + (j > 0 ? opening + further * j : 0);
        continue;
      }
      const straight = Math.min(on[o]!, stay[o]!);
      if (straight <= over) {
        nextOn[o] = straight + cost;
        from[k]![o] = Way.On;
        stayed[k]![o] = stay[o]! < on[o]! ? 1 : 0;
      } else {
        nextOn[o] = over + cost;
        from[k]![o] = Way.Over;
        overs[k]![o] = overBy;
        stayed[k]![o] = stay[o - overBy]! < on[o - overBy]! ? 1 : 0;
      }
      if (o + 1 < wide) {
        const [open, again] = [on[o + 1]! + opening + further, stay[o + 1]! + further];
        nextStay[o] = Math.min(open, again) + cost;
        // The high bit of `from` tells what a stay came from.
        if (again < open) from[k]![o]! |= 4;
      }
    }
    [on, stay] = [nextOn, nextStay];
  }
  const ends = (o: number) => {
    const left = frames - 1 - (count - 1 + o - reach);
    return Math.min(on[o]!, stay[o]!) + (left > 0 ? opening + further * left : 0);
  };
  let o = 0;
  for (let i = 1; i < wide; i++) if (ends(i) < ends(o)) o = i;
  let isStay = stay[o]! < on[o]!;
  const shows = new Int32Array(count);
  let edge = reach;
  for (let k = count - 1; k >= 0; k--) {
    shows[k] = k + o - reach;
    edge = Math.min(edge, o, wide - 1 - o);
    if (k === 0) break;
    if (isStay) {
      isStay = (from[k]![o]! & 4) !== 0;
      o++;
    } else {
      isStay = stayed[k]![o] === 1;
      if ((from[k]![o]! & 3) === Way.Over) o -= overs[k]![o]!;
    }
  }
  return { shows, edge };
}

/** Gaps of a path. A run that stays and then leaves out as many is one that was held in place of others. */
function gapsOf(shows: Int32Array, frames: number): Pick<LineUp, 'missing' | 'held'> {
  const missing: MissingFrames[] = [];
  const held: HeldFrames[] = [];
  if (shows[0]! > 0) missing.push({ at: 0, count: shows[0]! });
  for (let k = 1; k < shows.length; k++) {
    const step = shows[k]! - shows[k - 1]!;
    const last = held.at(-1);
    if (step === 0) {
      if (last?.to === k) last.to = k + 1;
      else held.push({ from: k, to: k + 1 });
    } else if (step > 1) {
      // What was held in the meantime stands in place of what is left out.
      const instead = last?.to === k ? last.to - last.from : 0;
      if (step - 1 > instead) missing.push({ at: k, count: step - 1 - instead });
    }
  }
  const left = frames - 1 - shows.at(-1)!;
  const last = held.at(-1);
  const instead = last?.to === shows.length ? last.to - last.from : 0;
  if (left > instead) missing.push({ at: shows.length, count: left - instead });
  return { missing, held };
}

/**
 * Finds which of a plan's frames each frame of a file shows: in order, as few gaps as the pictures allow. A frame that
 * is left out of a film in which nothing moves cannot be seen to be missing; it shows in the length.
 *
 * @param blind 1 for frames of the file that say nothing, such as black ones
 */
export function lineUp(file: readonly Thumb[], plan: readonly Thumb[], blind: Uint8Array): LineUp {
  if (!file.length || !plan.length) return { shows: new Int32Array(0), missing: [], held: [] };
  const apart = Math.abs(file.length - plan.length);
  const through = (pictures: readonly Thumb[], reach: number, opening: number) => {
    const rows = band(pictures, plan, reach);
    return cheapest(rows, plan.length, reach, noiseOf(pictures, plan, rows, reach), blind, opening);
  };
  const wide = blind.some(Boolean) ? far : near;
  const best = (pictures: readonly Thumb[]) => {
    const path = through(pictures, apart + wide, toBelieve);
    // One that leans on the edge of what was looked at wants to go further.
    return path.edge <= 1 && wide === near ? through(pictures, apart + far, toBelieve) : path;
  };
  let [path, pictures] = [best(file), file];
  if (alikeness(file, plan, path.shows, blind) < likeTheSame) {
    const rough = through(file, apart + wide, certain);
    pictures = settled(file, plan, rough.shows, blind);
    path = best(pictures);
  }
  const shows = withoutWaverings(path.shows, pictures, plan, blind);
  return { shows, ...gapsOf(shows, plan.length) };
}
