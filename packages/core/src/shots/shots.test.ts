import { describe, expect, test } from '@jest/globals';
import fc from 'fast-check';
import { flat, knownFilm, lit, scene } from '../testing/pictures.ts';
import { ShotFinder, type Join } from './find.ts';
import { groupSetups, matchShots, shotsOfJoins, type Thumbnails } from './looks.ts';
import {
  addShotBoundary,
  freeSetup,
  moveShotBoundary,
  removeShotBoundary,
  shotIndexAt,
  shotsFromCuts,
  shotSpans,
  shotsSchema,
  withSetup,
  type Shot,
} from './shots.ts';
import { thumbBytes, type Thumb } from './thumb.ts';

function find(pictures: readonly Thumb[]): Join[] {
  const finder = new ShotFinder();
  for (const p of pictures) finder.push(p);
  return finder.finish();
}
function readThumbnails(pictures: readonly Thumb[], every = 5): Thumbnails {
  const kept = pictures.filter((_, i) => i % every === 0);
  const data = new Uint8Array(kept.length * thumbBytes);
  kept.forEach((p, i) => data.set(p, i * thumbBytes));
  return { every, data };
}
const run = (seed: number, from: number, length: number) =>
  Array.from({ length }, (_, i) => scene(seed)(from + i));

describe('finding shots', () => {
  test('recall and precision on made-up films with dissolves, fades, flashes, strobes and shaking cameras', () => {
    let [right, missed, wrong, slow, slowFound, slowWrong] = [0, 0, 0, 0, 0, 0];
    for (let seed = 101; seed <= 109; seed++) {
      const film = knownFilm(seed, 24);
      const joins = find(film.pictures);
      const cuts = new Set(joins.filter((j) => j.kind === 'cut').map((j) => j.frame));
      right += film.cuts.filter((c) => cuts.has(c)).length;
      missed += film.cuts.filter((c) => !cuts.has(c)).length;
      wrong += [...cuts].filter((c) => !film.cuts.includes(c)).length;
      const near = (j: Join, s: { from: number; to: number }) =>
        j.kind !== 'cut' && j.frame >= s.from - 4 && j.frame <= s.to + 4;
      slow += film.slow.length;
      slowFound += film.slow.filter((s) => joins.some((j) => near(j, s))).length;
      slowWrong += joins.filter((j) => j.kind !== 'cut' && !film.slow.some((s) => near(j, s))).length;
    }
    expect(right + missed).toBeGreaterThan(150);
    expect(right / (right + missed)).toBeGreaterThanOrEqual(0.97);
    expect(right / (right + wrong)).toBeGreaterThanOrEqual(0.97);
    expect(slowFound / slow).toBeGreaterThanOrEqual(0.9);
    expect(slowWrong / slow).toBeLessThanOrEqual(0.1);
  });
  test('a film without cuts has none: still, panned, lit up slowly, flashing, or black', () => {
    expect(find(run(5, 0, 80))).toEqual([]);
    expect(find(Array.from({ length: 80 }, () => flat(16)))).toEqual([]);
    expect(find(run(6, 0, 90).map((p, i) => lit(p, 1, i / 3)))).toEqual([]);
    expect(find(run(7, 0, 80).map((p, i) => (i === 40 || i === 41 ? flat(250) : p)))).toEqual([]);
    expect(find([])).toEqual([]);
    expect(find(run(8, 0, 1))).toEqual([]);
  });
  test('a black leader is a shot of its own; a cut beside a flash is still found', () => {
    expect(
      find([...Array.from({ length: 20 }, () => flat(16)), ...run(9, 0, 30)]).map((j) => j.frame),
    ).toEqual([20]);
    const film = [...run(10, 0, 30), ...run(11, 0, 30)];
    film[22] = flat(248);
    expect(find(film).map((j) => j.frame)).toEqual([30]);
  });
  test('two thousand cuts are all found, and grouped', () => {
    const places = Array.from({ length: 5 }, (_, i) => run(200 + i, 0, 6));
    const order = Array.from({ length: 2001 }, (_, i) => (i * 7 + (i >> 2)) % 5).map((p, i, all) =>
      i > 0 && all[i - 1] === p ? (p + 1) % 5 : p,
    );
    const fixed = order.map((p, i) => (i > 0 && order[i - 1] === p ? (p + 2) % 5 : p));
    const pictures = fixed.flatMap((p) => places[p]!);
    const expected = fixed.flatMap((p, i) => (i > 0 && fixed[i - 1] !== p ? [i * 6] : []));
    const joins = find(pictures);
    const found = new Set(joins.map((j) => j.frame));
    expect(expected.filter((c) => found.has(c)).length / expected.length).toBeGreaterThan(0.97);
    expect(
      new Set(shotsOfJoins(joins, pictures.length, readThumbnails(pictures, 4)).map((s) => s.setup)).size,
    ).toBe(5);
  });
});

