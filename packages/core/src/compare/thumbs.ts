import type { FrameSpan } from '../time/span.ts';

/** A small picture of one frame: as many values as all others of its film. */
export type Thumb = ArrayLike<number>;

/** A change of the plan's picture as large as this, mean square, begins another shot. */
const anotherShot = 300;
/** What lies between a file's pictures and the plan's for so many frames on either side is no movement. */
export const lasting = 12;

/** Mean square difference of two small pictures. */
export function difference(a: Thumb, b: Thumb): number {
  let sum = 0;
  for (let i = 0; i < a.length; i++) {
    const d = a[i]! - b[i]!;
    sum += d * d;
  }
  return sum / a.length;
}

/** The shots of a film whose frames show frames of a plan, by how much the plan's pictures change. */
export function shotsIn(plan: readonly Thumb[], shows: Int32Array): FrameSpan[] {
  const spans: FrameSpan[] = [];
  for (let k = 0; k < shows.length; k++) {
    const begins = k === 0 || difference(plan[shows[k]!]!, plan[shows[k - 1]!]!) > anotherShot;
    if (begins) spans.push({ from: k, to: k + 1 });
    else spans.at(-1)!.to = k + 1;
  }
  return spans;
}

/**
 * A file's pictures without what lastingly sets them apart from the plan's in each shot, such as a window that lies a
 * little beside: as large a difference as that would drown what tells one frame from the next.
 */
export function settled(
  file: readonly Thumb[],
  plan: readonly Thumb[],
  shows: Int32Array,
  blind: Uint8Array,
): Thumb[] {
  const cells = file[0]!.length;
  const shot = new Int32Array(file.length);
  shotsIn(plan, shows).forEach(({ from, to }, i) => shot.fill(i, from, to));
  const sum = new Float64Array(cells);
  let counted = 0;
  const count = (k: number, sign: 1 | -1) => {
    if (blind[k]) return;
    const [own, planned] = [file[k]!, plan[shows[k]!]!];
    for (let i = 0; i < cells; i++) sum[i]! += sign * (own[i]! - planned[i]!);
    counted += sign;
  };
  let [first, end] = [0, 0];
  return file.map((own, k) => {
    while (first < k && (shot[first] !== shot[k] || first < k - lasting)) {
      if (first < end) count(first, -1);
      first++;
    }
    end = Math.max(end, first);
    while (end < file.length && shot[end] === shot[k] && end <= k + lasting) count(end++, 1);
    const share = counted ? 1 / counted : 0;
    const calm = new Float32Array(cells);
    for (let i = 0; i < cells; i++) calm[i] = own[i]! - sum[i]! * share;
    return calm;
  });
}
