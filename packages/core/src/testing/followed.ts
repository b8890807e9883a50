import type { Size } from '../picture/geometry.ts';
import type { LookPicture } from '../subjects/picture.ts';
import { dice } from './pictures.ts';

// Taken once: looked up in the inner loops, a test runner's sandbox makes them a hundred times slower.
const { abs, ceil, cos, floor, max, min, PI, sin, sqrt } = Math;

/** Kinds of shots in the set. */
export type ShotKind =
  | 'plain'
  | 'camera moves'
  | 'hidden for a while'
  | 'distractors'
  | 'crossing'
  | 'leaves and returns'
  | 'stands still'
  | 'small and fast';

/** A made-up shot of which everything is known. Boxes are fractions of the master; pictures are every second frame at 25 a second. */
export interface FollowedShot {
  name: string;
  kind: ShotKind;
  frames: number;
  pictures: LookPicture[];
  /** Where the subject is, whole, at a frame, hidden or not; null when it is out of the picture. */
  truth: (frame: number) => { x: number; y: number; w: number; h: number } | null;
}

/** Size of the pictures: 16:9. */
export const followedSize: Size = { width: 160, height: 90 };
export const followedRate = 25;
export const followedStep = 2;

type Colour = readonly [number, number, number];
const [w, h] = [followedSize.width, followedSize.height];
/** Drawn at twice the size and averaged, so that edges are soft as in a real picture. */
const [W, H] = [w * 2, h * 2];

interface Canvas {
  y: Float32Array;
  u: Float32Array;
  v: Float32Array;
}

function put(c: Canvas, x: number, y: number, colour: Colour): void {
  const at = y * W + x;
  c.y[at] = colour[0];
  c.u[at] = colour[1];
  c.v[at] = colour[2];
}

function ellipse(c: Canvas, cx: number, cy: number, rx: number, ry: number, colour: Colour): void {
  for (let y = max(0, ceil(cy - ry)); y <= min(H - 1, floor(cy + ry)); y++) {
    const half = rx * sqrt(max(0, 1 - ((y - cy) / ry) ** 2));
    for (let x = max(0, ceil(cx - half)); x <= min(W - 1, floor(cx + half)); x++) put(c, x, y, colour);
  }
}

function rect(c: Canvas, x0: number, y0: number, width: number, height: number, colour: Colour): void {
  for (let y = max(0, floor(y0)); y < min(H, y0 + height); y++)
    for (let x = max(0, floor(x0)); x < min(W, x0 + width); x++) put(c, x, y, colour);
}

/** A camera: where the picture's middle looks in the world, in pictures, and how close. */
interface Camera {
  x: number;
  y: number;
  zoom: number;
}

