import type { FrameSpan } from '../time/span.ts';
import {
  difference,
  meanLuma,
  plainDifference,
  spreadLuma,
  sumsOf,
  thumbBytes,
  thumbPlane,
  type Thumb,
  type ThumbSums,
} from './thumb.ts';

// Taken once: looked up in the inner loops, a test runner's sandbox makes them a hundred times slower.
const { abs, max, min, round, sqrt } = Math;

/** Where one shot gives way to another. */
export interface Join {
  /** First frame of the new shot; for a dissolve or a fade, the middle of it. */
  frame: number;
  kind: 'cut' | 'dissolve' | 'fade';
  /** Frames from the first one that changes to the first one that is wholly new. */
  span: FrameSpan;
}

/** Pictures this alike cannot lie on two sides of a cut; saves looking for blocks in nearly every frame. */
const hardlyDifferent = 2.2;
/** Share of a picture that must be new for a cut. */
const newEnough = 0.34;
/** A cut stands out from what goes on around it by this factor. */
const standsOut = 1.9;
/** Flashes last at most so many frames; a shot shorter than that between two alike pictures is taken for one. */
const flashFrames = 5;
/** How far back the finder remembers pictures: the longest dissolve it can see, and a little more. */
const memory = 72;
/** Black, as cameras and editors leave it. */
const isBlack = (mean: number, spread: number) => mean < 24 && spread < 7;

/** How far, of the whole change, pictures inside a dissolve may stray from an even mix of its ends. */
const evenMix = 0.2;
/** Lengths of dissolves that are looked for, frames. */
const dissolveLengths = [8, 12, 16, 24, 36, 50];
/** Thumbs are reduced once more for dissolves, so that movement inside the shots matters less. */
const smallWidth = 16;
const smallHeight = 9;
const smallBytes = smallWidth * smallHeight * 3;

function reduce(thumb: Thumb): Float32Array {
  const small = new Float32Array(smallBytes);
  for (let plane = 0; plane < 3; plane++) {
    for (let y = 0; y < 36; y++) {
      for (let x = 0; x < 64; x++)
        small[plane * smallWidth * smallHeight + (y >> 2) * smallWidth + (x >> 2)]! +=
          thumb[plane * thumbPlane + y * 64 + x]! / 16;
    }
  }
  return small;
}

/**
 * Finds shots in a film that is shown to it picture by picture. Memory is flat in the film's length but for a few
 * numbers a frame.
 */
export class ShotFinder {
  private readonly thumbs: Thumb[] = [];
  private readonly smalls: Float32Array[] = [];
  /** Of those that were held against another. */
  private readonly sums: (ThumbSums | undefined)[] = [];
  private readonly means: number[] = [];
  private readonly spreads: number[] = [];
  private readonly scores: number[] = [];
  private readonly flashed: boolean[] = [];
  private readonly cuts: number[] = [];
  private readonly gradual: { from: number; to: number; gain: number }[] = [];
  private count = 0;

  private thumb(frame: number): Thumb {
    return this.thumbs[frame % memory]!;
  }

  private small(frame: number): Float32Array {
    return this.smalls[frame % memory]!;
  }

  private sumsAt(frame: number): ThumbSums {
    return (this.sums[frame % memory] ??= sumsOf(this.thumb(frame)));
  }

  /** Shows the next picture. The bytes are copied. */
  push(picture: Thumb): void {
    const frame = this.count++;
    const thumb = new Uint8Array(picture.subarray(0, thumbBytes));
    this.thumbs[frame % memory] = thumb;
    this.smalls[frame % memory] = reduce(thumb);
    this.sums[frame % memory] = undefined;
    const mean = meanLuma(thumb);
    this.means.push(mean);
    this.spreads.push(spreadLuma(thumb, mean));
    this.scores.push(frame === 0 ? 0 : this.novelty(frame - 1, frame));
    // A cut is judged when what follows it has been seen.
    this.judgeCut(frame - flashFrames - 1, frame);
    this.lookForDissolve(frame);
  }

  /** Ends the film and tells where its shots join, in order. */
  finish(): Join[] {
    const last = this.count - 1;
    for (let frame = max(1, last - flashFrames); frame <= last; frame++) this.judgeCut(frame, last);
    return this.settle();
  }

  /** How much of a picture is new against an earlier one, 0 to 1. */
  private novelty(before: number, now: number): number {
    const [a, b] = [this.thumb(before), this.thumb(now)];
    if (plainDifference(a, b) < hardlyDifferent) return 0;
    return difference(a, b, this.sumsAt(before), this.sumsAt(now));
  }

  private judgeCut(frame: number, last: number): void {
    if (frame < 1 || this.flashed[frame]) return;
    const score = this.scores[frame]!;
    if (score < newEnough) return;
    const blackEdge =
      isBlack(this.means[frame]!, this.spreads[frame]!) ||
      isBlack(this.means[frame - 1]!, this.spreads[frame - 1]!);
    let around = 0;
    let n = 0;
    for (let f = max(1, frame - 5); f <= min(last, frame + 5); f++) {
      if (f === frame || this.scores[f]! >= newEnough * 2.2) continue;
      around += this.scores[f]!;
      n++;
    }
    if (!blackEdge && score < standsOut * (n ? around / n : 0)) return;
    if (this.isFlash(frame, last)) return;
    this.cuts.push(frame);
  }

