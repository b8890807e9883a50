import { join } from 'node:path';
import {
  followFilm,
  heldFraming,
  judgeFilm,
  layoutAt,
  planMaster,
  usualLively,
  type FollowFilm,
  type Framing,
  type ShotLook,
  type Size,
} from '../../packages/core/src/index.ts';
import {
  followedFrames,
  followedMaster,
  lookAtFollowed,
} from '../../packages/core/src/testing/followed-report.ts';
import { followedCount, followedRate, followedShot } from '../../packages/core/src/testing/followed.ts';
import { countFrames, lookAtFilm, probeMaster } from '../../packages/media/src/index.ts';
import {
  makePhotoShot,
  photoFolder,
  photoFrames,
  photoRate,
  photoShots,
  photoSize,
  photoTruth,
} from './photo-shots.ts';

type Box = { x: number; y: number; w: number; h: number } | null;

/** What became of a shot in a frame's shape: how it was scored, and in how many frames the true subject was seen. */
interface Outcome {
  figure: number | null;
  frames: number;
  whole: number;
  middle: number;
}

const leastOf = 0.97;
/** A pixel of the looked-at picture is the least that can be told. */
const hair = 0.5 / 160;

/** Holds a framing against where the subject truly is. Frames in which it would not fit are left out. */
function outcomeOf(framing: Framing, film: FollowFilm, truth: (frame: number) => Box): Outcome {
  const [judged] = judgeFilm(film, framing);
  const outcome: Outcome = { figure: judged?.judgement.figure ?? null, frames: 0, whole: 0, middle: 0 };
  for (let f = 0; f < film.frames; f++) {
    const box = truth(f);
    const { source } = layoutAt(framing, f, film.masterSize, film.rules.frameSize).panels[0]!;
    const [left, side] = [source.x / film.masterSize.width, source.width / film.masterSize.width];
    if (!box || box.x < 0 || box.x + box.w > 1 || box.w > side * 0.97) continue;
    outcome.frames++;
    if (box.x >= left - hair && box.x + box.w <= left + side + hair) outcome.whole++;
    if (box.x + box.w / 2 >= left && box.x + box.w / 2 <= left + side) outcome.middle++;
  }
  return outcome;
}

function chosen(
  looks: ShotLook[],
  frames: number,
  rate: number,
  masterSize: Size,
  frameSize: Size,
  truth: (f: number) => Box,
) {
  const film: FollowFilm = {
    shots: [{ from: 0, setup: '1' }],
    frames,
    rate: { num: rate, den: 1 },
    masterSize,
    keeps: [],
    looks,
    drawn: [],
    rules: { frameSize, blocked: [], margins: null },
  };
  return outcomeOf(
    followFilm(film, heldFraming(), { lively: usualLively, handMade: false }).framing,
    film,
    truth,
  );
}

const percent = (n: number, of: number) => (of ? `${((100 * n) / of).toFixed(1)} %` : '–');

function table(what: string, outcomes: readonly Outcome[], say: (line: string) => void): void {
  const sum = (pick: (o: Outcome) => number) => outcomes.reduce((total, o) => total + pick(o), 0);
  say(
    `${what}: subject whole in ${percent(
      sum((o) => o.whole),
      sum((o) => o.frames),
    )} of frames, its middle in ${percent(
      sum((o) => o.middle),
      sum((o) => o.frames),
    )}`,
  );
  for (const [from, to] of [
    [90, 101],
    [75, 90],
    [0, 75],
  ] as const) {
    const scored = outcomes.filter(
      (o) => o.frames > 0 && o.figure !== null && o.figure >= from && o.figure < to,
    );
    const kept = scored.filter((o) => o.whole >= leastOf * o.frames).length;
    say(
      `  scored ${from} to ${Math.min(100, to - 1)}: ${scored.length} framings, the whole true subject kept in ${percent(kept, scored.length)}`,
    );
  }
}

/** How far the figure of a shot can be believed: on the drawn set without the detector, and on photographs with it. */
export async function calibration(dir: string, say: (line: string) => void): Promise<void> {
  const drawn: Outcome[] = [];
  for (let i = 0; i < followedCount; i++) {
    const shot = followedShot(i);
    const look = lookAtFollowed(shot);
    for (const { frameSize } of followedFrames)
      drawn.push(chosen([look], shot.frames, followedRate, followedMaster, frameSize, shot.truth));
  }
  table('Drawn set, without the detector', drawn, say);
  const folder = photoFolder();
  if (!folder)
    return say('Photographs: not measured; they are in Debian’s opencv-doc (apt-get install opencv-doc).');
  const seen: Outcome[] = [];
  for (const [i, shot] of photoShots.entries()) {
    const path = join(dir, `photo ${i}.mp4`);
    await makePhotoShot(shot, folder, path);
    const quick = await probeMaster(path);
    const facts = quick.ok ? await countFrames(path, quick.value) : quick;
    if (!facts.ok) throw new Error(facts.problem.sentence);
    const look = await lookAtFilm(path, facts.value, planMaster(facts.value, '0'.repeat(64)), [
      { from: 0, setup: '1' },
    ]);
    if (!look.ok) throw new Error(look.problem.sentence);
    const mine = followedFrames.map(({ frameSize }) =>
      chosen(look.value.shots, photoFrames, photoRate, photoSize, frameSize, (f) => photoTruth(shot, f)),
    );
    say(
      `  ${shot.name}: ${mine.map((o, k) => `${followedFrames[k]!.name} ${percent(o.whole, o.frames)} whole, scored ${o.figure ?? 'not at all'}`).join('; ')}`,
    );
    seen.push(...mine);
  }
  table('Photographs, with the detector', seen, say);
}
