import { afterAll, beforeAll, describe, expect, test } from '@jest/globals';
import { createCanvas } from '@napi-rs/canvas';
import { createHash } from 'node:crypto';
import { mkdtemp, readdir, readFile, rm } from 'node:fs/promises';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { masterNotes, readSpecBook } from '@mivvy/core';
import { countFrames, matchTextless, probeMaster } from '@mivvy/media';
import { demoFilms, makeFilm, makeTextless } from './make.ts';
import { dice, ease } from './paint.ts';
import { kiteWeekend } from './scenes.ts';
import { filmSound, mouthAt } from './sound.ts';

let dir: string;
beforeAll(async () => {
  dir = await mkdtemp(join(tmpdir(), 'mivvy demo '));
});
afterAll(() => rm(dir, { recursive: true, force: true }));

const film = demoFilms[0]!;

/** A film's picture at a time, drawn small. */
function drawn(index: number, t: number): Buffer {
  const { width, height, draw } = demoFilms[index]!;
  const canvas = createCanvas(width / 8, height / 8);
  const g = canvas.getContext('2d');
  g.scale(1 / 8, 1 / 8);
  draw(g, t);
  return Buffer.from(canvas.data());
}

/** Mean difference of two pictures, 0 to 255. */
function difference(a: Buffer, b: Buffer): number {
  let sum = 0;
  for (let i = 0; i < a.length; i += 1) sum += a[i]! > b[i]! ? a[i]! - b[i]! : b[i]! - a[i]!;
  return sum / a.length;
}

describe('the film', () => {
  test('has twelve shots and 1060 frames at 25 a second', () => {
    expect(kiteWeekend).toHaveLength(12);
    expect(kiteWeekend.reduce((n, s) => n + Math.round(s.seconds * 25), 0)).toBe(1060);
    expect(Math.round(film.seconds * film.rate)).toBe(1060);
  });

  test('cuts show: pictures change far more across a cut than within a shot', () => {
    let at = 0;
    for (const shot of kiteWeekend.slice(0, -1)) {
      at += Math.round(shot.seconds * 25);
      const across = difference(drawn(0, (at - 1) / 25), drawn(0, at / 25));
      const within = difference(drawn(0, (at - 2) / 25), drawn(0, (at - 1) / 25));
      expect(across).toBeGreaterThan(within * 3);
    }
  });

  test('people filmed by one camera are seen again from the same place', () => {
    expect(difference(drawn(0, 6), drawn(0, 16))).toBeLessThan(difference(drawn(0, 6), drawn(0, 9)));
  });

  test('the same sources give the same bytes, whole or not at all', async () => {
    const sums: string[] = [];
    for (const name of ['a.mp4', 'b.mp4']) {
      await makeFilm(film, join(dir, name), 0.125, 0.6);
      sums.push(
        createHash('sha256')
          .update(await readFile(join(dir, name)))
          .digest('hex'),
      );
    }
    expect(sums[0]).toBe(sums[1]);
    expect((await readdir(dir)).sort()).toEqual(['a.mp4', 'b.mp4']);
  });

  test('its textless master is the same edit, and differs from it in the title alone', async () => {
    const paths = [join(dir, 'film.mp4'), join(dir, 'textless.mp4')] as const;
    await makeFilm(film, paths[0], 0.25);
    await makeTextless(paths[0], paths[1], 0.25);
    const [whole, textless] = await Promise.all(
      paths.map(async (path) => {
        const quick = await probeMaster(path);
        const facts = quick.ok ? await countFrames(path, quick.value) : quick;
        if (!facts.ok) throw new Error(facts.problem.sentence);
        return { path, facts: facts.value, sha256: '0'.repeat(64) };
      }),
    );
    const found = await matchTextless(whole!, textless!);
    if (!found.ok) throw new Error(found.problem.sentence);
    const [title, ...more] = found.value;
    expect(more).toEqual([]);
    // It fades in from half a second on, and out before 4.7 seconds.
    expect(title!.span.from).toBeGreaterThanOrEqual(12);
    expect(title!.span.from).toBeLessThanOrEqual(16);
    expect(title!.span.to).toBeGreaterThanOrEqual(114);
    expect(title!.span.to).toBeLessThanOrEqual(118);
  }, 120_000);

  test('its companions have the peculiarities that they are there for', async () => {
    const notes: string[][] = [];
    for (const companion of demoFilms.slice(1)) {
      const path = join(dir, companion.file);
      await makeFilm(companion, path, 0.25, 1.2);
      const quick = await probeMaster(path);
      const facts = quick.ok ? await countFrames(path, quick.value) : quick;
      if (!facts.ok) throw new Error(facts.problem.sentence);
      notes.push(masterNotes(facts.value).map((n) => n.code));
      expect(facts.value.video.frames).toBe(Math.round(1.2 * companion.rate));
    }
    expect(notes[0]).toContain('fast-rate');
    expect(notes[1]).toContain('rotated');
    expect(notes[2]).toEqual(expect.arrayContaining(['classic', 'no-audio']));
  });
});

