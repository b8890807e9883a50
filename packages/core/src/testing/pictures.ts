import { thumbBytes, thumbHeight, thumbPlane, thumbWidth, type Thumb } from '../shots/thumb.ts';

// Taken once: looked up in the inner loops, a test runner's sandbox makes them a hundred times slower.
const { floor, max, min, round, imul } = Math;

/** A repeatable source of numbers in [0,1). */
export function dice(seed: number): () => number {
  let state = (seed * 2654435761 + 1) >>> 0;
  return () => {
    state = (imul(state, 1664525) + 1013904223) >>> 0;
    return state / 2 ** 32;
  };
}

/** A made-up place: a horizon, walls and things of its own, people that move in it, and a camera's character. */
export function scene(seed: number) {
  const roll = dice(seed);
  const colour = () => [30 + roll() * 200, 90 + roll() * 76, 90 + roll() * 76] as const;
  const [sky, ground] = [colour(), colour()];
  const horizon = 8 + roll() * 20;
  const things = Array.from({ length: 10 + floor(roll() * 14) }, () => ({
    x: roll() * 80 - 8,
    y: roll() * 40 - 2,
    w: 2 + roll() * 16,
    h: 2 + roll() * 14,
    colour: colour(),
  }));
  const people = Array.from({ length: floor(roll() * 3) }, () => ({
    x: roll() * 64,
    y: 10 + roll() * 18,
    r: 3 + roll() * 5,
    vx: (roll() - 0.5) * 1.2,
    colour: colour(),
  }));
  const camera = { pan: (roll() - 0.5) * 0.6, shake: roll() < 0.35 ? roll() * 1.6 : 0, noise: roll() * 6 };
  const jitter = dice(seed + 77);
  /** One picture of the place, `t` frames in. */
  return (t: number): Thumb => {
    const thumb = new Uint8Array(thumbBytes);
    const [sx, sy] = [
      camera.pan * t + (jitter() - 0.5) * 2 * camera.shake,
      (jitter() - 0.5) * 2 * camera.shake,
    ];
    for (let y = 0; y < thumbHeight; y++) {
      for (let x = 0; x < thumbWidth; x++) {
        const [wx, wy] = [x + sx, y + sy];
        let c: readonly [number, number, number] =
          wy < horizon
            ? [sky[0] + wy * 1.4, sky[1], sky[2]]
            : [ground[0] - (wy - horizon) * 0.8, ground[1], ground[2]];
        for (const o of things)
          if (wx >= o.x && wx < o.x + o.w && wy >= o.y && wy < o.y + o.h)
            c = [o.colour[0] + ((floor(wx) + floor(wy)) % 3) * 9, o.colour[1], o.colour[2]];
        for (const p of people) {
          const px = p.x + p.vx * t;
          if ((wx - px) ** 2 + (wy - p.y) ** 2 < p.r ** 2) c = p.colour;
        }
        const at = y * thumbWidth + x;
        const grain = (jitter() - 0.5) * camera.noise;
        for (let plane = 0; plane < 3; plane++)
          thumb[plane * thumbPlane + at] = max(0, min(255, c[plane]! + (plane === 0 ? grain : grain / 3)));
      }
    }
    return thumb;
  };
}

/** A flat picture: black for a leader, white for a flash. */
export function flat(luma: number): Thumb {
  const thumb = new Uint8Array(thumbBytes).fill(128);
  return thumb.fill(luma, 0, thumbPlane);
}

/** A picture between two others. */
export function mix(a: Thumb, b: Thumb, t: number): Thumb {
  return a.map((v, i) => round(v + (b[i]! - v) * t));
}

/** A picture in other light. */
export function lit(thumb: Thumb, gain: number, lift: number): Thumb {
  return thumb.map((v, i) => (i < thumbPlane ? max(0, min(255, v * gain + lift)) : v));
}

/** A film with known joins. */
export interface KnownFilm {
  pictures: Thumb[];
  cuts: number[];
  slow: { kind: 'dissolve' | 'fade'; from: number; to: number }[];
}

/** Makes up a film: shots of places seen again and again, hard cuts, dissolves, fades, flashes, strobes and black leaders. */
export function knownFilm(seed: number, shots: number): KnownFilm {
  const roll = dice(seed * 31 + 7);
  const places = Array.from({ length: 3 + floor(roll() * 5) }, (_, i) => scene(seed * 100 + i));
  const film: KnownFilm = { pictures: [], cuts: [], slow: [] };
  if (roll() < 0.3) {
    for (let i = 0; i < 20; i++) film.pictures.push(flat(16));
    film.cuts.push(20);
  }
  let last = -1;
  for (let s = 0; s < shots; s++) {
    let place = floor(roll() * places.length);
    if (place === last) place = (place + 1) % places.length;
    last = place;
    const look = places[place]!;
    const length = 14 + floor(roll() * 70);
    const start = floor(roll() * 30);
    const how =
      film.pictures.length === 0 || s === 0
        ? 'cut'
        : roll() < 0.1
          ? 'dissolve'
          : roll() < 0.06
            ? 'fade'
            : 'cut';
    if (how === 'cut' && film.pictures.length > 0 && s > 0) film.cuts.push(film.pictures.length);
    if (how === 'dissolve') {
      const n = [10, 16, 25][floor(roll() * 3)]!;
      const from = film.pictures.length;
      const before = film.pictures.at(-1)!;
      for (let i = 1; i <= n; i++) film.pictures.push(mix(before, look(start), i / (n + 1)));
      film.slow.push({ kind: 'dissolve', from, to: from + n });
    }
    if (how === 'fade') {
      const n = 12;
      const from = film.pictures.length;
      const before = film.pictures.at(-1)!;
      for (let i = 1; i <= n; i++) film.pictures.push(mix(before, flat(16), i / n));
      for (let i = 1; i <= n; i++) film.pictures.push(mix(flat(16), look(start), i / n));
      film.slow.push({ kind: 'fade', from, to: from + 2 * n });
    }
    const flash = roll() < 0.15 ? 5 + floor(roll() * (length - 10)) : -1;
    const strobe = roll() < 0.06;
    for (let i = 0; i < length; i++) {
      let picture = look(start + i);
      if (flash >= 0 && i >= flash && i < flash + 1 + (seed % 3))
        picture = seed % 2 ? flat(245) : lit(picture, 1.2, 90);
      if (strobe && i > 4 && i < length - 6 && floor(i / 2) % 2 === 0) picture = lit(picture, 1, 100);
      film.pictures.push(picture);
    }
  }
  return film;
}