describe('setups and matches', () => {
  // Two people filmed from two cameras, cut back and forth, and a place seen once.
  const order = [21, 22, 21, 22, 23, 21, 22];
  const pictures = order.flatMap((seed, i) => run(seed, i * 10, 40));
  const shots = order.map((_, i) => ({ from: i * 40, setup: '1' }));
  test('shots of one camera are grouped, in the order that they appear', () => {
    expect(groupSetups(shots, pictures.length, readThumbnails(pictures)).map((s) => s.setup)).toEqual([
      '1',
      '2',
      '1',
      '2',
      '3',
      '1',
      '2',
    ]);
  });
  test('a re-graded film with a shot gone, one added and small trims is matched shot by shot', () => {
    const kept = [0, 1, 3, 4, 5, 6];
    const next = [
      ...kept.slice(0, 3).flatMap((i) => pictures.slice(i * 40 + 3, i * 40 + 36)),
      ...run(31, 0, 30),
      ...kept.slice(3).flatMap((i) => pictures.slice(i * 40, i * 40 + 40)),
    ].map((p) => lit(p, 0.85, 22));
    const starts = [0, 33, 66, 99, 129, 169, 209];
    const match = matchShots(
      shots,
      pictures.length,
      readThumbnails(pictures),
      starts.map((from) => ({ from, setup: '1' })),
      next.length,
      readThumbnails(next),
    );
    // Alike shots may stand for each other (2 and 0 are the same camera); what is new has no match.
    expect(match[3]).toBeNull();
    expect(match.filter((m) => m !== null)).toHaveLength(6);
    expect(
      match.map((m, i) =>
        m === null
          ? 'new'
          : [0, 1, 3, null, 4, 5, 6][i] === m || order[m] === order[[0, 1, 3, 0, 4, 5, 6][i]!],
      ),
    ).toEqual([true, true, true, 'new', true, true, true]);
  });
});

describe('cutting by hand', () => {
  const frames = 500;
  const list = fc
    .uniqueArray(fc.integer({ min: 1, max: frames - 1 }), { maxLength: 20 })
    .map((cuts): Shot[] =>
      [0, ...cuts.sort((a, b) => a - b)].map((from, i) => ({ from, setup: String((i % 3) + 1) })),
    );
  test('whatever is done, shots stay in order, start at 0 and cover the film', () => {
    fc.assert(
      fc.property(
        list,
        fc.integer({ min: 0, max: frames - 1 }),
        fc.integer({ min: -50, max: 600 }),
        fc.nat(25),
        (shots, at, to, index) => {
          for (const next of [
            addShotBoundary(shots, at),
            moveShotBoundary(shots, index, to, frames),
            removeShotBoundary(shots, index),
            withSetup(shots, index, '9'),
          ]) {
            expect(shotsSchema.safeParse(next).success).toBe(true);
            const spans = shotSpans(next, frames);
            expect(spans.at(-1)!.to).toBe(frames);
            expect(spans.every((s, i) => i === 0 || spans[i - 1]!.to === s.from)).toBe(true);
            expect(next[shotIndexAt(next, at)]!.from).toBeLessThanOrEqual(at);
          }
        },
      ),
    );
  });
  test('a cut added and removed again leaves the shots as they were', () => {
    fc.assert(
      fc.property(list, fc.integer({ min: 1, max: frames - 1 }), (shots, at) => {
        if (shots.some((s) => s.from === at)) return;
        const added = addShotBoundary(shots, at);
        expect(
          removeShotBoundary(
            added,
            added.findIndex((s) => s.from === at),
          ),
        ).toEqual(shots);
      }),
    );
  });
  test('read cuts take the setups of the frames that they start at; a free setup is a new number', () => {
    const shots: Shot[] = [
      { from: 0, setup: '1' },
      { from: 100, setup: '3' },
    ];
    expect(shotsFromCuts([150, 50, 50, 9000, -3], shots, frames)).toEqual([
      { from: 0, setup: '1' },
      { from: 50, setup: '1' },
      { from: 150, setup: '3' },
    ]);
    expect(freeSetup(shots)).toBe('2');
  });
});