/** A place with a sky, hills, a ground with stones, houses or trees; wide enough for a camera to travel. */
function scenery(seed: number): (c: Canvas, camera: Camera) => void {
  const roll = dice(seed * 977 + 5);
  const tone = (l: number, s: number): Colour => [
    l + roll() * 50,
    128 + (roll() - 0.5) * s,
    128 + (roll() - 0.5) * s,
  ];
  const [sky, ground] = [tone(150, 40), tone(80, 36)];
  const horizon = 0.36 + roll() * 0.2;
  const things = Array.from({ length: 34 }, () => {
    const tall = roll();
    return {
      x: roll() * 4 - 1.5,
      y: horizon + (roll() - 0.35) * 0.3,
      w: 0.03 + roll() * 0.12,
      h: 0.04 + tall * 0.22,
      colour: tone(50 + roll() * 90, 44),
      round: roll() < 0.4,
    };
  });
  const stones = Array.from({ length: 150 }, () => ({
    x: roll() * 4 - 1.5,
    y: horizon + roll() * (1 - horizon),
    r: 0.003 + roll() * 0.012,
    colour: tone(50 + roll() * 100, 26),
  }));
  const waves = [roll() * 9, roll() * 9, roll() * 9];
  return (c, camera) => {
    for (let y = 0; y < H; y++) {
      const wy = (y / H - 0.5) / camera.zoom + camera.y;
      for (let x = 0; x < W; x++) {
        const wx = (x / W - 0.5) / camera.zoom + camera.x;
        const hill = horizon - 0.05 * sin(wx * 4 + waves[0]!) - 0.03 * sin(wx * 9 + waves[1]!);
        const colour = wy < hill ? sky : ground;
        const at = y * W + x;
        c.y[at] =
          colour[0] +
          (wy < hill ? wy * 40 : (wy - hill) * 30 + 9 * sin(wx * 31 + waves[2]! + wy * 17) * sin(wy * 43));
        c.u[at] = colour[1];
        c.v[at] = colour[2];
      }
    }
    const at = (x: number, y: number) =>
      [((x - camera.x) * camera.zoom + 0.5) * W, ((y - camera.y) * camera.zoom + 0.5) * H] as const;
    for (const t of things) {
      const [px, py] = at(t.x, t.y);
      if (t.round) ellipse(c, px, py, (t.w * W * camera.zoom) / 2, (t.h * H * camera.zoom) / 2, t.colour);
      else rect(c, px, py, t.w * W * camera.zoom, t.h * H * camera.zoom, t.colour);
    }
    for (const s of stones) {
      const [px, py] = at(s.x, s.y);
      ellipse(c, px, py, s.r * W * camera.zoom, s.r * W * 0.6 * camera.zoom, s.colour);
    }
  };
}

/** A subject or a distractor in the world: its middle and its size in pictures, at a frame. */
interface Body {
  shape: 'kite' | 'figure' | 'ball' | 'boat';
  colour: Colour;
  /** Height in pictures (of the picture's height). */
  size: number;
  at: (frame: number) => { x: number; y: number };
}

/** Width over height of each shape, in pixels. */
const slim = { kite: 0.8, figure: 0.42, ball: 1, boat: 1.9 };

function drawBody(
  c: Canvas,
  camera: Camera,
  body: Body,
  frame: number,
): { x: number; y: number; w: number; h: number } {
  const { x, y } = body.at(frame);
  const [px, py] = [((x - camera.x) * camera.zoom + 0.5) * W, ((y - camera.y) * camera.zoom + 0.5) * H];
  const tall = body.size * H * camera.zoom;
  const wide = tall * slim[body.shape];
  const dark: Colour = [body.colour[0] * 0.6, body.colour[1], body.colour[2]];
  switch (body.shape) {
    case 'kite':
      for (let j = -tall / 2; j <= tall / 2; j++) {
        const half = (wide / 2) * (1 - abs(j) / (tall / 2));
        rect(c, px - half, py + j, half * 2, 1.2, j < 0 ? body.colour : dark);
      }
      break;
    case 'figure': {
      const swing = sin(frame * 0.5) * 0.3;
      ellipse(c, px, py - tall * 0.38, wide * 0.28, tall * 0.12, [170, 112, 150]);
      ellipse(c, px, py - tall * 0.08, wide * 0.4, tall * 0.22, body.colour);
      rect(c, px - wide * (0.3 + swing * 0.5), py + tall * 0.1, wide * 0.24, tall * 0.4, dark);
      rect(c, px + wide * (0.06 + swing * 0.5), py + tall * 0.1, wide * 0.24, tall * 0.4, dark);
      break;
    }
    case 'ball':
      ellipse(c, px, py, wide / 2, tall / 2, body.colour);
      ellipse(c, px - wide * 0.12, py - tall * 0.12, wide * 0.16, tall * 0.16, [235, 128, 128]);
      break;
    case 'boat':
      rect(c, px - wide / 2, py + tall * 0.1, wide, tall * 0.4, dark);
      for (let j = 0; j < tall * 0.6; j++)
        rect(
          c,
          px - (wide * 0.3 * j) / (tall * 0.6),
          py - tall * 0.5 + j,
          (wide * 0.6 * j) / (tall * 0.6),
          1.2,
          body.colour,
        );
      break;
  }
  return { x: (px - wide / 2) / W, y: (py - tall / 2) / H, w: wide / W, h: tall / H };
}

