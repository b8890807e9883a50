import type { Size } from '../picture/geometry.ts';
import type { LookPicture } from './picture.ts';

// Taken once: looked up in the inner loops, a test runner's sandbox makes them a hundred times slower.
const { abs, hypot, max, min, round, sqrt } = Math;

/**
 * How the camera moved from one picture to another: where a still point of the one lies in the other. With x and y
 * counted from the picture's middle, x′ = a·x − b·y + dx and y′ = b·x + a·y + dy: a turn, a change of size and a shift.
 */
export interface CameraMove {
  a: number;
  b: number;
  dx: number;
  dy: number;
  /** Share of the picture's busy blocks that go along with it, 0 to 1; low where the camera cannot be told. */
  sure: number;
}

export const stillCamera: CameraMove = { a: 1, b: 0, dx: 0, dy: 0, sure: 1 };

/** One move after another. */
export function thenMove(first: CameraMove, second: CameraMove): CameraMove {
  return {
    a: second.a * first.a - second.b * first.b,
    b: second.b * first.a + second.a * first.b,
    dx: second.a * first.dx - second.b * first.dy + second.dx,
    dy: second.b * first.dx + second.a * first.dy + second.dy,
    sure: min(first.sure, second.sure),
  };
}

/** The move that takes it back. */
export function backMove(move: CameraMove): CameraMove {
  const n = move.a * move.a + move.b * move.b || 1;
  const [a, b] = [move.a / n, -move.b / n];
  return { a, b, dx: -(a * move.dx - b * move.dy), dy: -(b * move.dx + a * move.dy), sure: move.sure };
}

/** Where a point goes. */
export function movePoint(move: CameraMove, x: number, y: number, size: Size): { x: number; y: number } {
  const [u, v] = [x - size.width / 2, y - size.height / 2];
  return {
    x: move.a * u - move.b * v + move.dx + size.width / 2,
    y: move.b * u + move.a * v + move.dy + size.height / 2,
  };
}

/** Side of the blocks that are looked for in the next picture, pixels, and how far away they are looked for. */
const block = 12;
const reach = 4;
const farReach = 8;

/** A plane at half size. */
function half(plane: Uint8Array, { width, height }: Size): Uint8Array {
  const [w, h] = [width >> 1, height >> 1];
  const small = new Uint8Array(w * h);
  for (let y = 0; y < h; y++) {
    for (let x = 0; x < w; x++) {
      const at = y * 2 * width + x * 2;
      small[y * w + x] = (plane[at]! + plane[at + 1]! + plane[at + width]! + plane[at + width + 1]! + 2) >> 2;
    }
  }
  return small;
}

/** How badly a block of one plane fits at a place in another; stops counting once it is worse than `enough`. */
function misfit(
  from: Uint8Array,
  to: Uint8Array,
  width: number,
  x: number,
  y: number,
  u: number,
  v: number,
  side: number,
  enough: number,
): number {
  let sum = 0;
  for (let j = 0; j < side && sum < enough; j++) {
    const p = (y + j) * width + x;
    const q = (v + j) * width + u;
    for (let i = 0; i < side; i++) sum += abs(from[p + i]! - to[q + i]!);
  }
  return sum;
}

/**
 * How far beyond a whole pixel a block lies, from the slopes of the picture that it was found in (Lucas and Kanade,
 * 1981, from memory). The lowest of three misfits would be drawn to whole pixels.
 */
function beyondPixel(
  before: Uint8Array,
  after: Uint8Array,
  width: number,
  x: number,
  y: number,
  u: number,
  v: number,
): { x: number; y: number } {
  let xx = 1e-3;
  let xy = 0;
  let yy = 1e-3;
  let ex = 0;
  let ey = 0;
  for (let j = 0; j < block; j++) {
    const p = (y + j) * width + x;
    const q = (v + j) * width + u;
    for (let i = 0; i < block; i++) {
      const gx = (after[q + i + 1]! - after[q + i - 1]!) / 2;
      const gy = (after[q + i + width]! - after[q + i - width]!) / 2;
      const off = before[p + i]! - after[q + i]!;
      xx += gx * gx;
      xy += gx * gy;
      yy += gy * gy;
      ex += off * gx;
      ey += off * gy;
    }
  }
  const n = xx * yy - xy * xy;
  if (n < 1e-6) return { x: 0, y: 0 };
  return { x: max(-0.8, min(0.8, (yy * ex - xy * ey) / n)), y: max(-0.8, min(0.8, (xx * ey - xy * ex) / n)) };
}

