import type { Size } from '../picture/geometry.ts';
import { backMove, movePoint, thenMove, type CameraMove } from './camera.ts';
import type { LookBox, LookPicture } from './picture.ts';

// Taken once: looked up in the inner loops, a test runner's sandbox makes them a hundred times slower.
const { abs, floor, max, min, round } = Math;

/** How the camera stands at each picture, seen from the first: moves from picture 0 to picture i. */
export type CameraPath = readonly CameraMove[];

/** The camera's move from picture `from` to picture `to`. */
export function cameraFromTo(path: CameraPath, from: number, to: number): CameraMove {
  return from === to ? { a: 1, b: 0, dx: 0, dy: 0, sure: 1 } : thenMove(backMove(path[from]!), path[to]!);
}

/** How many other pictures a ground is taken from. */
const references = 7;
/** The ground of a picture that shows at least this much of another can be taken from it. */
const enoughShared = 0.4;
/** A ground reaches this far beyond the picture that it belongs to, pixels, so that it serves the pictures beside it; hardly, under a camera that stands. */
const movingRim = 16;
const stillRim = 2;
/** A ground serves the pictures so near to it, and only while the camera has moved less than the rim. */
const servesPictures = 30;

/** Share of a picture that is still in view after a move. */
function stillInView(move: CameraMove, size: Size): number {
  const corners = [
    [0, 0],
    [size.width, 0],
    [0, size.height],
    [size.width, size.height],
  ].map(([x, y]) => movePoint(move, x!, y!, size));
  const left = max(0, min(...corners.map((c) => c.x)));
  const right = min(size.width, max(...corners.map((c) => c.x)));
  const top = max(0, min(...corners.map((c) => c.y)));
  const bottom = min(size.height, max(...corners.map((c) => c.y)));
  return (max(0, right - left) * max(0, bottom - top)) / (size.width * size.height);
}

/** Pictures to take a ground from: evenly spread over those that show the same place. */
function referencesOf(path: CameraPath, at: number, size: Size): { other: number; move: CameraMove }[] {
  const fitting: { other: number; move: CameraMove }[] = [];
  // Looked at sparsely: a neighbour says nothing that the one beside it does not.
  const step = max(1, floor(path.length / 50));
  for (let other = 0; other < path.length; other += step) {
    const move = cameraFromTo(path, at, other);
    if (stillInView(move, size) >= enoughShared) fitting.push({ other, move });
  }
  if (fitting.length <= references) return fitting;
  return Array.from(
    { length: references },
    (_, i) => fitting[round((i * (fitting.length - 1)) / (references - 1))]!,
  );
}

/** Sorts the first `n` of a few numbers. */
function sortFew(values: Int16Array, n: number): void {
  for (let i = 1; i < n; i++) {
    const v = values[i]!;
    let j = i - 1;
    while (j >= 0 && values[j]! > v) {
      values[j + 1] = values[j]!;
      j--;
    }
    values[j + 1] = v;
  }
}

/** What usually lies behind a picture, with a rim around it: for each plane the least and the greatest that it may be. */
interface Ground {
  at: number;
  low: Int16Array[];
  high: Int16Array[];
}