interface Script {
  name: string;
  kind: ShotKind;
  seconds: number;
  seed: number;
  subject: Body;
  others?: Body[];
  /** Drawn over everything: posts and walls that hide the subject, in the world. */
  front?: { x: number; y: number; w: number; h: number; colour: Colour }[];
  camera?: (frame: number) => Camera;
  /** How much the ground itself is in motion: water or leaves, 0 to 1, below this line of the picture. */
  water?: { below: number; strength: number };
  confetti?: number;
  noise?: number;
}

function film(script: Script): FollowedShot {
  const frames = script.seconds * followedRate;
  const ground = scenery(script.seed);
  const cameraAt = script.camera ?? (() => ({ x: 0.5, y: 0.5, zoom: 1 }));
  const grain = dice(script.seed + 4001);
  const c: Canvas = { y: new Float32Array(W * H), u: new Float32Array(W * H), v: new Float32Array(W * H) };
  const boxes = new Map<number, { x: number; y: number; w: number; h: number }>();
  const pictures: LookPicture[] = [];
  const boxAt = (frame: number) => {
    const [camera, { x, y }] = [cameraAt(frame), script.subject.at(frame)];
    const tall = script.subject.size * camera.zoom;
    const wide = (tall * slim[script.subject.shape] * H) / W;
    return {
      x: (x - camera.x) * camera.zoom + 0.5 - wide / 2,
      y: (y - camera.y) * camera.zoom + 0.5 - tall / 2,
      w: wide,
      h: tall,
    };
  };
  for (let frame = 0; frame < frames; frame += followedStep) {
    const camera = cameraAt(frame);
    ground(c, camera);
    if (script.water) {
      for (let y = floor(script.water.below * H); y < H; y++)
        for (let x = 0; x < W; x++)
          c.y[y * W + x]! +=
            script.water.strength *
            40 *
            sin(x * 0.21 + frame * 0.5 + sin(y * 0.4 + frame * 0.23) * 3) *
            sin(y * 0.5 - frame * 0.31);
    }
    for (const other of script.others ?? []) drawBody(c, camera, other, frame);
    boxes.set(frame, drawBody(c, camera, script.subject, frame));
    for (let i = 0; i < (script.confetti ?? 0); i++) {
      const roll = dice(i * 71 + 3);
      const [x, y, speed, hue] = [roll(), roll(), 0.004 + roll() * 0.008, roll()];
      ellipse(c, ((x + 0.03 * sin(frame * 0.2 + i)) % 1) * W, ((y + speed * frame) % 1) * H, 3, 3, [
        120 + hue * 100,
        128 + 60 * sin(i),
        128 + 60 * cos(i),
      ]);
    }
    for (const f of script.front ?? [])
      rect(
        c,
        ((f.x - camera.x) * camera.zoom + 0.5) * W,
        ((f.y - camera.y) * camera.zoom + 0.5) * H,
        f.w * W * camera.zoom,
        f.h * H * camera.zoom,
        f.colour,
      );
    const picture = new Uint8Array(w * h * 3);
    [c.y, c.u, c.v].forEach((plane, p) => {
      for (let y = 0; y < h; y++) {
        for (let x = 0; x < w; x++) {
          const at = y * 2 * W + x * 2;
          const noise = (grain() - 0.5) * (script.noise ?? 3) * (p === 0 ? 1 : 0.5);
          picture[p * w * h + y * w + x] = max(
            0,
            min(255, (plane[at]! + plane[at + 1]! + plane[at + W]! + plane[at + W + 1]!) / 4 + noise),
          );
        }
      }
    });
    pictures.push(picture);
  }
  return {
    name: script.name,
    kind: script.kind,
    frames,
    pictures,
    truth: (frame) => {
      const b = boxAt(frame);
      const seen = max(0, min(1, b.x + b.w) - max(0, b.x)) * max(0, min(1, b.y + b.h) - max(0, b.y));
      return seen > b.w * b.h * 0.3 ? b : null;
    },
  };
}