interface Arrow {
  x: number;
  y: number;
  dx: number;
  dy: number;
}

/** Where each busy block of a picture has gone in the next one, from its own place; `guess` is the likely shift. */
function arrows(
  before: LookPicture,
  after: LookPicture,
  size: Size,
  guess: { dx: number; dy: number },
  far: number,
): Arrow[] {
  const { width, height } = size;
  const [smallBefore, smallAfter] = [half(before, size), half(after, size)];
  const [w, h] = [width >> 1, height >> 1];
  const side = block >> 1;
  const found: Arrow[] = [];
  const [gx, gy] = [round(guess.dx / 2), round(guess.dy / 2)];
  for (let y = 2; y + block <= height - 2; y += block) {
    for (let x = 2; x + block <= width - 2; x += block) {
      // A block with edges one way only could have slid along them.
      let across = 0;
      let down = 0;
      for (let j = 0; j < block; j += 2) {
        for (let i = 0; i < block; i += 2) {
          const at = (y + j) * width + x + i;
          across += abs(before[at + 1]! - before[at - 1]!);
          down += abs(before[at + width]! - before[at - width]!);
        }
      }
      if (min(across, down) < 90) continue;
      const sx = x >> 1;
      const sy = y >> 1;
      // The likely place first: what is worse is soon given up.
      const likelyU = max(0, min(w - side, sx + gx));
      const likelyV = max(0, min(h - side, sy + gy));
      let best = misfit(smallBefore, smallAfter, w, sx, sy, likelyU, likelyV, side, Infinity);
      let bu = likelyU;
      let bv = likelyV;
      const top = max(0, sy + gy - far);
      const bottom = min(h - side, sy + gy + far);
      const left = max(0, sx + gx - far);
      const right = min(w - side, sx + gx + far);
      if (top > bottom || left > right) continue;
      for (let v = top; v <= bottom; v++) {
        for (let u = left; u <= right; u++) {
          const fit = misfit(smallBefore, smallAfter, w, sx, sy, u, v, side, best);
          if (fit < best) {
            best = fit;
            bu = u;
            bv = v;
          }
        }
      }
      let fine = Infinity;
      let fu = 0;
      let fv = 0;
      for (let v = max(1, bv * 2 - 2); v <= min(height - block - 1, bv * 2 + 2); v++) {
        for (let u = max(1, bu * 2 - 2); u <= min(width - block - 1, bu * 2 + 2); u++) {
          const fit = misfit(before, after, width, x, y, u, v, block, fine);
          if (fit < fine) {
            fine = fit;
            fu = u;
            fv = v;
          }
        }
      }
      if (fine === Infinity || fine > block * block * 22) continue;
      const beyond = beyondPixel(before, after, width, x, y, fu, fv);
      found.push({ x: x + block / 2, y: y + block / 2, dx: fu - x + beyond.x, dy: fv - y + beyond.y });
    }
  }
  return found;
}

/** A block goes along with the camera when it lies this near to where the move puts it, pixels. */
const near = 0.9;

/**
 * How the camera moved between two pictures: blocks are looked for in the next picture, and the move that most of them
 * agree on is the camera's; what moves by itself is outvoted. (Robust fit: consensus, then weighted least squares.)
 */
export function cameraBetween(
  before: LookPicture,
  after: LookPicture,
  size: Size,
  guess: CameraMove = stillCamera,
): CameraMove {
  const near = agreedMove(arrows(before, after, size, guess, reach), size);
  // A sudden move is looked for further out.
  return near.sure >= 0.4
    ? near
    : surer(near, agreedMove(arrows(before, after, size, guess, farReach), size));
}

const surer = (a: CameraMove, b: CameraMove) => (b.sure > a.sure ? b : a);

