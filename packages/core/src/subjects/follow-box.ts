import type { Size } from '../picture/geometry.ts';
import { movePoint } from './camera.ts';
import { cameraFromTo, type CameraPath } from './ground.ts';
import { insidePicture, type LookBox, type LookPicture } from './picture.ts';

// Taken once: looked up in the inner loops, a test runner's sandbox makes them a hundred times slower.
const { abs, ceil, exp, floor, hypot, max, min, round, sqrt } = Math;

/** Where a box is at one picture, and how sure that is, 0 to 1. */
export interface BoxAt {
  at: number;
  box: LookBox;
  sure: number;
}

/** A subject is remembered as so many points across and down its box. */
const grid = 12;
/** How like its memory a place must be to count as the subject, 0 to 1, and to be learnt from. */
const alikeEnough = 0.52;
const learnFrom = 0.72;
/** A subject that was lost is looked for so long, seconds. */
const lookForSeconds = 2.5;

/** What a subject looks like: colours on a grid over its box, and how much each point is the subject's own. */
interface Memory {
  values: Float32Array;
  weights: Float32Array;
}

function readGrid(
  picture: LookPicture,
  size: Size,
  x: number,
  y: number,
  width: number,
  height: number,
  out: Float32Array,
): void {
  const plane = size.width * size.height;
  for (let j = 0; j < grid; j++) {
    const v = max(0, min(size.height - 1, floor(y + ((j + 0.5) * height) / grid)));
    for (let i = 0; i < grid; i++) {
      const u = max(0, min(size.width - 1, floor(x + ((i + 0.5) * width) / grid)));
      const from = v * size.width + u;
      const at = (j * grid + i) * 3;
      out[at] = picture[from]!;
      out[at + 1] = picture[plane + from]!;
      out[at + 2] = picture[2 * plane + from]!;
    }
  }
}

function remember(picture: LookPicture, size: Size, box: LookBox, standsOut: Uint8Array | undefined): Memory {
  const values = new Float32Array(grid * grid * 3);
  readGrid(picture, size, box.x, box.y, box.width, box.height, values);
  const weights = new Float32Array(grid * grid);
  for (let j = 0; j < grid; j++) {
    for (let i = 0; i < grid; i++) {
      const [cx, cy] = [(i + 0.5) / grid - 0.5, (j + 0.5) / grid - 0.5];
      const middle = exp(-3.5 * (cx * cx + cy * cy));
      const u = max(0, min(size.width - 1, floor(box.x + ((i + 0.5) * box.width) / grid)));
      const v = max(0, min(size.height - 1, floor(box.y + ((j + 0.5) * box.height) / grid)));
      const own = standsOut ? min(1, standsOut[v * size.width + u]! / 40) : 0.5;
      weights[j * grid + i] = middle * (0.25 + own);
    }
  }
  return { values, weights };
}

/** How like a memory a place is, 0 to 1. */
function alike(memory: Memory, seen: Float32Array, lit: number): number {
  let [off, total] = [0, 0];
  for (let p = 0; p < grid * grid; p++) {
    const w = memory.weights[p]!;
    const at = p * 3;
    off +=
      w *
      min(
        70,
        abs(seen[at]! - memory.values[at]! - lit) * 0.55 +
          (abs(seen[at + 1]! - memory.values[at + 1]!) + abs(seen[at + 2]! - memory.values[at + 2]!)) * 1.1,
      );
    total += w;
  }
  return exp(-off / total / 20);
}

/** Average luma a place has over a memory's: a shadow or a flash on the whole subject. */
function lightOver(memory: Memory, seen: Float32Array): number {
  let [sum, total] = [0, 0];
  for (let p = 0; p < grid * grid; p++) {
    sum += memory.weights[p]! * (seen[p * 3]! - memory.values[p * 3]!);
    total += memory.weights[p]!;
  }
  return max(-30, min(30, sum / total));
}

export interface FollowWorld {
  pictures: readonly LookPicture[];
  size: Size;
  path: CameraPath;
  /** What stands out from the ground at a picture, if that is known. */
  standsOut?: (at: number) => Uint8Array;
  perSecond: number;
}

/**
 * Follows a box from one picture to the end of the shot, forwards or backwards. It is looked for where its own speed
 * and the camera's would take it, by its remembered look; when it is hidden it is carried on for a while and looked
 * for ever further out. Ends where it leaves the picture or stays lost; the places where it was only guessed are
 * marked by a low sureness.
 */
