import { afterAll, beforeAll, describe, expect, test } from '@jest/globals';
import { spawn } from 'node:child_process';
import { readdir } from 'node:fs/promises';
import { join } from 'node:path';
import fc from 'fast-check';
import {
  makePlan,
  planLayout,
  rate,
  stillWindow,
  type Framing,
  type Placement,
  type RenderPlan,
  type Size,
} from '@mivvy/core';
import { Cancelled } from '../ffmpeg/run.ts';
import { countFrames, probeMaster } from '../ingest/probe.ts';
import { placement, testFolder } from '../testing/helpers.ts';
import { gratingError, makeGrating } from '../testing/grating.ts';
import { makeRuler, readRulerPicture } from '../testing/ruler.ts';
import { deliver } from './deliver.ts';
import { yuvOf } from './resampler.ts';
import { lanczos, makeTaps, softly } from './taps.ts';

let dir: string;
let clean: () => Promise<void>;
const master: Size = { width: 960, height: 540 };
const frame: Size = { width: 540, height: 960 };
beforeAll(async () => {
  ({ dir, clean } = await testFolder());
  await makeRuler(join(dir, 'ruler.mp4'), { size: master, rate: rate(25), frames: 160 });
  await makeGrating(join(dir, 'grating.mp4'), master, rate(25), 160);
  await makeGrating(join(dir, 'odd grating.mp4'), { width: 961, height: 541 }, rate(50), 40);
  await makeRuler(join(dir, 'odd.mp4'), { size: { width: 961, height: 541 }, rate: rate(50), frames: 40 });
});
afterAll(() => clean());

let serial = 0;
async function make(
  film: string,
  framing: Framing,
  place: Placement = placement({ frame: { ...frame } }),
): Promise<{ plan: RenderPlan; path: string }> {
  const path = join(dir, film);
  const quick = await probeMaster(path);
  const facts = quick.ok ? await countFrames(path, quick.value) : quick;
  if (!facts.ok) throw new Error(facts.problem.sentence);
  const { plan } = makePlan({ facts: facts.value, sha256: '0'.repeat(64), placement: place, framing });
  const made = await deliver(plan, {
    masterPath: path,
    outPath: join(dir, `out ${++serial}.mp4`),
    workDir: join(dir, `work ${serial}`),
  });
  if (!made.ok) throw new Error(`${made.problem.sentence} ${made.problem.mend}`);
  expect(made.value.report.checks.filter((c) => !c.ok)).toEqual([]);
  return { plan, path: made.value.path };
}

/** Every picture of a file, decoded by ffmpeg alone: as rgb24, or its luma as coded. */
async function pictures(path: string, size: Size, as: 'rgb24' | 'gray' = 'rgb24'): Promise<Buffer[]> {
  const filter =
    as === 'gray'
      ? 'extractplanes=y'
      : 'scale=in_color_matrix=bt709:in_range=tv:in_h_chr_pos=0:flags=accurate_rnd+full_chroma_int';
  const child = spawn(
    'ffmpeg',
    ['-v', 'error', '-i', path, '-vf', filter, '-pix_fmt', as, '-f', 'rawvideo', '-'],
    { stdio: ['ignore', 'pipe', 'inherit'] },
  );
  const chunks: Buffer[] = [];
  for await (const chunk of child.stdout as AsyncIterable<Buffer>) chunks.push(chunk);
  const all = Buffer.concat(chunks);
  const length = size.width * size.height * (as === 'gray' ? 1 : 3);
  return Array.from({ length: all.length / length }, (_, i) => all.subarray(i * length, (i + 1) * length));
}

type Panel = ReturnType<typeof planLayout>['panels'][number];

/** A part of a picture. */
function part(
  picture: Buffer,
  size: Size,
  into: { x: number; y: number; width: number; height: number },
): Buffer {
  const out = Buffer.alloc(into.width * into.height * 3);
  for (let y = 0; y < into.height; y++)
    picture.copy(
      out,
      y * into.width * 3,
      ((into.y + y) * size.width + into.x) * 3,
      ((into.y + y) * size.width + into.x + into.width) * 3,
    );
  return out;
}

const at = (x: number, zoom = 1, y = 0.5) => ({ x, y, zoom });

