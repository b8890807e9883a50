import { afterAll, beforeAll, describe, expect, test } from '@jest/globals';
import { copyFile, mkdir, readFile, truncate, writeFile } from 'node:fs/promises';
import { join } from 'node:path';
import { placeAt, planMaster, type MasterFacts, type Shot, type ShotLook, type Track } from '@mivvy/core';
import { Cancelled } from '../ffmpeg/run.ts';
import { countFrames, probeMaster } from '../ingest/probe.ts';
import { makeFollowedFilm } from '../testing/followed-film.ts';
import { testFolder } from '../testing/helpers.ts';
import { shippedModels } from './detector-picture.ts';
import { followDrawnBox } from './follow-drawn.ts';
import { detectorFrames, lookAtFilm } from './look-at-film.ts';
import { seePicture } from './see-picture.ts';

let dir: string;
let clean: () => Promise<void>;
let film: string;
let facts: MasterFacts;
let shots: Shot[];
let known: Awaited<ReturnType<typeof makeFollowedFilm>>;
beforeAll(async () => {
  ({ dir, clean } = await testFolder());
  film = join(dir, 'two shots.mp4');
  known = await makeFollowedFilm(film, [0, 12]);
  const probed = await probeMaster(film);
  if (!probed.ok) throw new Error(probed.problem.sentence);
  const counted = await countFrames(film, probed.value);
  if (!counted.ok) throw new Error(counted.problem.sentence);
  facts = counted.value;
  shots = [
    { from: 0, setup: '1' },
    { from: known[0]!.pictures.length, setup: '2' },
  ];
}, 150_000);
afterAll(() => clean());

const master = () => planMaster(facts, '');
/** How far a track's middle is from the truth of a shot, on average over its frames, master widths. */
function off(track: Track, shot: number): number {
  const first = shots[shot]!.from;
  let [sum, n] = [0, 0];
  for (let i = 2; i + 2 < known[shot]!.pictures.length; i++) {
    const [truth, place] = [known[shot]!.truth(i * 2), placeAt(track, first + i)];
    if (!truth || !place) continue;
    sum += Math.abs(place.x + place.w / 2 - truth.x - truth.w / 2);
    n++;
  }
  expect(n).toBeGreaterThan(known[shot]!.pictures.length * 0.8);
  return sum / n;
}
const movers = (look: ShotLook) => look.tracks.filter((t) => t.kind === 'mover');