  /**
   * A flash or a strobe: pictures that are suddenly much lighter or darker, after which the one from before is back.
   * Everything up to its return is marked, so that the return is not taken for a cut either.
   */
  private isFlash(frame: number, last: number): boolean {
    const before = frame - 1;
    for (let back = frame + 1; back <= min(last, frame + flashFrames); back++) {
      const odd = Array.from(
        { length: back - frame },
        (_, i) => this.means[frame + i]! - this.means[before]!,
      );
      if (!odd.every((d) => abs(d) > 18)) break;
      if (abs(this.means[back]! - this.means[before]!) > 14) continue;
      if (this.novelty(before, back) < newEnough * 0.8) {
        for (let f = frame; f <= back; f++) this.flashed[f] = true;
        return true;
      }
    }
    return false;
  }

  /** A dissolve: every picture in between is a mix of the two ends, more and more of the second. */
  private lookForDissolve(end: number): void {
    if (end % 2 !== 0) return;
    for (const length of dissolveLengths) {
      const start = end - length;
      if (start < 0 || length + 2 > memory) continue;
      const [a, b] = [this.small(start), this.small(end)];
      let energy = 0;
      for (let i = 0; i < smallBytes; i++) {
        const change = b[i]! - a[i]!;
        energy += change * change;
      }
      const strength = sqrt(energy / smallBytes);
      if (strength < 9) continue;
      let residue = 0;
      let previous = -0.05;
      let steady = true;
      let [sumT, sumA, sumTA, sumTT, sumAA] = [0, 0, 0, 0, 0];
      const steps = min(length, 12);
      for (let k = 1; k < steps && steady; k++) {
        const f = start + round((k * length) / steps);
        const m = this.small(f);
        let along = 0;
        let way = 0;
        for (let i = 0; i < smallBytes; i++) {
          const gone = m[i]! - a[i]!;
          along += gone * (b[i]! - a[i]!);
          way += gone * gone;
        }
        const alpha = along / energy;
        if (alpha < previous - 0.04 || alpha > 1.08) steady = false;
        previous = alpha;
        // What is left of the way once the part along the change is taken off, by Pythagoras.
        residue += sqrt(max(0, way - alpha * along) / energy);
        const t = (f - start) / length;
        sumT += t;
        sumA += alpha;
        sumTA += t * alpha;
        sumTT += t * t;
        sumAA += alpha * alpha;
      }
      if (!steady) continue;
      const n = steps - 1;
      const slope = (n * sumTA - sumT * sumA) / (n * sumTT - sumT * sumT);
      const correlation =
        (n * sumTA - sumT * sumA) / sqrt(max(1e-9, (n * sumTT - sumT * sumT) * (n * sumAA - sumA * sumA)));
      if (residue / n > evenMix || correlation < 0.99 || slope < 0.85 || slope > 1.18) continue;
      const black =
        isBlack(this.means[start]!, this.spreads[start]!) || isBlack(this.means[end]!, this.spreads[end]!);
      if (!black && this.novelty(start, end) < newEnough * 1.3) continue;
      this.gradual.push({ from: start, to: end, gain: strength * sqrt(length) * (1 - residue / n) });
    }
  }

  /** Brings hard cuts and slow joins together: of slow ones that overlap, the strongest. */
  private settle(): Join[] {
    const blackAt = (f: number) => isBlack(this.means[f]!, this.spreads[f]!);
    const chosen: { from: number; to: number }[] = [];
    for (const g of [...this.gradual].sort((a, b) => b.gain - a.gain)) {
      if (chosen.some((c) => c.from < g.to && g.from < c.to)) continue;
      chosen.push(g);
    }
    chosen.sort((a, b) => a.from - b.from);
    // A hard cut is no even mix of its two sides, so what looks like cuts inside a slow join is part of it.
    const joins: Join[] = this.cuts
      .filter((c) => !chosen.some((g) => c >= g.from && c <= g.to + 1))
      .map((frame) => ({ frame, kind: 'cut', span: { from: frame, to: frame + 1 } }));
    for (let i = 0; i < chosen.length; i++) {
      const { from, to } = chosen[i]!;
      if (blackAt(to)) {
        // Out to black: what comes in again soon belongs to the same fade; a longer black is a shot of its own.
        const next = chosen[i + 1];
        let dark = to;
        while (dark + 1 < this.count && blackAt(dark + 1)) dark++;
        if (next && blackAt(next.from) && next.from <= dark + 1 && dark - to < 25) {
          joins.push({ frame: round((to + next.from) / 2), kind: 'fade', span: { from, to: next.to } });
          i++;
        } else joins.push({ frame: to, kind: 'fade', span: { from, to } });
      } else if (blackAt(from)) joins.push({ frame: from + 1, kind: 'fade', span: { from, to } });
      else joins.push({ frame: round((from + to) / 2), kind: 'dissolve', span: { from, to } });
    }
    const seen = new Set<number>();
    return joins
      .filter((j) => j.frame > 0 && j.frame < this.count && !seen.has(j.frame) && seen.add(j.frame))
      .sort((a, b) => a.frame - b.frame);
  }
}
