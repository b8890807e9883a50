import { median } from '../median.ts';
import type { Size } from '../picture/geometry.ts';
import { movePoint } from './camera.ts';
import { followBox, type BoxAt, type FollowWorld } from './follow-box.ts';
import { cameraFromTo, type CameraPath, type Part } from './ground.ts';
import {
  around,
  insidePicture,
  overlapShare,
  sharedArea,
  type LookBox,
  type LookPicture,
} from './picture.ts';
import { colourApart } from './salient.ts';

const { abs, floor, hypot, log, max, min, round, sqrt } = Math;

export const subjectKinds = ['person', 'face', 'animal', 'vehicle', 'thing', 'mover', 'drawn'] as const;
export type SubjectKind = (typeof subjectKinds)[number];

/** Something that the detector saw in one picture. */
export interface Sight {
  at: number;
  box: LookBox;
  kind: SubjectKind;
  /** What it is, one or two words: person, kite, dog. */
  what: string;
  score: number;
  /** It was seen at a second, closer look at this picture alone: that the others do not show it says nothing. */
  closer?: boolean;
  /** Of a face: which way it is turned, -1 (to the picture's left) to 1 (to its right). */
  turned?: number | undefined;
}

/** A subject through a shot, in look pixels, before it has a name. */
export interface RawTrack {
  kind: SubjectKind;
  what: string;
  turned?: number | undefined;
  boxes: BoxAt[];
  colour: readonly number[];
}

interface Active extends RawTrack {
  vx: number;
  vy: number;
  missing: number;
  observed: number;
}

const centre = (b: LookBox) => ({ x: b.x + b.width / 2, y: b.y + b.height / 2 });
const area = (b: LookBox) => b.width * b.height;

/** A box carried along by the camera and its own speed. */
function carry(
  box: LookBox,
  path: CameraPath,
  from: number,
  to: number,
  size: Size,
  vx = 0,
  vy = 0,
): LookBox {
  const camera = cameraFromTo(path, from, to);
  const scale = hypot(camera.a, camera.b);
  const c = centre(box);
  const p = movePoint(camera, c.x, c.y, size);
  const [width, height] = [box.width * scale, box.height * scale];
  return { x: p.x + vx - width / 2, y: p.y + vy - height / 2, width, height };
}

/** A subject that is hidden is waited for so long, seconds. */
const patience = 1.3;
/** Two pieces of one subject's way are joined over a gap of at most so many seconds. */
const joinable = 2.6;

