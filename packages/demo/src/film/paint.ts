import { createCanvas, GlobalFonts, type Canvas, type SKRSContext2D } from '@napi-rs/canvas';
import { fileURLToPath } from 'node:url';

export type Pen = SKRSContext2D;

GlobalFonts.registerFromPath(
  fileURLToPath(import.meta.resolve('@fontsource-variable/archivo/files/archivo-latin-wght-normal.woff2')),
  'Film',
);

/** The film's own paintbox. */
export const paint = {
  redKite: '#c8402f',
  amberKite: '#e2a63b',
  blueKite: '#2f6f8f',
  ink: '#23404a',
  cream: '#f2ead6',
  skin1: '#d9a27a',
  skin1Dark: '#bd8159',
  skin2: '#e3b693',
  skin2Dark: '#c98f68',
} as const;

/** Repeatable randomness: the same seed gives the same film (mulberry32, public domain). */
export function dice(seed: number): () => number {
  let a = seed >>> 0;
  return () => {
    a = (a + 0x6d2b79f5) >>> 0;
    let t = Math.imul(a ^ (a >>> 15), 1 | a);
    t = (t + Math.imul(t ^ (t >>> 7), 61 | t)) ^ t;
    return ((t ^ (t >>> 14)) >>> 0) / 4294967296;
  };
}

/** Draws once, keeps the picture: for everything that stands still. */
export function still(width: number, height: number, draw: (g: Pen) => void): () => Canvas {
  let canvas: Canvas | undefined;
  return () => {
    if (!canvas) {
      canvas = createCanvas(width, height);
      draw(canvas.getContext('2d'));
    }
    return canvas;
  };
}

export function gradient(g: Pen, y0: number, y1: number, stops: readonly [number, string][], x0 = 0, x1 = 0) {
  const fill = g.createLinearGradient(x0, y0, x1, y1);
  for (const [at, colour] of stops) fill.addColorStop(at, colour);
  return fill;
}

export function ellipse(g: Pen, x: number, y: number, rx: number, ry: number, turn = 0): void {
  g.beginPath();
  g.ellipse(x, y, rx, ry, turn, 0, Math.PI * 2);
}

/** A closed or open smooth line through points. */
export function curve(g: Pen, points: readonly (readonly [number, number])[], close = false): void {
  g.beginPath();
  const [first] = points;
  if (!first) return;
  g.moveTo(first[0], first[1]);
  for (let i = 1; i < points.length - 1; i++) {
    const [x, y] = points[i]!;
    const [nx, ny] = points[i + 1]!;
    g.quadraticCurveTo(x, y, (x + nx) / 2, (y + ny) / 2);
  }
  const last = points.at(-1)!;
  g.lineTo(last[0], last[1]);
  if (close) g.closePath();
}

/** Smooth step from 0 to 1 between two times. */
export function ease(t: number, from: number, to: number): number {
  const u = Math.max(0, Math.min(1, (t - from) / (to - from)));
  return u * u * (3 - 2 * u);
}

/** A kite with lit and shaded panels, spars, and a tail of bows that the wind moves. */
export function kite(
  g: Pen,
  x: number,
  y: number,
  size: number,
  colour: string,
  t: number,
  lean = -0.35,
): void {
  const sway = Math.sin(t * 2.1 + x * 0.003) * 0.09;
  g.save();
  g.translate(x, y);
  g.rotate(lean + sway);
  g.scale(size, size);
  const tail: [number, number][] = Array.from({ length: 14 }, (_, i) => [
    Math.sin(t * 4 - i * 0.62) * (8 + i * 3.4),
    170 + i * 21,
  ]);
  g.strokeStyle = colour;
  g.lineWidth = 5;
  g.lineCap = 'round';
  curve(g, tail);
  g.stroke();
  for (let i = 2; i < tail.length; i += 3) {
    const [bx, by] = tail[i]!;
    g.fillStyle = i % 2 ? paint.cream : colour;
    for (const side of [-1, 1]) {
      g.beginPath();
      g.moveTo(bx, by);
      g.lineTo(bx + side * 26, by - 13);
      g.lineTo(bx + side * 26, by + 13);
      g.fill();
    }
  }
  const panel = (points: [number, number][], shade: string) => {
    g.beginPath();
    points.forEach(([px, py], i) => (i ? g.lineTo(px, py) : g.moveTo(px, py)));
    g.closePath();
    g.fillStyle = colour;
    g.fill();
    g.fillStyle = shade;
    g.fill();
  };
  panel(
    [
      [0, -150],
      [105, 0],
      [0, 0],
    ],
    'rgba(255,255,255,.16)',
  );
  panel(
    [
      [0, -150],
      [-105, 0],
      [0, 0],
    ],
    'rgba(255,255,255,.04)',
  );
  panel(
    [
      [0, 170],
      [105, 0],
      [0, 0],
    ],
    'rgba(0,0,0,.06)',
  );
  panel(
    [
      [0, 170],
      [-105, 0],
      [0, 0],
    ],
    'rgba(0,0,0,.2)',
  );
  g.strokeStyle = 'rgba(255,250,235,.8)';
  g.lineWidth = 4;
  g.beginPath();
  g.moveTo(0, -150);
  g.lineTo(0, 170);
  g.moveTo(-105, 0);
  g.quadraticCurveTo(0, -16, 105, 0);
  g.stroke();
  g.restore();
}

const cloudPuffs = Array.from({ length: 7 }, (_, i) => {
  const roll = dice(77 + i);
  return Array.from({ length: 9 }, (_, k) => ({
    x: (k - 4) * 44 + roll() * 30,
    y: -Math.abs(roll() * 46) * Math.cos((k - 4) / 3.4),
    r: 34 + roll() * 44,
  }));
});
const clouds = cloudPuffs.map((puffs) =>
  still(620, 260, (g) => {
    g.filter = 'blur(7px)';
    for (const p of puffs) {
      g.fillStyle = 'rgba(190,206,214,.9)';
      ellipse(g, 310 + p.x, 168 + p.y * 0.6, p.r * 1.15, p.r * 0.5);
      g.fill();
    }
    for (const p of puffs) {
      g.fillStyle = 'rgba(255,253,247,.95)';
      ellipse(g, 305 + p.x, 150 + p.y, p.r, p.r * 0.66);
      g.fill();
    }
  }),
);

/** A cloud of one of seven shapes. */
export function cloud(g: Pen, kind: number, x: number, y: number, size: number, alpha = 1): void {
  g.globalAlpha = alpha;
  g.drawImage(clouds[kind % clouds.length]!(), x - 310 * size, y - 150 * size, 620 * size, 260 * size);
  g.globalAlpha = 1;
}

/** Light that wanders over water. */
export function glints(
  g: Pen,
  t: number,
  left: number,
  top: number,
  width: number,
  height: number,
  count: number,
  colour = '255,255,255',
): void {
  const roll = dice(5);
  for (let i = 0; i < count; i++) {
    const [u, v, phase, long] = [roll(), roll(), roll() * 6.28, 22 + roll() * 70];
    const depth = 0.25 + v * 0.9;
    const alpha = 0.1 + 0.32 * Math.max(0, Math.sin(t * 1.9 + phase));
    g.fillStyle = `rgba(${colour},${alpha.toFixed(3)})`;
    g.fillRect(
      left + ((u * width + t * 9 * depth) % width),
      top + v * height,
      long * depth,
      1.5 + 2.6 * depth,
    );
  }
}
