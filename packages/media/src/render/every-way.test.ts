import { afterAll, beforeAll, describe, expect, test } from '@jest/globals';
import { readFile } from 'node:fs/promises';
import { join } from 'node:path';
import {
  heldFraming,
  layoutAt,
  makePlan,
  ownFaultCode,
  planLayout,
  rate,
  stillWindow,
  type Fill,
  type Framing,
  type Move,
  type Size,
} from '@mivvy/core';
import { factsOf, ffmpeg, placement, testFolder } from '../testing/helpers.ts';
import { gratingError, makeGrating, wavelength } from '../testing/grating.ts';
import { faultReport } from '../machine/fault-report.ts';
import { deliver } from './deliver.ts';

// Windows that move up, down, across both ways and in, from masters of every shape into frames of every shape; and every
// kind of version that the product offers by itself, made once.

let dir: string;
let clean: () => Promise<void>;
beforeAll(async () => ({ dir, clean } = await testFolder()));
afterAll(() => clean());

const at = (x: number, y: number, zoom = 1) => ({ x, y, zoom });
const frames = 26;

/** The luma of every picture of a file, decoded by ffmpeg alone. */
async function lumaOf(path: string, size: Size): Promise<Buffer[]> {
  const raw = `${path}.gray`;
  await ffmpeg('-i', path, '-vf', 'extractplanes=y', '-pix_fmt', 'gray', '-f', 'rawvideo', raw);
  const all = await readFile(raw);
  const length = size.width * size.height;
  return Array.from({ length: all.length / length }, (_, i) => all.subarray(i * length, (i + 1) * length));
}

let serial = 0;
async function make(film: string, framing: Framing, frame: Size) {
  const masterPath = join(dir, film);
  const { plan } = makePlan({
    facts: await factsOf(masterPath),
    sha256: '0'.repeat(64),
    placement: placement({ frame: { ...frame } }),
    framing,
  });
  const [outPath, workDir] = [join(dir, `out ${++serial}.mp4`), join(dir, `work ${serial}`)];
  const made = await deliver(plan, { masterPath, outPath, workDir });
  if (!made.ok) throw new Error(`${made.problem.sentence} ${made.problem.mend}`);
  return { plan, path: made.value.path, report: made.value.report };
}

const masters: Record<string, Size> = {
  tall: { width: 640, height: 1136 },
  square: { width: 800, height: 800 },
  wide: { width: 1136, height: 640 },
};
const shapes: Size[] = [
  { width: 270, height: 480 },
  { width: 360, height: 450 },
  { width: 400, height: 400 },
  { width: 480, height: 270 },
  { width: 600, height: 200 },
];
const moves: Record<string, { a: ReturnType<typeof at>; b: ReturnType<typeof at> }> = {
  'up and down': { a: at(0.5, 0.25), b: at(0.5, 0.7) },
  'across both ways': { a: at(0.3, 0.3, 1.3), b: at(0.68, 0.66, 1.3) },
  'up and in': { a: at(0.5, 0.7), b: at(0.5, 0.35, 1.7) },
};

describe.each(Object.entries(masters))('from a %s master', (name, size) => {
  beforeAll(() => makeGrating(join(dir, `${name}.mp4`), size, rate(25), frames));
  test.each(Object.entries(moves))(
    'windows that move %s are where the plan has them',
    async (how, { a, b }) => {
      // Two shapes in each case, in turn: every shape is made from every master.
      const turn = Object.keys(masters).indexOf(name) + 2 * Object.keys(moves).indexOf(how);
      for (const frame of [shapes[turn % shapes.length]!, shapes[(turn + 3) % shapes.length]!]) {
        const move: Move = { kind: 'glide', a, b, start: 0, end: frames - 1, ease: 'even' };
        const framing: Framing = { version: 1, stretches: [{ from: 0, move }] };
        const { plan, path, report } = await make(`${name}.mp4`, framing, frame);
        expect({ frame, failing: report.checks.filter((line) => !line.ok) }).toEqual({ frame, failing: [] });
        // Where the shapes leave no room the window stands still; how that is cut is tested elsewhere.
        if (stillWindow(plan)) continue;
        const pictures = await lumaOf(path, frame);
        expect(pictures).toHaveLength(frames);
        const errors = pictures.flatMap((picture, k) => {
          const { source, into } = planLayout(plan, k).panels[0]!;
          // A window with fewer waves than four has no phase that can be read to a tenth of a pixel.
          return Math.min(source.width, source.height) < 4 * wavelength
            ? []
            : [gratingError(picture, frame, into, source)];
        });
        if (errors.length === 0) continue;
        const mean = errors.reduce((sum, { worst }) => sum + worst, 0) / errors.length;
        const steps = errors.slice(1).map(({ x }, i) => Math.abs(x - errors[i]!.x));
        expect({ frame, mean: mean < 0.1, worst: Math.max(...errors.map((e) => e.worst)) < 0.2 }).toEqual({
          frame,
          mean: true,
          worst: true,
        });
        expect(Math.max(0, ...steps)).toBeLessThan(0.2);
      }
    },
  );
});