/** Joins what stands out from the ground, picture by picture, to the ways of subjects that move by themselves. */
export function movingTracks(
  parts: readonly (readonly Part[])[],
  { path, size, perSecond }: Pick<FollowWorld, 'path' | 'size' | 'perSecond'>,
): RawTrack[] {
  const done: Active[] = [];
  let active: Active[] = [];
  parts.forEach((seen, at) => {
    const predicted = active.map((t) =>
      carry(t.boxes.at(-1)!.box, path, t.boxes.at(-1)!.at, at, size, t.vx, t.vy),
    );
    const free = new Set(seen);
    const pairs: { t: number; part: Part; cost: number }[] = [];
    active.forEach((track, t) => {
      const box = predicted[t]!;
      const scale = sqrt(area(box));
      for (const part of seen) {
        const [a, b] = [centre(box), centre(part)];
        const far = hypot(a.x - b.x, a.y - b.y) / (4 + scale * 0.6 + track.missing * 0.8);
        const size = abs(log(area(part) / area(box)));
        if (far < 1 && size < 1.6)
          pairs.push({ t, part, cost: far + size * 0.45 + colourApart(part.colour, track.colour) * 0.8 });
      }
    });
    pairs.sort((a, b) => a.cost - b.cost);
    const taken = new Map<number, Part>();
    for (const { t, part } of pairs) {
      if (taken.has(t) || !free.has(part)) continue;
      // Two subjects that meet are seen as one: neither takes it for itself while the other is expected there too.
      const both = active.some(
        (other, o) =>
          o !== t &&
          !taken.has(o) &&
          other.observed > 4 &&
          sharedArea(predicted[o]!, part) > 0.6 * area(predicted[o]!) &&
          area(part) > 1.25 * max(area(predicted[o]!), area(predicted[t]!)),
      );
      if (both && active[t]!.observed > 4) continue;
      taken.set(t, part);
      free.delete(part);
    }
    const still: Active[] = [];
    active.forEach((track, t) => {
      const box = predicted[t]!;
      let part: LookBox | undefined = taken.get(t);
      // Pieces of one subject that came apart.
      if (part) {
        for (const other of [...free]) {
          if (
            sharedArea(other, box) > 0.7 * area(other) &&
            area(around(part, other)) < 1.5 * max(area(box), area(part))
          ) {
            part = around(part, other);
            free.delete(other);
          }
        }
      }
      if (part) {
        const was = track.boxes.at(-1)!;
        const carried = centre(carry(was.box, path, was.at, at, size));
        const now = centre(part);
        const steps = max(1, at - was.at);
        track.vx += ((now.x - carried.x) / steps - track.vx) * 0.35;
        track.vy += ((now.y - carried.y) / steps - track.vy) * 0.35;
        const own = taken.get(t)!;
        track.colour = track.colour.map((c, i) => c + (own.colour[i]! - c) * 0.1);
        track.boxes.push({
          at,
          box: { x: part.x, y: part.y, width: part.width, height: part.height },
          sure: min(1, own.strength / 90 + 0.3),
        });
        track.missing = 0;
        track.observed++;
        still.push(track);
        return;
      }
      track.missing++;
      // Under another subject it is where the other is.
      const covered = seen.some((p) => sharedArea(p, box) > 0.5 * area(box));
      track.boxes.push({ at, box, sure: covered ? 0.45 : max(0.05, 0.3 - track.missing * 0.02) });
      track.vx *= covered ? 0.99 : 0.94;
      track.vy *= covered ? 0.99 : 0.94;
      const visible = insidePicture(box, size);
      if (track.missing > patience * perSecond || !visible || area(visible) < 0.25 * area(box))
        done.push(track);
      else still.push(track);
    });
    active = still;
    for (const part of free) {
      active.push({
        kind: 'mover',
        what: '',
        vx: 0,
        vy: 0,
        missing: 0,
        observed: 1,
        colour: part.colour,
        boxes: [
          {
            at,
            box: { x: part.x, y: part.y, width: part.width, height: part.height },
            sure: min(1, part.strength / 90 + 0.3),
          },
        ],
      });
    }
  });
  const whole = [...done, ...active]
    .map((t) => ({ ...t, boxes: trimEnd(t.boxes) }))
    .filter((t) => t.observed >= max(3, 0.24 * perSecond));
  return mergePieces(joinTracks(whole, path, size, perSecond)).filter((t) =>
    goesSomewhere(t, path, size, perSecond),
  );
}

/** What was only guessed at the end of a way is left out. */
function trimEnd(boxes: readonly BoxAt[]): BoxAt[] {
  let end = boxes.length;
  while (end > 0 && boxes[end - 1]!.sure < 0.4) end--;
  return boxes.slice(0, end);
}

/** Where a way is a little before its end (or after its start), how fast it goes there, and how large its subject is. */
interface Running {
  at: number;
  box: LookBox;
  vx: number;
  vy: number;
}

/**
 * A subject that goes behind something is seen in part at last, and its middle slows: its speed and size are taken
 * from a little earlier, over about a second.
 */
function runningAt(
  boxes: readonly BoxAt[],
  end: 'start' | 'end',
  path: CameraPath,
  size: Size,
  perSecond: number,
): Running {
  const n = boxes.length;
  const skip = min(n - 1, round(perSecond * 0.32));
  const reach = min(n - 1 - skip, round(perSecond));
  const near = end === 'end' ? boxes[n - 1 - skip]! : boxes[skip]!;
  const far = end === 'end' ? boxes[n - 1 - skip - reach]! : boxes[skip + reach]!;
  const carried = centre(carry(far.box, path, far.at, near.at, size));
  const here = centre(near.box);
  const steps = near.at - far.at;
  const middle = (pick: (b: LookBox) => number) => median(boxes.map((b) => pick(b.box)))!;
  const [width, height] = [middle((b) => b.width), middle((b) => b.height)];
  return {
    at: near.at,
    box: { x: here.x - width / 2, y: here.y - height / 2, width, height },
    vx: steps ? (here.x - carried.x) / steps : 0,
    vy: steps ? (here.y - carried.y) / steps : 0,
  };
}

