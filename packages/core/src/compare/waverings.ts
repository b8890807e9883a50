import type { FrameSpan } from '../time/span.ts';
import { difference, lasting, settled, type Thumb } from './thumbs.ts';

/**
 * A stretch that lies beside and comes back again must be clearly more alike there: by so much of what sets its pictures
 * apart all the same. Where coding has bent a slow picture by more than it moves, which frame is which cannot be told.
 */
const clearly = 0.1;
/**
 * By so much it is beyond doubt; by less it has to hold as well once what lastingly sets the pictures apart is taken off:
 * a slow change of light that happens to go the way of what coding did to the shot makes later pictures more alike.
 */
const plainly = 1;
/** And by so much in each of its pictures, mean square: less is what rounding and coding make of a slow change of light. */
const seenToMove = 0.15;

/** Pictures of a file beside those of a plan that they are said to show: how unlike they are, together. */
const apartAlong = (
  pictures: readonly Thumb[],
  plan: readonly Thumb[],
  shows: Int32Array,
  span: FrameSpan,
): number => {
  let sum = 0;
  for (let k = span.from; k < span.to; k++) sum += difference(pictures[k]!, plan[shows[k]!]!);
  return sum;
};

/**
 * Whether a stretch of a path is more alike beside than along its usual offset, and how clearly that has to be so.
 *
 * @param straight the path with the stretch put back
 */
function isBeside(
  films: { file: readonly Thumb[]; plan: readonly Thumb[]; blind: Uint8Array },
  shows: Int32Array,
  straight: Int32Array,
  { from, to }: FrameSpan,
): boolean {
  const { file, plan, blind } = films;
  const isClear = (along: number, beside: number) =>
    along - beside >= clearly * beside && along - beside >= seenToMove * (to - from);
  const span = { from, to };
  const [along, beside] = [straight, shows].map((path) => apartAlong(file, plan, path, span)) as [
    number,
    number,
  ];
  if (!isClear(along, beside)) return false;
  if (along - beside >= plainly * beside) return true;
  const [first, end] = [Math.max(0, from - 2 * lasting), Math.min(file.length, to + 2 * lasting)];
  const [calmAlong, calmBeside] = [straight, shows].map((path) => {
    const own = path.slice(first, end);
    const calm = settled(file.slice(first, end), plan, own, blind.slice(first, end));
    return apartAlong(calm, plan, own, { from: from - first, to: to - first });
  }) as [number, number];
  return isClear(calmAlong, calmBeside);
}

/**
 * Takes back stretches of a path that leave its offset and come back to it for too little. Films of one length begin and
 * end together, whatever lies between.
 */
export function withoutWaverings(
  shows: Int32Array,
  file: readonly Thumb[],
  plan: readonly Thumb[],
  blind: Uint8Array,
): Int32Array {
  const straight = shows.slice();
  const together = file.length === plan.length;
  for (let from = together ? 0 : 1; from < shows.length; from++) {
    const usual = from === 0 ? 0 : straight[from - 1]! - (from - 1);
    if (shows[from]! - from === usual) continue;
    let to = from;
    while (to < shows.length && shows[to]! - to !== usual) to++;
    if (to === shows.length && !(together && usual === 0)) break;
    const putBack = straight.slice();
    for (let k = from; k < to; k++) putBack[k] = k + usual;
    if (!isBeside({ file, plan, blind }, straight, putBack, { from, to })) straight.set(putBack);
    from = to;
  }
  return straight;
}