describe('every kind of version that is offered is made', () => {
  const films: Record<string, Size> = {
    'tall 9 to 16': { width: 180, height: 320 },
    'wide 16 to 9': { width: 320, height: 180 },
    square: { width: 240, height: 240 },
    'four to three': { width: 256, height: 192 },
    'very wide': { width: 480, height: 120 },
    odd: { width: 241, height: 171 },
  };
  const places: Size[] = [
    { width: 90, height: 160 },
    { width: 96, height: 120 },
    { width: 120, height: 120 },
    { width: 160, height: 90 },
    { width: 100, height: 150 },
    { width: 180, height: 60 },
    { width: 128, height: 96 },
  ];
  const hold: Move = { kind: 'hold', pose: at(0.5, 0.5) };
  const follow: Move = {
    kind: 'follow',
    start: 0,
    step: 4,
    zoom: 1,
    x: [0.3, 0.4, 0.5, 0.6],
    y: [0.6, 0.5, 0.4, 0.3],
    points: [],
    spans: [],
  };
  const ways: [string, Move, Fill | undefined][] = [
    ['held', hold, undefined],
    ['following', follow, undefined],
    ['soft', hold, { kind: 'soft' }],
    ['stacked', follow, { kind: 'stacked', divide: 0.5, lower: hold }],
  ];
  test.each(Object.entries(films))('from a film that is %s', async (name, size) => {
    const odd = size.width % 2 || size.height % 2;
    await ffmpeg(
      ...['-f', 'lavfi', '-i', `testsrc2=s=${size.width}x${size.height}:r=25`, '-frames:v', '6'],
      ...['-pix_fmt', odd ? 'yuv444p' : 'yuv420p', '-c:v', 'libx264', join(dir, `${name}.mp4`)],
    );
    const turn = Object.keys(films).indexOf(name);
    // Each film in every way, each for another place in turn.
    for (const [n, [how, move, fill]] of ways.entries()) {
      const frame = places[(2 * n + turn) % places.length]!;
      const framing: Framing = { version: 1, stretches: [{ from: 0, move, ...(fill ? { fill } : {}) }] };
      const { plan } = await make(`${name}.mp4`, framing, frame);
      expect({ how, panels: planLayout(plan, 0).panels.length }).toEqual({
        how,
        panels: layoutAt(framing, 0, plan.master.displayed, frame).panels.length,
      });
    }
  });
});

test('an export that stops for a reason of ours says at which step, and what can be sent to us has no film in it', async () => {
  const masterPath = join(dir, 'square.mp4');
  const { plan } = makePlan({
    facts: await factsOf(masterPath),
    sha256: '0'.repeat(64),
    placement: placement({ frame: { width: 90, height: 160 } }),
    framing: heldFraming(),
  });
  const logFile = join(dir, 'fault.log');
  const lend = () => Promise.reject(new Error(`a table is missing in ${dir}`));
  const made = await deliver(plan, {
    masterPath,
    outPath: join(dir, 'never.mp4'),
    workDir: join(dir, 'work never'),
    logFile,
    decoded: { films: { lend } as never, wanted: () => true },
  });
  if (made.ok) throw new Error('it was made');
  expect(made.problem).toMatchObject({
    code: ownFaultCode,
    sentence: expect.stringMatching(/^Mivvy failed while decoding.*; this is a fault in Mivvy/),
  });
  const report = await faultReport({
    problem: made.problem,
    plan,
    placement: null,
    logFile,
    folders: [dir],
  });
  expect(JSON.parse(report)).toMatchObject({ format: 'mivvy-fault-report', plan: { frames: plan.frames } });
  expect(report).toMatch(/a table is missing in …/);
  expect(report).not.toContain(dir);
});
