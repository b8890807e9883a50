import { afterAll, beforeAll, describe, expect, test } from '@jest/globals';
import { readdir } from 'node:fs/promises';
import { join } from 'node:path';
import { heldFraming, makePlan, type PlannedLayer, type RenderPlan } from '@mivvy/core';
import { factsOf, ffmpeg, placement, testFolder } from '../testing/helpers.ts';
import { picturesAgree } from './pictures-agree.ts';

/** Files by plain ffmpeg, held in a few places against a plan that wants the right half of a film. */
let dir: string;
let clean: () => Promise<void>;
let film: string;
let plan: RenderPlan;
const size = { width: 160, height: 180 };
const seconds = 2;
const coded = ['-pix_fmt', 'yuv420p', '-colorspace', 'bt709', '-color_primaries', 'bt709', '-crf', '30'];

beforeAll(async () => {
  ({ dir, clean } = await testFolder());
  film = join(dir, 'film.mp4');
  await ffmpeg('-f', 'lavfi', '-i', `mandelbrot=s=320x180:r=25`, '-t', `${seconds}`, ...coded, film);
  const facts = await factsOf(film);
  const framing = heldFraming({ x: 0.75, y: 0.5, zoom: 1 });
  plan = makePlan({ facts, sha256: '0'.repeat(64), placement: placement({ frame: size }), framing }).plan;
});
afterAll(() => clean());

/** A file of some filters over the film or another one. */
async function file(filters: string, of = film): Promise<string> {
  const path = join(dir, `${Math.random()}.mp4`);
  await ffmpeg('-i', of, '-vf', filters, '-t', `${seconds}`, ...coded, path);
  return path;
}
const agree = async (path: string, as = plan): Promise<boolean> => {
  const folder = join(dir, 'looks');
  const agreed = await picturesAgree(as, path, { masterPath: film, graphicPath: () => '', folder });
  expect(await readdir(dir)).not.toContain('looks');
  if (!agreed.ok) throw new Error(agreed.problem.sentence);
  return agreed.value;
};
const asked = 'crop=160:180:160:0';

test('what was asked for agrees, poorly coded as it is', async () => {
  expect(await agree(await file(asked))).toBe(true);
});

test.each([
  ['another part of the film', 'crop=160:180:0:0'],
  ['the film backwards', `${asked},reverse`],
  ['the film upside down', `${asked},vflip`],
  ['the whole film, squeezed', 'scale=160:180'],
  ['the right pictures at the start alone', `${asked},drawbox=c=gray:t=fill:enable='gte(t,1.5)'`],
])('%s does not', async (_, filters) => {
  expect(await agree(await file(filters))).toBe(false);
});

test('a file that ends before the last look does not', async () => {
  expect(await agree(await file(`${asked},trim=end_frame=30`))).toBe(false);
});

test('another film does not, though the looked-at frames of this one are known', async () => {
  const other = join(dir, 'other.mp4');
  await ffmpeg('-f', 'lavfi', '-i', 'testsrc2=s=320x180:r=25', '-t', `${seconds}`, ...coded, other);
  expect(await agree(await file(asked, other))).toBe(false);
});

describe('with something laid over the frame', () => {
  const laid = (box: PlannedLayer['box']): RenderPlan => ({
    ...plan,
    layers: [
      {
        box,
        spans: [{ from: 0, to: plan.frames }],
        fadeIn: 0,
        fadeOut: 0,
        what: { kind: 'patch', colour: '#20a0e0' },
      },
    ],
  });

  test('what lies there is not asked for, and the rest is', async () => {
    const half = laid({ x: 0, y: 0, width: 160, height: 90 });
    const over = 'drawbox=x=0:y=0:w=160:h=90:c=0x20a0e0:t=fill';
    expect(await agree(await file(`${asked},${over}`), half)).toBe(true);
    expect(await agree(await file(`${asked},vflip,${over}`), half)).toBe(false);
  });

  test('all over it, that itself is looked for', async () => {
    const all = laid({ x: 0, y: 0, width: 160, height: 180 });
    const over = (colour: string) => `${asked},drawbox=c=${colour}:t=fill`;
    expect(await agree(await file(over('0x20a0e0')), all)).toBe(true);
    expect(await agree(await file(over('0x802010')), all)).toBe(false);
    expect(await agree(await file(asked), all)).toBe(false);
  });
});