const red: Colour = [96, 96, 196];
const amber: Colour = [150, 70, 166];
const blue: Colour = [84, 180, 96];
const green: Colour = [110, 100, 92];
const white: Colour = [225, 126, 130];
const violet: Colour = [90, 160, 150];
const wall: Colour = [70, 122, 134];

/** From one place to another through the shot. */
const line =
  (from: number, to: number, frames: number, y: number, bob = 0) =>
  (f: number) => ({ x: from + ((to - from) * f) / frames, y: y + bob * sin(f * 0.25) });
/** There and back, as a sine. */
const sway =
  (middle: number, reach: number, seconds: number, y: number, rise = 0) =>
  (f: number) => ({
    x: middle + reach * sin((f / followedRate) * ((2 * PI) / seconds)),
    y: y + rise * cos((f / followedRate) * ((2 * PI) / seconds)),
  });
const stay = (x: number, y: number) => () => ({ x, y });
const pan =
  (from: number, to: number, frames: number): ((f: number) => Camera) =>
  (f) => ({ x: from + ((to - from) * f) / frames, y: 0.5, zoom: 1 });
const shaken =
  (
    strength: number,
    base: (f: number) => Camera = () => ({ x: 0.5, y: 0.5, zoom: 1 }),
  ): ((f: number) => Camera) =>
  (f) => {
    const b = base(f);
    return {
      x: b.x + strength * (sin(f * 0.61) + 0.6 * sin(f * 1.37 + 1)),
      y: b.y + strength * (cos(f * 0.53) + 0.5 * sin(f * 1.11)),
      zoom: b.zoom,
    };
  };