function groundOf(
  pictures: readonly LookPicture[],
  path: CameraPath,
  at: number,
  size: Size,
  rim: number,
): Ground {
  const { width, height } = size;
  const plane = width * height;
  const [across, down] = [width + 2 * rim, height + 2 * rim];
  const others = referencesOf(path, at, size).map(({ other, move }) => ({ bytes: pictures[other]!, move }));
  const middle = [0, 1, 2].map(() => new Int16Array(across * down));
  const spread = [0, 1, 2].map(() => new Int16Array(across * down));
  const values = new Int16Array(references);
  const sources = new Int32Array(references);
  const picked: Uint8Array[] = [];
  for (let y = 0; y < down; y++) {
    for (let x = 0; x < across; x++) {
      const u = x - rim - width / 2;
      const v = y - rim - height / 2;
      let n = 0;
      for (let o = 0; o < others.length; o++) {
        const { bytes, move } = others[o]!;
        // Half up, by way of the whole part: rounding proper costs several times as much.
        const sx = (move.a * u - move.b * v + move.dx + width / 2 + 1000.5) | 0;
        const sy = (move.b * u + move.a * v + move.dy + height / 2 + 1000.5) | 0;
        if (sx < 1000 || sy < 1000 || sx >= width + 1000 || sy >= height + 1000) continue;
        sources[n] = (sy - 1000) * width + sx - 1000;
        picked[n++] = bytes;
      }
      const i = y * across + x;
      for (let p = 0; p < 3; p++) {
        if (n < 4) {
          middle[p]![i] = unknown;
          continue;
        }
        for (let k = 0; k < n; k++) values[k] = picked[k]![p * plane + sources[k]!]!;
        sortFew(values, n);
        middle[p]![i] = values[n >> 1]!;
        // How much the ground itself changes, its extremes left out: water and leaves may differ by as much.
        spread[p]![i] = (values[n - 1 - (n >> 2)]! - values[n >> 2]!) >> 1;
      }
    }
  }
  const low = [0, 1, 2].map(() => new Int16Array(across * down).fill(unknown));
  const high = [0, 1, 2].map(() => new Int16Array(across * down).fill(unknown));
  // Half a pixel's misplacement at a sharp edge is no subject: a pixel may be anything that lies beside its place.
  for (let p = 0; p < 3; p++) {
    const [m, s] = [middle[p]!, spread[p]!];
    for (let y = 1; y < down - 1; y++) {
      for (let x = 1; x < across - 1; x++) {
        const i = y * across + x;
        let [least, most, wide] = [32767, -32768, 0];
        for (let j = i - across; j <= i + across; j += across) {
          for (let k = j - 1; k <= j + 1; k++) {
            const value = m[k]!;
            if (value === unknown) continue;
            if (value < least) least = value;
            if (value > most) most = value;
            if (s[k]! > wide) wide = s[k]!;
          }
        }
        if (most < 0) continue;
        low[p]![i] = least - wide;
        high[p]![i] = most + wide;
      }
    }
  }
  return { at, low, high };
}

const unknown = -1000;

/**
 * Tells how much each pixel of a picture differs from what usually lies there: the same place in other pictures of the
 * shot, the camera's movement taken out, the middle value of them. What moves by itself stands out; what the camera
 * makes move does not. Differences in luma plus twice those in colour; zero where too few pictures show the place.
 */
export class Grounds {
  private readonly grounds: Ground[] = [];
  private readonly rim: number;

  constructor(
    private readonly pictures: readonly LookPicture[],
    private readonly path: CameraPath,
    private readonly size: Size,
  ) {
    this.rim = path.every((m) => m.a === 1 && m.b === 0 && m.dx === 0 && m.dy === 0) ? stillRim : movingRim;
  }

  /** True when a ground that belongs to one picture covers another. */
  private reaches(at: number, groundAt: number): boolean {
    const { width, height } = this.size;
    const move = cameraFromTo(this.path, at, groundAt);
    const [a, b] = [movePoint(move, 0, 0, this.size), movePoint(move, width, height, this.size)];
    return max(abs(a.x), abs(a.y), abs(b.x - width), abs(b.y - height)) <= this.rim - 2;
  }

  private near(at: number): Ground {
    const fits = this.grounds.find((g) => abs(g.at - at) <= servesPictures && this.reaches(at, g.at));
    if (fits) return fits;
    // As far ahead as it reaches back to this picture: under a fast camera that is not far.
    let ahead = min(this.pictures.length - 1, at + servesPictures - 4);
    while (ahead > at && !this.reaches(at, ahead)) ahead = at + ((ahead - at) >> 1);
    const ground = groundOf(this.pictures, this.path, ahead, this.size, this.rim);
    this.grounds.push(ground);
    if (this.grounds.length > 8) this.grounds.shift();
    return ground;
  }