describe('looking at a film', () => {
  test('every shot is told as soon as it has been looked at, in order, with its subject', async () => {
    const told: number[] = [];
    const look = await lookAtFilm(film, facts, master(), shots, {
      detector: false,
      onShot: (shot, note) => {
        told.push(shot.from);
        expect(note.kind).toBe('off');
      },
    });
    if (!look.ok) throw new Error(look.problem.sentence);
    expect(told).toEqual(shots.map((s) => s.from));
    expect(look.value.shots.map((s) => [s.from, s.to])).toEqual([
      [0, shots[1]!.from],
      [shots[1]!.from, facts.video.frames],
    ]);
    for (const i of [0, 1]) expect(off(movers(look.value.shots[i]!)[0]!, i)).toBeLessThan(0.03);
    // Ids are their own within the film.
    const ids = look.value.shots.flatMap((s) => s.tracks.map((t) => t.id));
    expect(new Set(ids).size).toBe(ids.length);
  }, 150_000);

  test('the detector that ships is used', async () => {
    const look = await lookAtFilm(film, facts, master(), shots);
    if (!look.ok) throw new Error(look.problem.sentence);
    expect(look.value.detector).toEqual({ kind: 'used' });
    // Whatever it makes of a drawn figure, the figure is still followed.
    for (const i of [0, 1])
      expect(
        Math.min(
          ...look.value.shots[i]!.tracks.filter((t) => t.places.at(-1)!.at - t.places[0]!.at > 55).map((t) =>
            off(t, i),
          ),
        ),
      ).toBeLessThan(0.03);
  }, 225_000);

  test.each([
    ['missing', async () => join(dir, 'no such folder')],
    [
      'damaged',
      async () => {
        const models = join(dir, 'damaged');
        await mkdir(models, { recursive: true });
        for (const name of ['centernet.json', 'centernet.bin', 'blazeface.json', 'blazeface.bin'])
          await copyFile(join(shippedModels(), name), join(models, name));
        await truncate(join(models, 'centernet.bin'), 5000);
        return models;
      },
    ],
  ])(
    'a model that is %s is done without, and that is said',
    async (_how, models) => {
      const look = await lookAtFilm(film, facts, master(), shots, { detector: await models() });
      if (!look.ok) throw new Error(look.problem.sentence);
      expect(look.value.detector).toMatchObject({
        kind: 'missing',
        sentence: expect.stringMatching(
          /^The detector could not be loaded .*movement, colour and contrast alone\.$/,
        ),
      });
      expect(off(movers(look.value.shots[0]!)[0]!, 0)).toBeLessThan(0.03);
    },
    150_000,
  );

  test('a model that loads and cannot be worked out is found out before it has looked, and that is said', async () => {
    const models = join(dir, 'failing');
    await mkdir(models, { recursive: true });
    for (const name of ['centernet.json', 'centernet.bin', 'blazeface.json', 'blazeface.bin'])
      await copyFile(join(shippedModels(), name), join(models, name));
    const graph = JSON.parse(await readFile(join(models, 'centernet.json'), 'utf8')) as {
      modelTopology: { node: { name: string; op: string; attr?: object }[] };
    };
    // A convolution without its numbers loads and cannot be worked out.
    const node = graph.modelTopology.node.find((n) => n.op.includes('Conv2D'))!;
    node.attr = {};
    await writeFile(join(models, 'centernet.json'), JSON.stringify(graph));
    const look = await lookAtFilm(film, facts, master(), shots, { detector: models });
    if (!look.ok) throw new Error(look.problem.sentence);
    expect(look.value.detector).toMatchObject({
      kind: 'missing',
      sentence: expect.stringMatching(/^The detector could not be loaded .*contrast alone\.$/),
    });
  }, 150_000);

  test('a detector that fails on a picture says so, and does not say that it saw nothing', async () => {
    const failing = {
      see: async () => {
        throw new Error('out of memory\nat a place of the code');
      },
    };
    const blind = { see: async () => [] };
    const picture = { rgb: new Uint8Array(), size: { width: 512, height: 512 }, closer: false };
    expect(await seePicture(failing, 7, picture)).toEqual({ kind: 'failed', why: 'out of memory' });
    expect(await seePicture(blind, 7, picture)).toEqual({ kind: 'seen', frame: 7, seen: [] });
  });

  test('it can be stopped', async () => {
    const controller = new AbortController();
    setTimeout(() => controller.abort(), 300);
    await expect(
      lookAtFilm(film, facts, master(), shots, { detector: false, signal: controller.signal }),
    ).rejects.toThrow(Cancelled);
  });

  test('a film that is none is one clear sentence', async () => {
    const look = await lookAtFilm(join(dir, 'gone.mp4'), facts, master(), shots, { detector: false });
    expect(look).toMatchObject({
      ok: false,
      problem: { sentence: expect.stringContaining('no longer there') },
    });
  });

  test('the detector is shown a picture a second, and one of every shot', () => {
    expect(detectorFrames([{ from: 0, to: 100 }], 25, 100)).toEqual([12, 37, 62, 87]);
    expect(
      detectorFrames(
        [
          { from: 0, to: 40 },
          { from: 40, to: 46 },
          { from: 46, to: 100 },
        ],
        25,
        100,
      ),
    ).toEqual([12, 37, 43, 62, 87]);
  });
});

describe('a box drawn by hand', () => {
  test('is followed forwards and backwards through its own shot, wherever in the film that lies', async () => {
    const [from, to] = [shots[1]!.from, facts.video.frames];
    const frame = from + 30;
    const t = known[1]!.truth(60)!;
    const places = await followDrawnBox(film, facts, master(), { from, to }, frame, {
      x: t.x,
      y: t.y,
      width: t.w,
      height: t.h,
    });
    if (!places.ok) throw new Error(places.problem.sentence);
    const track: Track = { id: 'd', kind: 'drawn', name: 'mine', places: places.value };
    expect(track.places[0]!.at).toBeLessThanOrEqual(from + 5);
    expect(track.places.at(-1)!.at).toBeGreaterThan(to - 4);
    expect(track.places.every((p) => p.at >= from && p.at < to)).toBe(true);
    expect(off(track, 1)).toBeLessThan(0.03);
  }, 150_000);
});