describe('the sound', () => {
  const samples = filmSound(kiteWeekend);
  const level = (from: number, to: number) => {
    let sum = 0;
    for (let i = Math.floor(from * 48000) * 2; i < Math.floor(to * 48000) * 2; i++) sum += samples[i]! ** 2;
    return 10 * Math.log10(sum / ((to - from) * 96000));
  };
  test('is as long as the picture, and never clips', () => {
    expect(samples.length / 2 / 48000).toBeCloseTo(42.4, 3);
    expect(samples.every((s) => Math.abs(s) < 0.71)).toBe(true);
  });
  test('speech has real gaps, and mouths move with it', () => {
    const mouth = mouthAt(kiteWeekend);
    const open = Array.from({ length: 75 }, (_, i) => mouth(5 + i / 25) > 0.05);
    expect(open.filter(Boolean).length).toBeGreaterThan(25);
    expect(open.some((o, i) => !o && !open[i + 1] && !open[i + 2] && i > 8 && i < 66)).toBe(true);
    expect(mouth(1)).toBe(0);
  });
  test('levels change from shot to shot', () => {
    const levels = [level(1, 4), level(5.2, 7.8), level(20, 22)];
    expect(Math.max(...levels) - Math.min(...levels)).toBeGreaterThan(3);
  });
});

test('the demo’s spec book is valid and invented outlets carry every kind of rule', async () => {
  const book = readSpecBook(
    await readFile(new URL('../../specs/demo.specbook.json', import.meta.url), 'utf8'),
  );
  if (!book.ok) throw new Error(book.problem.sentence);
  const places = book.value.outlets.flatMap((o) => o.placements);
  expect(book.value.outlets.map((o) => o.name)).toEqual([
    'Kelpie',
    'Hearthpost',
    'Longmere',
    'Tarnboard',
    'Wickerly',
  ]);
  expect(places.every((p) => p.source?.includes('made up') && p.verifiedOn)).toBe(true);
  for (const has of [
    (p: (typeof places)[0]) => p.blocked,
    (p: (typeof places)[0]) => p.maxBytes,
    (p: (typeof places)[0]) => p.audio === null,
    (p: (typeof places)[0]) => p.duration?.maxSeconds === 15,
    (p: (typeof places)[0]) => p.largerFrame,
  ]) {
    expect(places.some((p) => Boolean(has(p)))).toBe(true);
  }
});

test('repeatable dice and eased steps', () => {
  const [a, b] = [dice(4), dice(4)];
  const rolls = Array.from({ length: 200 }, () => a());
  expect(rolls).toEqual(Array.from({ length: 200 }, () => b()));
  expect(Math.min(...rolls)).toBeGreaterThanOrEqual(0);
  expect(Math.max(...rolls)).toBeLessThan(1);
  expect([ease(0, 1, 2), ease(1.5, 1, 2), ease(9, 1, 2)]).toEqual([0, 0.5, 1]);
});