const scripts: readonly Script[] = [
  {
    name: 'a runner from left to right',
    kind: 'plain',
    seconds: 5,
    seed: 1,
    subject: { shape: 'figure', colour: red, size: 0.4, at: line(0.12, 0.88, 125, 0.6) },
  },
  {
    name: 'a kite that swings',
    kind: 'plain',
    seconds: 7,
    seed: 2,
    subject: { shape: 'kite', colour: amber, size: 0.2, at: sway(0.5, 0.33, 4.5, 0.3, 0.1) },
  },
  {
    name: 'a boat, slow and large',
    kind: 'plain',
    seconds: 8,
    seed: 3,
    subject: { shape: 'boat', colour: white, size: 0.3, at: line(0.8, 0.3, 200, 0.55, 0.006) },
  },
  {
    name: 'a walker in grain',
    kind: 'plain',
    seconds: 6,
    seed: 4,
    noise: 18,
    subject: { shape: 'figure', colour: blue, size: 0.5, at: line(0.85, 0.2, 150, 0.55) },
  },
  {
    name: 'a runner, camera pans along',
    kind: 'camera moves',
    seconds: 6,
    seed: 5,
    camera: pan(0.3, 1.1, 150),
    subject: { shape: 'figure', colour: violet, size: 0.42, at: line(0.1, 1.35, 150, 0.6) },
  },
  {
    name: 'a kite, camera pans against it',
    kind: 'camera moves',
    seconds: 5,
    seed: 6,
    camera: pan(0.75, 0.45, 125),
    subject: { shape: 'kite', colour: red, size: 0.24, at: line(0.5, 0.8, 125, 0.35, 0.02) },
  },
  {
    name: 'a walker, held by hand',
    kind: 'camera moves',
    seconds: 6,
    seed: 7,
    camera: shaken(0.012),
    subject: { shape: 'figure', colour: amber, size: 0.45, at: line(0.2, 0.75, 150, 0.55) },
  },
  {
    name: 'a ball, camera closes in',
    kind: 'camera moves',
    seconds: 5,
    seed: 8,
    camera: (f) => ({ x: 0.5, y: 0.5, zoom: 1 + f * 0.003 }),
    subject: { shape: 'ball', colour: red, size: 0.16, at: line(0.25, 0.72, 125, 0.6) },
  },
  {
    name: 'behind a post',
    kind: 'hidden for a while',
    seconds: 6,
    seed: 9,
    front: [{ x: 0.46, y: 0.2, w: 0.08, h: 0.8, colour: wall }],
    subject: { shape: 'figure', colour: red, size: 0.4, at: line(0.15, 0.85, 150, 0.6) },
  },
  {
    name: 'behind a wide wall',
    kind: 'hidden for a while',
    seconds: 7,
    seed: 10,
    front: [{ x: 0.38, y: 0.3, w: 0.2, h: 0.7, colour: wall }],
    subject: { shape: 'figure', colour: amber, size: 0.36, at: line(0.1, 0.9, 175, 0.65) },
  },
  {
    name: 'behind posts, camera pans',
    kind: 'hidden for a while',
    seconds: 6,
    seed: 11,
    camera: pan(0.4, 0.8, 150),
    front: [
      { x: 0.5, y: 0.2, w: 0.05, h: 0.8, colour: wall },
      { x: 0.85, y: 0.2, w: 0.05, h: 0.8, colour: wall },
    ],
    subject: { shape: 'figure', colour: blue, size: 0.42, at: line(0.2, 1.1, 150, 0.6) },
  },
  {
    name: 'behind a post, slowly',
    kind: 'hidden for a while',
    seconds: 8,
    seed: 12,
    front: [{ x: 0.5, y: 0.1, w: 0.07, h: 0.9, colour: wall }],
    subject: { shape: 'kite', colour: violet, size: 0.22, at: line(0.25, 0.78, 200, 0.4, 0.02) },
  },
  {
    name: 'a small one far behind',
    kind: 'distractors',
    seconds: 6,
    seed: 13,
    others: [{ shape: 'figure', colour: blue, size: 0.14, at: line(0.9, 0.1, 150, 0.45) }],
    subject: { shape: 'figure', colour: red, size: 0.44, at: line(0.15, 0.85, 150, 0.6) },
  },
  {
    name: 'over water',
    kind: 'distractors',
    seconds: 6,
    seed: 14,
    water: { below: 0.6, strength: 0.5 },
    subject: { shape: 'boat', colour: red, size: 0.26, at: line(0.2, 0.8, 150, 0.55, 0.005) },
  },
  {
    name: 'in confetti',
    kind: 'distractors',
    seconds: 6,
    seed: 15,
    confetti: 24,
    subject: { shape: 'figure', colour: violet, size: 0.5, at: line(0.2, 0.8, 150, 0.55) },
  },
  {
    name: 'beside one that sways in place',
    kind: 'distractors',
    seconds: 6,
    seed: 16,
    others: [{ shape: 'kite', colour: green, size: 0.14, at: sway(0.85, 0.02, 1.2, 0.3) }],
    subject: { shape: 'ball', colour: amber, size: 0.22, at: sway(0.4, 0.27, 5, 0.6) },
  },
  {
    name: 'two runners cross',
    kind: 'crossing',
    seconds: 6,
    seed: 17,
    others: [{ shape: 'figure', colour: blue, size: 0.3, at: line(0.9, 0.1, 150, 0.62) }],
    subject: { shape: 'figure', colour: red, size: 0.46, at: line(0.1, 0.9, 150, 0.58) },
  },
  {
    name: 'two kites cross',
    kind: 'crossing',
    seconds: 6,
    seed: 18,
    others: [{ shape: 'kite', colour: green, size: 0.16, at: line(0.15, 0.85, 150, 0.32, 0.03) }],
    subject: { shape: 'kite', colour: red, size: 0.26, at: line(0.85, 0.2, 150, 0.36, 0.02) },
  },
  {
    name: 'one overtakes another',
    kind: 'crossing',
    seconds: 6,
    seed: 19,
    others: [{ shape: 'figure', colour: green, size: 0.3, at: line(0.3, 0.6, 150, 0.6) }],
    subject: { shape: 'figure', colour: amber, size: 0.44, at: line(0.1, 0.9, 150, 0.58) },
  },
  {
    name: 'cross under a panning camera',
    kind: 'crossing',
    seconds: 6,
    seed: 20,
    camera: pan(0.4, 0.7, 150),
    others: [{ shape: 'figure', colour: blue, size: 0.28, at: line(1.1, 0.3, 150, 0.62) }],
    subject: { shape: 'figure', colour: red, size: 0.44, at: line(0.2, 0.95, 150, 0.58) },
  },
  {
    name: 'out at the right and in again',
    kind: 'leaves and returns',
    seconds: 7,
    seed: 21,
    subject: { shape: 'figure', colour: red, size: 0.4, at: sway(0.6, 0.5, 7, 0.6) },
  },
  {
    name: 'a boat leaves',
    kind: 'leaves and returns',
    seconds: 6,
    seed: 22,
    subject: { shape: 'boat', colour: amber, size: 0.24, at: line(0.5, 1.25, 150, 0.55) },
  },
  {
    name: 'a walker comes in',
    kind: 'leaves and returns',
    seconds: 6,
    seed: 23,
    subject: { shape: 'figure', colour: violet, size: 0.46, at: line(-0.2, 0.7, 150, 0.58) },
  },
  {
    name: 'a kite out over the top',
    kind: 'leaves and returns',
    seconds: 6,
    seed: 24,
    subject: {
      shape: 'kite',
      colour: blue,
      size: 0.22,
      at: (f) => ({ x: 0.2 + f * 0.004, y: 0.4 - 0.55 * sin((f / 150) * PI) }),
    },
  },
  {
    name: 'somebody stands',
    kind: 'stands still',
    seconds: 5,
    seed: 25,
    subject: { shape: 'figure', colour: red, size: 0.6, at: stay(0.28, 0.55) },
  },
  {
    name: 'somebody stands, held by hand',
    kind: 'stands still',
    seconds: 5,
    seed: 26,
    camera: shaken(0.004),
    subject: { shape: 'figure', colour: blue, size: 0.6, at: stay(0.7, 0.55) },
  },
  {
    name: 'a kite hovers',
    kind: 'stands still',
    seconds: 5,
    seed: 27,
    subject: { shape: 'kite', colour: amber, size: 0.24, at: sway(0.75, 0.006, 2, 0.35, 0.01) },
  },
  {
    name: 'a ball is thrown',
    kind: 'small and fast',
    seconds: 4,
    seed: 28,
    subject: {
      shape: 'ball',
      colour: red,
      size: 0.1,
      at: (f) => ({ x: 0.08 + f * 0.0085, y: 0.7 - 0.5 * sin((f / 100) * PI) }),
    },
  },
  {
    name: 'a kite darts',
    kind: 'small and fast',
    seconds: 6,
    seed: 29,
    subject: { shape: 'kite', colour: amber, size: 0.13, at: sway(0.5, 0.4, 2.8, 0.3, 0.12) },
  },
  {
    name: 'a ball bounces, held by hand',
    kind: 'small and fast',
    seconds: 5,
    seed: 30,
    camera: shaken(0.006),
    subject: {
      shape: 'ball',
      colour: violet,
      size: 0.12,
      at: (f) => ({ x: 0.85 - f * 0.006, y: 0.75 - 0.35 * abs(sin(f * 0.13)) }),
    },
  },
];

/** How many shots there are in the set. */
export const followedCount = scripts.length;

/** Draws one of the shots. */
export const followedShot = (index: number): FollowedShot => film(scripts[index]!);