describe('a moving ruler, measured picture by picture in the exported file', () => {
  test('holds, a slow glide, a fast one that zooms, a path and stacked windows are where the plan has them, to half a pixel', async () => {
    // 0.1 master pixel a frame: slow enough that whole-pixel cropping would stand still and jump.
    const slow = 3.9 / master.width;
    const framing: Framing = {
      version: 1,
      stretches: [
        { from: 0, move: { kind: 'hold', pose: at(0.31, 1.07, 0.46) } },
        {
          from: 12,
          move: { kind: 'glide', a: at(0.4, 1), b: at(0.4 + slow, 1), start: 0, end: 39, ease: 'even' },
        },
        {
          from: 52,
          move: { kind: 'glide', a: at(0.25, 1), b: at(0.74, 1.6, 0.4), start: 3, end: 33, ease: 'soft' },
        },
        {
          from: 90,
          move: {
            kind: 'path',
            keys: [
              { at: 0, pose: at(0.3) },
              { at: 12, pose: at(0.52, 1.3) },
              { at: 29, pose: at(0.41) },
            ],
          },
        },
        {
          from: 120,
          move: { kind: 'hold', pose: at(0.3) },
          fill: {
            kind: 'stacked',
            divide: 0.4,
            lower: { kind: 'glide', a: at(0.5, 1.2), b: at(0.62, 1.2), start: 0, end: 39, ease: 'even' },
          },
        },
      ],
    };
    const { plan, path } = await make('grating.mp4', framing);
    expect(stillWindow(plan)).toBeNull();
    const all = await pictures(path, frame, 'gray');
    expect(all).toHaveLength(160);
    let worst = 0;
    const slowly: number[] = [];
    all.forEach((picture, k) => {
      for (const { source, into } of planLayout(plan, k).panels) {
        const error = gratingError(picture, frame, into, source);
        worst = Math.max(worst, error.worst);
        if (k >= 12 && k < 52) slowly.push(error.x);
      }
    });
    expect(worst).toBeLessThan(0.5);
    // No stepping: through the slow glide the distance from the plan hardly changes from picture to picture.
    expect(Math.max(...slowly.slice(1).map((x, i) => Math.abs(x - slowly[i]!)))).toBeLessThan(0.1);

    // The same plan on a ruler: each picture shows its own frame, through the cuts as well.
    const small: Size = { width: 270, height: 480 };
    const numbered = await make('ruler.mp4', framing, placement({ frame: { ...small } }));
    const frames = (await pictures(numbered.path, small, 'rgb24')).map((picture, k) => {
      const { into } = planLayout(numbered.plan, k).panels[0]!;
      return readRulerPicture(part(picture, small, into), into, master).frame;
    });
    expect(frames).toEqual(Array.from({ length: 160 }, (_, k) => k));
  });

  test('every second picture of an odd-sized 50 fps master, with a glide', async () => {
    const framing: Framing = {
      version: 1,
      stretches: [
        { from: 0, move: { kind: 'glide', a: at(0.25), b: at(0.7), start: 0, end: 39, ease: 'soft' } },
      ],
    };
    const place = placement({ frame: { ...frame }, frameRate: { max: '30' } });
    const { plan, path } = await make('odd grating.mp4', framing, place);
    const all = await pictures(path, frame, 'gray');
    expect(all).toHaveLength(20);
    for (const [k, picture] of all.entries()) {
      const [{ source, into }] = planLayout(plan, k).panels as [Panel];
      expect(gratingError(picture, frame, into, source).worst).toBeLessThan(0.5);
    }
    const numbered = await pictures((await make('odd.mp4', framing, place)).path, frame, 'rgb24');
    expect(numbered.map((picture) => readRulerPicture(picture, frame, plan.master.displayed).frame)).toEqual(
      Array.from({ length: 20 }, (_, k) => k * 2),
    );
  });

  test('bars have their colour, and the whole picture between them its shape', async () => {
    const { plan, path } = await make('ruler.mp4', {
      version: 1,
      stretches: [
        { from: 0, move: { kind: 'hold', pose: at(0.5) }, fill: { kind: 'bars', colour: '#204060' } },
      ],
    });
    const [picture] = await pictures(path, frame);
    const [{ source, into }] = planLayout(plan, 0).panels as [Panel];
    const { window } = readRulerPicture(part(picture!, frame, into), into, master);
    expect(Math.abs(window.x - source.x) + Math.abs(window.width - source.width)).toBeLessThan(1);
    expect(Math.abs(window.y - source.y) + Math.abs(window.height - source.height)).toBeLessThan(1);
    for (const y of [4, into.y - 6, frame.height - 5]) {
      const pixel = picture!.subarray((y * frame.width + 270) * 3, (y * frame.width + 270) * 3 + 3);
      [0x20, 0x40, 0x60].forEach((v, i) => expect(Math.abs(pixel[i]! - v)).toBeLessThan(4));
    }
  });

  test('over a soft copy, the ground has the picture’s colours where they lie, without an edge', async () => {
    const { plan, path } = await make('ruler.mp4', {
      version: 1,
      stretches: [{ from: 0, move: { kind: 'hold', pose: at(0.5) }, fill: { kind: 'soft' } }],
    });
    const [picture] = await pictures(path, frame);
    const { panels, ground } = planLayout(plan, 0);
    const into = panels[0]!.into;
    expect(ground?.kind).toBe('soft');
    const row = (y: number) =>
      Array.from({ length: frame.width }, (_, x) => picture![(y * frame.width + x) * 3]!);
    // The ruler's red grows with x through the ground's own window, and no step of it is large.
    const above = row(Math.floor(into.y / 2));
    expect(above[500]! - above[40]!).toBeGreaterThan(30);
    expect(Math.max(...above.slice(1).map((v, i) => Math.abs(v - above[i]!)))).toBeLessThan(6);
  });

  test('a master that breaks off while it is read fails in words and leaves nothing', async () => {
    const framing: Framing = {
      version: 1,
      stretches: [
        { from: 0, move: { kind: 'glide', a: at(0.2), b: at(0.8), start: 0, end: 100, ease: 'even' } },
      ],
    };
    const quick = await probeMaster(join(dir, 'ruler.mp4'));
    if (!quick.ok) throw new Error(quick.problem.sentence);
    const { plan } = makePlan({
      facts: { ...quick.value, video: { ...quick.value.video, frames: 400 } },
      sha256: '0'.repeat(64),
      placement: placement({ frame: { ...frame } }),
      framing,
    });
    const made = await deliver(plan, {
      masterPath: join(dir, 'ruler.mp4'),
      outPath: join(dir, 'never.mp4'),
      workDir: join(dir, 'work never'),
    });
    expect(made.ok ? '' : made.problem.sentence).toMatch(/160 of 400 pictures could be read/);
    expect((await readdir(dir)).filter((name) => name.includes('never'))).toEqual([]);
  });

  test('cancelled in the middle, it throws and nothing is left', async () => {
    const controller = new AbortController();
    const framing: Framing = {
      version: 1,
      stretches: [
        { from: 0, move: { kind: 'glide', a: at(0.2), b: at(0.8), start: 0, end: 100, ease: 'even' } },
      ],
    };
    const quick = await probeMaster(join(dir, 'ruler.mp4'));
    if (!quick.ok) throw new Error(quick.problem.sentence);
    const { plan } = makePlan({
      facts: quick.value,
      sha256: '0'.repeat(64),
      placement: placement({ frame: { width: 1080, height: 1920 } }),
      framing,
    });
    const run = deliver(plan, {
      masterPath: join(dir, 'ruler.mp4'),
      outPath: join(dir, 'cancelled.mp4'),
      workDir: join(dir, 'work cancelled'),
      signal: controller.signal,
      onProgress: ({ fraction }) => fraction > 0 && controller.abort(),
    });
    await expect(run).rejects.toBeInstanceOf(Cancelled);
    expect((await readdir(dir)).filter((name) => name.includes('cancelled'))).toEqual([]);
  });
});