/** Joins the way of a subject that was hidden, or left and came back, to one. */
function joinTracks(tracks: Active[], path: CameraPath, size: Size, perSecond: number): Active[] {
  const sorted = [...tracks].sort((a, b) => a.boxes[0]!.at - b.boxes[0]!.at);
  const joined: Active[] = [];
  for (const track of sorted) {
    const first = track.boxes[0]!;
    const next = runningAt(track.boxes, 'start', path, size, perSecond);
    let [best, cost] = [null as Active | null, 1];
    for (const earlier of joined) {
      const last = earlier.boxes.at(-1)!;
      const gap = first.at - last.at;
      // At a post a subject comes out on one side before it has wholly gone on the other.
      if (gap < -0.7 * perSecond || gap > joinable * perSecond || track.boxes.at(-1)!.at <= last.at) continue;
      const before = runningAt(earlier.boxes, 'end', path, size, perSecond);
      const steps = next.at - before.at;
      // As it went on, or, for one that came back, as it comes from.
      const [on, stayed, came] = [
        carry(before.box, path, before.at, next.at, size, before.vx * steps, before.vy * steps),
        carry(before.box, path, before.at, next.at, size),
        carry(next.box, path, next.at, before.at, size, -next.vx * steps, -next.vy * steps),
      ];
      const [a, b, c, d, e] = [
        centre(on),
        centre(next.box),
        centre(stayed),
        centre(came),
        centre(before.box),
      ];
      const scale = sqrt(area(before.box));
      const far =
        min(hypot(a.x - b.x, a.y - b.y), hypot(c.x - b.x, c.y - b.y), hypot(d.x - e.x, d.y - e.y)) /
        (6 + scale * 1.2 + max(0, gap) * 0.5);
      const now =
        far * 0.5 +
        abs(log(area(next.box) / area(before.box))) * 0.3 +
        colourApart(track.colour, earlier.colour) * 0.9;
      if (far < 1 && now < cost) [best, cost] = [earlier, now];
    }
    if (!best) {
      joined.push({ ...track, boxes: [...track.boxes] });
      continue;
    }
    // What was seen of it only in part, on either side, is left out: in between it goes on evenly.
    const skip = round(perSecond * 0.3);
    const tail = first.at - best.boxes.at(-1)!.at > 1 || first.at <= best.boxes.at(-1)!.at;
    while (
      best.boxes.length > 1 &&
      (best.boxes.at(-1)!.at >= first.at || (tail && best.boxes.at(-1)!.at > first.at - skip))
    )
      best.boxes.pop();
    const rest = track.boxes.slice(tail ? min(skip, track.boxes.length - 1) : 0);
    const [last, on] = [best.boxes.at(-1)!, rest[0]!];
    for (let at = last.at + 1; at < on.at; at++) {
      const t = (at - last.at) / (on.at - last.at);
      const [p, q] = [carry(last.box, path, last.at, at, size), carry(on.box, path, on.at, at, size)];
      best.boxes.push({
        at,
        sure: 0.3,
        box: {
          x: p.x + (q.x - p.x) * t,
          y: p.y + (q.y - p.y) * t,
          width: p.width + (q.width - p.width) * t,
          height: p.height + (q.height - p.height) * t,
        },
      });
    }
    if (last.at < on.at) best.boxes.push(...rest);
    best.observed += track.observed;
  }
  return joined;
}

/** Pieces of one subject: close to each other for as long as both are seen, and never apart. Legs and a coat become a walker. */
function mergePieces(tracks: Active[]): Active[] {
  const sorted = [...tracks].sort((a, b) => b.observed - a.observed);
  const whole: Active[] = [];
  for (const piece of sorted) {
    const host = whole.find((t) => {
      const common = piece.boxes.filter((b) => at(t, b.at));
      if (common.length < piece.boxes.length * 0.7) return false;
      const offs = common.map((b) => {
        const other = at(t, b.at)!.box;
        const [c, d] = [centre(b.box), centre(other)];
        return {
          x: c.x - d.x,
          y: c.y - d.y,
          gapX: max(b.box.x, other.x) - min(b.box.x + b.box.width, other.x + other.width),
          gapY: max(b.box.y, other.y) - min(b.box.y + b.box.height, other.y + other.height),
          side: sqrt(max(area(b.box), area(other))),
        };
      });
      const close = offs.filter((o) => o.gapX < 2 + o.side * 0.12 && o.gapY < 2 + o.side * 0.12).length;
      const mean = (pick: (o: (typeof offs)[number]) => number) =>
        offs.reduce((sum, o) => sum + pick(o), 0) / offs.length;
      const [mx, my] = [mean((o) => o.x), mean((o) => o.y)];
      const strays = sqrt(mean((o) => (o.x - mx) ** 2 + (o.y - my) ** 2));
      return close > offs.length * 0.9 && strays < 1.5 + mean((o) => o.side) * 0.3;
    });
    if (!host) {
      whole.push(piece);
      continue;
    }
    for (const b of piece.boxes) {
      const here = at(host, b.at);
      if (here) here.box = around(here.box, b.box);
    }
  }
  return whole;
}

