import { afterAll, beforeAll, expect, test } from '@jest/globals';
import { join } from 'node:path';
import { factsOf, ffmpeg, testFolder } from '../testing/helpers.ts';
import { matchTextless, type ReadFilm } from './match-textless.ts';

/** Films of the same edit with and without their titles, made by plain ffmpeg, in other codecs and with planted faults. */
let dir: string;
let clean: () => Promise<void>;
let film: ReadFilm;
beforeAll(async () => {
  ({ dir, clean } = await testFolder());
  film = await make('film.mp4', { over: [title], more: ['-crf', '18'] });
}, 150_000);
afterAll(() => clean());

/** White bars like the lines of a lower third, in frames 20 to 59, and a plate half seen through behind them. */
const title = [
  "drawbox=x=60:y=500:w=420:h=120:color=black@0.5:t=fill:enable='between(n,20,59)'",
  "drawbox=x=80:y=530:w=360:h=12:color=white:t=fill:enable='between(n,20,59)'",
  "drawbox=x=80:y=560:w=240:h=12:color=white:t=fill:enable='between(n,20,59)'",
].join(',');
const moving = 'testsrc2=s=1280x720:r=25:d=4,noise=alls=8:allf=t:all_seed=5';
const tone = "aevalsrc='0.3*sin(2*PI*220*t)*(1+sin(2*PI*t))/2':d=4:s=48000";

async function make(
  name: string,
  {
    picture = moving,
    sound = tone,
    over = [],
    more = [],
  }: { picture?: string; sound?: string; over?: string[]; more?: string[] } = {},
): Promise<ReadFilm> {
  const path = join(dir, name);
  const inputs = ['-f', 'lavfi', '-i', picture, '-f', 'lavfi', '-i', sound];
  await ffmpeg(
    ...inputs,
    '-vf',
    [...over, 'format=yuv420p'].join(','),
    '-c:a',
    'aac',
    '-shortest',
    ...['-preset', 'ultrafast'],
    ...more,
    path,
  );
  return { path, facts: await factsOf(path), sha256: '0'.repeat(64) };
}

test.each([
  ['at the same quality', 'plain.mp4', ['-crf', '18']],
  ['in another codec', 'other.mov', ['-c:v', 'prores_ks', '-pix_fmt', 'yuv422p10le']],
  ['at a poor quality', 'poor.mp4', ['-crf', '32']],
])(
  'the textless master %s differs in the title and nowhere else, with its first and last frame',
  async (_how, name, more) => {
    const found = await matchTextless(film, await make(name, { more }));
    expect(found).toMatchObject({ ok: true });
    if (!found.ok) return;
    expect(found.value).toHaveLength(1);
    const [{ span, box }] = found.value as [(typeof found.value)[number]];
    expect(span).toEqual({ from: 20, to: 60 });
    const sides = [box.x * 1280, box.y * 720, (box.x + box.width) * 1280, (box.y + box.height) * 720];
    // Cells are 27 master pixels wide; the box holds the title and at most two cells around it.
    [60, 500, 480, 620].forEach((side, i) => expect(Math.abs(sides[i]! - side)).toBeLessThanOrEqual(54));
  },
  150_000,
);

test('a logo that only one of them has is told too', async () => {
  const logo = 'drawbox=x=1100:y=40:w=90:h=90:color=red:t=fill';
  const found = await matchTextless(film, await make('logo.mp4', { over: [logo] }));
  expect(found.ok && found.value).toHaveLength(2);
  expect(found.ok && found.value.find(({ box }) => box.x > 0.8)?.span).toEqual({ from: 0, to: 100 });
}, 150_000);

test.each([
  [
    'another film',
    'other-pictures',
    { picture: 'gradients=s=1280x720:r=25:d=4:seed=7:speed=0.03,noise=alls=8:allf=t' },
  ],
  ['one that begins a second later', 'other-pictures', { picture: `${moving},negate` }],
  ['a film of another length', 'other-length', { picture: moving.replace('d=4', 'd=3') }],
  ['silence', 'other-sound', { sound: 'anullsrc=d=4:r=48000' }],
  ['another mix', 'other-sound', { sound: tone.replace('0.3', '0.3*(1-between(t,1,2))') }],
])(
  '%s is refused: %s',
  async (what, code, over) => {
    const found = await matchTextless(film, await make(`${what}.mp4`, over));
    expect(found).toMatchObject({ ok: false, problem: { code } });
  },
  150_000,
);

test('a match that is stopped ends at once and leaves nothing', async () => {
  const control = new AbortController();
  const plain = await make('again.mp4');
  setTimeout(() => control.abort(), 150);
  await expect(matchTextless(film, plain, { signal: control.signal })).rejects.toThrow();
}, 150_000);