export function followBox(
  { pictures, size, path, standsOut, perSecond }: FollowWorld,
  from: BoxAt,
  way: 1 | -1,
): BoxAt[] {
  const first = insidePicture(from.box, size);
  if (!first) return [];
  const memory = remember(pictures[from.at]!, size, first, standsOut?.(from.at));
  const newest: Memory = { values: Float32Array.from(memory.values), weights: memory.weights };
  const seen = new Float32Array(grid * grid * 3);
  const found: BoxAt[] = [];
  let [cx, cy, w, h] = [first.x + first.width / 2, first.y + first.height / 2, first.width, first.height];
  let [vx, vy, lost] = [0, 0, 0];
  for (let at = from.at + way; at >= 0 && at < pictures.length; at += way) {
    const camera = cameraFromTo(path, at - way, at);
    const carried = movePoint(camera, cx, cy, size);
    const scale = hypot(camera.a, camera.b);
    [w, h] = [w * scale, h * scale];
    const [px, py] = [carried.x + vx, carried.y + vy];
    const reach = min(16, 4 + hypot(vx, vy) * 0.7 + lost * 1.2 + min(w, h) * 0.12);
    const map = standsOut?.(at);
    const scoreAt = (x: number, y: number) => {
      readGrid(pictures[at]!, size, x - w / 2, y - h / 2, w, h, seen);
      const now = max(
        alike(memory, seen, lightOver(memory, seen)),
        alike(newest, seen, lightOver(newest, seen)),
      );
      return (
        now -
        0.012 * hypot(x - px, y - py) * (lost ? 0.3 : 1) +
        (map ? 0.16 * ownShare(map, size, x, y, w, h) : 0)
      );
    };
    let best = -Infinity;
    let [bx, by] = [px, py];
    for (let y = -ceil(reach); y <= reach; y += 2) {
      for (let x = -ceil(reach); x <= reach; x += 2) {
        const score = scoreAt(px + x, py + y);
        if (score > best) [best, bx, by] = [score, px + x, py + y];
      }
    }
    for (const step of [1, 0.5]) {
      const [mx, my] = [bx, by];
      for (let y = -1; y <= 1; y++) {
        for (let x = -1; x <= 1; x++) {
          if (!x && !y) continue;
          const score = scoreAt(mx + x * step, my + y * step);
          if (score > best) [best, bx, by] = [score, mx + x * step, my + y * step];
        }
      }
    }
    readGrid(pictures[at]!, size, bx - w / 2, by - h / 2, w, h, seen);
    const lit = lightOver(newest, seen);
    const sure = max(alike(memory, seen, lightOver(memory, seen)), alike(newest, seen, lit));
    if (sure >= alikeEnough) {
      const follow = lost ? 0.5 : 0.45;
      [vx, vy] = [vx + (bx - carried.x - vx) * follow, vy + (by - carried.y - vy) * follow];
      [cx, cy] = [bx, by];
      lost = 0;
      if (sure > learnFrom)
        for (let i = 0; i < newest.values.length; i++)
          newest.values[i]! += (seen[i]! - newest.values[i]!) * 0.12;
    } else {
      // Hidden: carried on along its way, slower and slower.
      [cx, cy] = [px, py];
      [vx, vy] = [vx * 0.96, vy * 0.96];
      if (++lost > lookForSeconds * perSecond) break;
    }
    const box = { x: cx - w / 2, y: cy - h / 2, width: w, height: h };
    const visible = insidePicture(box, size);
    if (!visible || visible.width * visible.height < w * h * 0.2) break;
    found.push({ at, box, sure: lost ? max(0.05, 0.35 - lost * 0.03) : min(1, sure) });
  }
  // What was carried on to the end and never found again is left out.
  while (found.length && found.at(-1)!.sure < 0.36) found.pop();
  return found;
}

/** Share of a box's middle that stands out from the ground. */
function ownShare(map: Uint8Array, size: Size, cx: number, cy: number, w: number, h: number): number {
  let [sum, n] = [0, 0];
  const step = max(1, round(sqrt(w * h) / 8));
  for (let y = cy - h * 0.4; y < cy + h * 0.4; y += step) {
    for (let x = cx - w * 0.4; x < cx + w * 0.4; x += step) {
      const [u, v] = [floor(x), floor(y)];
      n++;
      if (u >= 0 && v >= 0 && u < size.width && v < size.height && map[v * size.width + u]! > 24) sum++;
    }
  }
  return n ? sum / n : 0;
}