/** Leaves and waves tremble in place; a subject goes at least half its own size, or keeps at it. */
function goesSomewhere(track: Active, path: CameraPath, size: Size, perSecond: number): boolean {
  const [first] = track.boxes;
  const start = centre(first!.box);
  let most = 0;
  for (const { at, box } of track.boxes) {
    const from = movePoint(cameraFromTo(path, first!.at, at), start.x, start.y, size);
    const c = centre(box);
    most = max(most, hypot(c.x - from.x, c.y - from.y));
  }
  const scale = sqrt(area(first!.box));
  return (
    most > max(3, scale * 0.35) ||
    (track.observed > perSecond * 1.5 &&
      area(first!.box) > size.width * size.height * 0.004 &&
      track.observed > track.boxes.length * 0.7)
  );
}

/** Values along a way made smooth: the middle of a few, then their average; the ends stay where they are. */
function smoothed(values: readonly number[], reach: number): number[] {
  const calm = values.map((_, i) => median(values.slice(max(0, i - reach), i + reach + 1))!);
  return calm.map((_, i) => {
    const r = min(reach, i, calm.length - 1 - i);
    let sum = 0;
    for (let j = i - r; j <= i + r; j++) sum += calm[j]!;
    return sum / (2 * r + 1);
  });
}

/** A way without the tremble of single pictures. */
export function smoothTrack(boxes: readonly BoxAt[]): BoxAt[] {
  const mid = (pick: (b: LookBox) => number, reach: number) =>
    smoothed(
      boxes.map((b) => pick(b.box)),
      reach,
    );
  const xs = mid((b) => b.x + b.width / 2, 2);
  const ys = mid((b) => b.y + b.height / 2, 2);
  const widths = mid((b) => b.width, 5);
  const heights = mid((b) => b.height, 5);
  // What was smoothed away was the subject's own way on the screen, where the camera shakes: its box holds that as well.
  const [shakeX, shakeY] = [
    trembleOf(boxes.map((b, i) => b.box.x + b.box.width / 2 - xs[i]!)),
    trembleOf(boxes.map((b, i) => b.box.y + b.box.height / 2 - ys[i]!)),
  ];
  return boxes.map((b, i) => {
    const [width, height] = [widths[i]! + 2 * shakeX, heights[i]! + 2 * shakeY];
    return { at: b.at, sure: b.sure, box: { x: xs[i]! - width / 2, y: ys[i]! - height / 2, width, height } };
  });
}

/** Less than this is no shake but the grain of the looked-at picture, look pixels. */
const leastTremble = 0.6;

/** How far a way trembles about its smooth one: what nine in ten of its pictures keep within. */
function trembleOf(offs: readonly number[]): number {
  const sorted = offs.map(abs).sort((a, b) => a - b);
  const most = sorted[floor(sorted.length * 0.9)] ?? 0;
  return most < leastTremble ? 0 : most;
}

const at = (track: RawTrack, picture: number): BoxAt | undefined => {
  const first = track.boxes[0]?.at;
  return first === undefined ? undefined : track.boxes[picture - first];
};

/** Part of the smaller of two boxes that the other covers. */
const covers = (a: LookBox, b: LookBox) => sharedArea(a, b) / (min(area(a), area(b)) || 1);

/**
 * Brings what the detector saw together with what moves: sights give moving subjects their kind and their full size,
 * and what does not move by itself a way of its own.
 */