  standsOut(at: number): Uint8Array {
    const { width, height } = this.size;
    const { rim } = this;
    const plane = width * height;
    const across = width + 2 * rim;
    const down = height + 2 * rim;
    const ground = this.near(at);
    const move = cameraFromTo(this.path, at, ground.at);
    const picture = this.pictures[at]!;
    const out = new Uint8Array(plane);
    for (let y = 0; y < height; y++) {
      for (let x = 0; x < width; x++) {
        const u = x - width / 2;
        const v = y - height / 2;
        const gx = ((move.a * u - move.b * v + move.dx + width / 2 + 1000.5) | 0) - 1000 + rim;
        const gy = ((move.b * u + move.a * v + move.dy + height / 2 + 1000.5) | 0) - 1000 + rim;
        if (gx < 0 || gy < 0 || gx >= across || gy >= down) continue;
        const g = gy * across + gx;
        if (ground.low[0]![g] === unknown) continue;
        const i = y * width + x;
        let sum = 0;
        for (let p = 0; p < 3; p++) {
          const value = picture[p * plane + i]!;
          const low = ground.low[p]![g]!;
          const high = ground.high[p]![g]!;
          const off = value < low ? low - value : value > high ? value - high : 0;
          sum += p === 0 ? off : off * 2;
        }
        out[i] = min(255, sum);
      }
    }
    return middleOfCross(out, this.size);
  }
}

/** Of each pixel and its four neighbours, the middle value: single pixels and thin lines go, areas stay. */
function middleOfCross(map: Uint8Array, { width, height }: Size): Uint8Array {
  const out = new Uint8Array(map.length);
  const five = new Int16Array(5);
  for (let y = 1; y < height - 1; y++) {
    for (let x = 1; x < width - 1; x++) {
      const i = y * width + x;
      // Most of a picture is ground.
      if (!map[i] && !map[i - 1] && !map[i + 1]) continue;
      five[0] = map[i]!;
      five[1] = map[i - 1]!;
      five[2] = map[i + 1]!;
      five[3] = map[i - width]!;
      five[4] = map[i + width]!;
      sortFew(five, 5);
      out[i] = five[2]!;
    }
  }
  return out;
}

/** A connected part of a map. */
export interface Part extends LookBox {
  /** Pixels in it. */
  area: number;
  /** Their average value. */
  strength: number;
  /** Average colour under it: luma and the two differences. */
  colour: [number, number, number];
}

/** Connected parts of a map above a level, at least `least` pixels each; gaps of `bridge` pixels do not part them. */
export function partsOf(
  map: Uint8Array,
  level: number,
  size: Size,
  picture: LookPicture,
  least: number,
  bridge = 2,
): Part[] {
  const { width, height } = size;
  const plane = width * height;
  const label = new Int32Array(plane);
  const stack: number[] = [];
  const parts: Part[] = [];
  for (let start = 0; start < plane; start++) {
    if (map[start]! < level || label[start]) continue;
    const id = parts.length + 1;
    let [left, right, top, bottom, area, sum, c0, c1, c2] = [width, 0, height, 0, 0, 0, 0, 0, 0];
    stack.push(start);
    label[start] = id;
    while (stack.length) {
      const i = stack.pop()!;
      const x = i % width;
      const y = (i - x) / width;
      area++;
      sum += map[i]!;
      c0 += picture[i]!;
      c1 += picture[plane + i]!;
      c2 += picture[2 * plane + i]!;
      left = min(left, x);
      right = max(right, x);
      top = min(top, y);
      bottom = max(bottom, y);
      for (let v = max(0, y - bridge); v <= min(height - 1, y + bridge); v++) {
        for (let u = max(0, x - bridge); u <= min(width - 1, x + bridge); u++) {
          const j = v * width + u;
          if (map[j]! >= level && !label[j]) {
            label[j] = id;
            stack.push(j);
          }
        }
      }
    }
    parts.push({
      x: left,
      y: top,
      width: right - left + 1,
      height: bottom - top + 1,
      area,
      strength: sum / area,
      colour: [c0 / area, c1 / area, c2 / area],
    });
  }
  return parts.filter((p) => p.area >= least);
}