function agreedMove(all: readonly Arrow[], size: Size): CameraMove {
  if (all.length < 5) return { ...stillCamera, sure: all.length ? 0.2 : 0.5 };
  // The shift that most blocks share, near enough; each block's own is tried.
  let votes = -1;
  let seed = all[0]!;
  for (const candidate of all) {
    let agree = 0;
    for (const other of all) {
      const off = sqrt((other.dx - candidate.dx) ** 2 + (other.dy - candidate.dy) ** 2);
      // A zoom or a turn makes far blocks differ a little.
      const allowed = near + sqrt((other.x - candidate.x) ** 2 + (other.y - candidate.y) ** 2) * 0.015;
      if (off < allowed) agree += 1 - off / allowed / 2;
    }
    if (agree > votes) {
      votes = agree;
      seed = candidate;
    }
  }
  // A camera that may as well be standing stands: most still blocks agree on nothing else.
  const standing = all.filter((o) => hypot(o.dx, o.dy) < 0.14).length;
  if (
    standing > 4 &&
    standing >= all.filter((o) => hypot(o.dx - seed.dx, o.dy - seed.dy) < 0.14).length * 0.8
  )
    return { ...stillCamera, sure: standing / all.length };
  let move: CameraMove = { a: 1, b: 0, dx: seed.dx, dy: seed.dy, sure: 0 };
  const offOf = (o: Arrow) => {
    const to = movePoint(move, o.x, o.y, size);
    return hypot(to.x - o.x - o.dx, to.y - o.y - o.dy);
  };
  for (let round = 0; round < 6; round++) {
    const limit = round < 2 ? 2.6 : near * 1.6;
    let [n, su, sv, sp, sq] = [0, 0, 0, 0, 0];
    const weights = all.map((o) => {
      const off = offOf(o) / limit;
      const weight = off < 1 ? (1 - off * off) ** 2 : 0;
      n += weight;
      su += weight * (o.x - size.width / 2);
      sv += weight * (o.y - size.height / 2);
      sp += weight * (o.x + o.dx - size.width / 2);
      sq += weight * (o.y + o.dy - size.height / 2);
      return weight;
    });
    if (n < 3) break;
    const [mu, mv, mp, mq] = [su / n, sv / n, sp / n, sq / n];
    let [dot, cross, spread] = [0, 0, 1e-6];
    all.forEach((o, i) => {
      const [u, v] = [o.x - size.width / 2 - mu, o.y - size.height / 2 - mv];
      const [p, q] = [o.x + o.dx - size.width / 2 - mp, o.y + o.dy - size.height / 2 - mq];
      dot += weights[i]! * (u * p + v * q);
      cross += weights[i]! * (u * q - v * p);
      spread += weights[i]! * (u * u + v * v);
    });
    // Few blocks close together say nothing of a turn or a zoom: it counts as none, by a small spring towards it.
    const spring = 400;
    const [a, b] = [(dot + spring) / (spread + spring), cross / (spread + spring)];
    move = { a, b, dx: mp - (a * mu - b * mv), dy: mq - (b * mu + a * mv), sure: 0 };
  }
  const along = all.filter((o) => offOf(o) < near).length;
  const sure = along / all.length;
  if (along < 3 || sure < 0.2) return { ...stillCamera, sure: 0.2 };
  // Less than a tenth of a pixel anywhere is a camera that stands.
  const corner = movePoint(move, 0, 0, size);
  const other = movePoint(move, size.width, size.height, size);
  if (max(abs(corner.x), abs(corner.y), abs(other.x - size.width), abs(other.y - size.height)) < 0.12)
    return { ...stillCamera, sure };
  return { ...move, sure };
}

/** A picture that others are held against serves until it is so many pictures old, or the camera has gone this far. */
const keyAge = 12;
const keyFar = 0.2;

/**
 * The camera's way through a shot: its move from the first picture to each. Every picture is held against one some way
 * back rather than against its neighbour, so that small errors do not add up to a drift.
 */
export function cameraThrough(
  pictures: readonly LookPicture[],
  size: Size,
): { path: CameraMove[]; unclear: number } {
  const path: CameraMove[] = [stillCamera];
  let key = 0;
  let unclear = 0;
  let speed: CameraMove = stillCamera;
  for (let i = 1; i < pictures.length; i++) {
    const before = thenMove(backMove(path[key]!), path[i - 1]!);
    let move = cameraBetween(pictures[key]!, pictures[i]!, size, thenMove(before, speed));
    if (move.sure < 0.3 && key !== i - 1) {
      // Too much has changed since then: against the neighbour.
      key = i - 1;
      move = cameraBetween(pictures[key]!, pictures[i]!, size, speed);
    }
    if (move.sure < 0.35) unclear++;
    // A camera that cannot be told goes on as it did.
    if (move.sure < 0.25)
      move = { ...thenMove(thenMove(backMove(path[key]!), path[i - 1]!), speed), sure: 0.2 };
    path.push({ ...thenMove(path[key]!, move), sure: move.sure });
    speed = thenMove(backMove(path[i - 1]!), path[i]!);
    const gone = max(
      abs(move.dx) / size.width,
      abs(move.dy) / size.height,
      abs(hypot(move.a, move.b) - 1) * 2,
    );
    if (i - key >= keyAge || gone > keyFar) key = i;
  }
  return { path, unclear };
}