export function withSights(
  moving: readonly RawTrack[],
  sights: readonly Sight[],
  world: FollowWorld,
): RawTrack[] {
  const used = new Set<Sight>();
  const named = moving.map((track): RawTrack => {
    const mine = sights.filter((s) => {
      const here = at(track, s.at);
      return (
        here &&
        s.kind !== 'face' &&
        covers(here.box, s.box) > 0.55 &&
        area(s.box) < area(here.box) * 6 &&
        area(here.box) < area(s.box) * 4
      );
    });
    if (!mine.length) return track;
    mine.forEach((s) => used.add(s));
    const votes = new Map<string, { score: number; sight: Sight }>();
    for (const s of mine) votes.set(s.what, { score: (votes.get(s.what)?.score ?? 0) + s.score, sight: s });
    const { sight, score } = [...votes.values()].sort((a, b) => b.score - a.score)[0]!;
    const seenAt = track.boxes.filter((b) => sights.some((s) => s.at === b.at)).length;
    if (score < 0.3 * max(1, seenAt * 0.4)) return track;
    return {
      ...track,
      kind: sight.kind,
      what: sight.what,
      boxes: anchored(
        track.boxes,
        mine.filter((s) => s.what === sight.what),
      ),
    };
  });
  const all = [...named];
  // The best sights first: each is followed both ways, and takes with it what it meets.
  for (const seed of [...sights].sort((a, b) => b.score - a.score)) {
    if (used.has(seed)) continue;
    used.add(seed);
    if (
      all.some(
        (t) => t.what === seed.what && at(t, seed.at) && overlapShare(at(t, seed.at)!.box, seed.box) > 0.3,
      )
    )
      continue;
    const start: BoxAt = { at: seed.at, box: seed.box, sure: min(1, seed.score + 0.3) };
    const boxes = [...followBox(world, start, -1).reverse(), start, ...followBox(world, start, 1)];
    const track: RawTrack = {
      kind: seed.kind,
      what: seed.what,
      boxes,
      colour: colourIn(world.pictures[seed.at]!, world.size, seed.box),
    };
    const met = sights.filter(
      (s) =>
        s !== seed &&
        s.what === seed.what &&
        at(track, s.at) &&
        overlapShare(at(track, s.at)!.box, s.box) > 0.35,
    );
    met.forEach((s) => used.add(s));
    const looked = new Set(sights.map((s) => s.at)).size;
    if (met.length === 0 && looked > 1 && seed.score < (seed.closer ? 0.4 : 0.55)) continue;
    if (boxes.length < 3) continue;
    const turns = [seed, ...met].flatMap(({ turned }) => turned ?? []);
    all.push({ ...track, turned: median(turns), boxes: pulledTo(boxes, [seed, ...met]) });
  }
  return joinedSame(all);
}

/** Two ways of one kind lie so much on each other where both are seen that they are one subject's. */
const oneSubject = 0.4;

/** Joins the ways of one subject that was met twice: what the one has lost, the other goes on with. */
function joinedSame(tracks: readonly RawTrack[]): RawTrack[] {
  const joined: RawTrack[] = [];
  // What moves comes first: its way was measured, and not only looked for.
  for (const track of tracks) {
    const host = joined.findIndex((t) => {
      if (t.kind !== track.kind || t.kind === 'mover' || t.kind === 'thing') return false;
      const common = track.boxes.filter((b) => at(t, b.at));
      const alike = common.filter((b) => overlapShare(at(t, b.at)!.box, b.box) > oneSubject);
      return common.length > 0 && alike.length >= common.length * 0.5;
    });
    if (host < 0) {
      joined.push(track);
      continue;
    }
    const whole = joined[host]!;
    const [first, last] = [whole.boxes[0]!.at, whole.boxes.at(-1)!.at];
    const before = track.boxes.filter((b) => b.at < first);
    const after = track.boxes.filter((b) => b.at > last);
    joined[host] = { ...whole, boxes: [...before, ...whole.boxes, ...after] };
  }
  return joined;
}

/** The colour of a box's middle; strong colours count for more, because that is what people name a thing by. */
function colourIn(picture: LookPicture, size: Size, box: LookBox): number[] {
  const plane = size.width * size.height;
  const sum = [0, 0, 0];
  let total = 0;
  for (let y = max(0, floor(box.y + box.height * 0.2)); y < min(size.height, box.y + box.height * 0.8); y++) {
    for (let x = max(0, floor(box.x + box.width * 0.2)); x < min(size.width, box.x + box.width * 0.8); x++) {
      const at = y * size.width + x;
      const [l, u, v] = [picture[at]!, picture[plane + at]!, picture[2 * plane + at]!];
      const weight = 1 + hypot(u - 128, v - 128) ** 2 / 60;
      [l, u, v].forEach((value, i) => (sum[i]! += value * weight));
      total += weight;
    }
  }
  return total ? sum.map((s) => s / total) : [128, 128, 128];
}

/**
 * A moving subject's way as the detector saw it: its size from the sights, its middle from what moves, held to the
 * sights. Where much more than the subject moves, as when somebody passes before surf, its middle goes evenly from
 * sight to sight.
 */