test('weights sum to one exactly, stay inside the source, and fall off to both sides', () => {
  fc.assert(
    fc.property(
      fc.double({ min: -4, max: 60, noNaN: true }),
      fc.double({ min: 0.05, max: 20, noNaN: true }),
      fc.integer({ min: 8, max: 80 }),
      fc.constantFrom(lanczos, softly),
      (first, step, length, kernel) => {
        const { starts, weights, taps } = makeTaps(first, step, 9, length, kernel, 8);
        for (let i = 0; i < 9; i++) {
          const own = weights.subarray(i * taps, (i + 1) * taps);
          expect(own.reduce((a, b) => a + b, 0)).toBe(16384);
          expect(starts[i]).toBeGreaterThanOrEqual(0);
          const last = own.findLastIndex((w) => w !== 0);
          expect(starts[i]! + last).toBeLessThan(length);
          // Inside the source, the nearest sample weighs most, and beyond the kernel's reach nothing does.
          const centre = first + i * step;
          const reach = kernel.reach * Math.max(1, step);
          if (centre - reach < 0 || centre + reach > length - 1) continue;
          const nearest = own.reduce((best, w, k) => (w > own[best]! ? k : best), 0) + starts[i]!;
          expect(Math.abs(nearest - centre)).toBeLessThanOrEqual(0.5 * Math.max(1, step) + 0.51);
          own.forEach((w, k) => {
            if (Math.abs(starts[i]! + k - centre) > reach) expect(w).toBe(0);
          });
        }
      },
    ),
    { numRuns: 60 },
  );
});

test('colours become BT.709 values (Rec. ITU-R BT.709: white is 235, black 16, red 63 102 240)', () => {
  expect(yuvOf('#ffffff')).toEqual([235, 128, 128]);
  expect(yuvOf('#000000')).toEqual([16, 128, 128]);
  expect(yuvOf('#ff0000')).toEqual([63, 102, 240]);
});