function anchored(boxes: readonly BoxAt[], sights: readonly Sight[]): BoxAt[] {
  const seen = sights
    .map((s) => {
      const here = boxes.find((b) => b.at === s.at)!.box;
      const [m, c] = [centre(here), centre(s.box)];
      // What moves may be a part of it only, or more than it.
      const wild = here.width > s.box.width * 2.2 || here.height > s.box.height * 2.2;
      return { at: s.at, box: s.box, c, off: wild ? null : { x: c.x - m.x, y: c.y - m.y } };
    })
    .sort((a, b) => a.at - b.at);
  return boxes.map((b) => {
    const next = seen.findIndex((o) => o.at >= b.at);
    const [p, q] =
      next < 0
        ? [seen.at(-1)!, seen.at(-1)!]
        : next === 0
          ? [seen[0]!, seen[0]!]
          : [seen[next - 1]!, seen[next]!];
    const t = q.at === p.at ? 0 : (b.at - p.at) / (q.at - p.at);
    const mix = (u: number, v: number) => u + (v - u) * t;
    const [width, height] = [mix(p.box.width, q.box.width), mix(p.box.height, q.box.height)];
    const wild = b.box.width > width * 2.2 || b.box.height > height * 2.2;
    const m = centre(b.box);
    const off = p.off && q.off ? { x: mix(p.off.x, q.off.x), y: mix(p.off.y, q.off.y) } : (p.off ?? q.off);
    const c =
      wild || !off ? { x: mix(p.c.x, q.c.x), y: mix(p.c.y, q.c.y) } : { x: m.x + off.x, y: m.y + off.y };
    return {
      at: b.at,
      sure: min(1, b.sure + 0.15) * (wild ? 0.7 : 1),
      box: { x: c.x - width / 2, y: c.y - height / 2, width, height },
    };
  });
}

/** A way pulled to where the subject was really seen; in between the correction passes over evenly. */
function pulledTo(boxes: readonly BoxAt[], sights: readonly Sight[]): BoxAt[] {
  const offs = sights
    .map((s) => ({ at: s.at, from: boxes.find((b) => b.at === s.at), to: s.box }))
    .flatMap((o) =>
      o.from
        ? [
            {
              at: o.at,
              d: [
                o.to.x - o.from.box.x,
                o.to.y - o.from.box.y,
                o.to.width - o.from.box.width,
                o.to.height - o.from.box.height,
              ],
            },
          ]
        : [],
    )
    .sort((a, b) => a.at - b.at);
  if (!offs.length) return [...boxes];
  return boxes.map((b) => {
    const next = offs.findIndex((o) => o.at >= b.at);
    const [p, q] =
      next < 0
        ? [offs.at(-1)!, offs.at(-1)!]
        : next === 0
          ? [offs[0]!, offs[0]!]
          : [offs[next - 1]!, offs[next]!];
    const t = q.at === p.at ? 0 : (b.at - p.at) / (q.at - p.at);
    const d = p.d.map((v, i) => v + (q.d[i]! - v) * t);
    return {
      at: b.at,
      sure: b.sure,
      box: {
        x: b.box.x + d[0]!,
        y: b.box.y + d[1]!,
        width: max(1, b.box.width + d[2]!),
        height: max(1, b.box.height + d[3]!),
      },
    };
  });
}

/**
 * Leaves out small pieces of what is seen whole: a track that hardly ever leaves a larger one. A face is no piece of the
 * person whose it is: in a close-up the person fills the picture, and the face is what must be seen.
 */
export function withoutPieces(tracks: readonly RawTrack[]): RawTrack[] {
  return tracks.filter(
    (piece) =>
      piece.kind === 'face' ||
      !tracks.some((whole) => {
        if (whole === piece) return false;
        const common = piece.boxes.filter((b) => at(whole, b.at));
        if (common.length < piece.boxes.length * 0.8) return false;
        const inside = common.filter((b) => {
          const w = at(whole, b.at)!.box;
          const wide: LookBox = {
            x: w.x - w.width * 0.2,
            y: w.y - w.height * 0.2,
            width: w.width * 1.4,
            height: w.height * 1.4,
          };
          return (
            area(b.box) < area(w) * (piece.kind === 'mover' ? 0.9 : 0.5) &&
            sharedArea(b.box, wide) > 0.75 * area(b.box)
          );
        });
        return inside.length > common.length * 0.85;
      }),
  );
}
