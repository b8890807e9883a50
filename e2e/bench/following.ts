import { join } from 'node:path';
import { execa } from 'execa';
import {
  chooseWindow,
  followFilm,
  heldFraming,
  planMaster,
  usualLively,
  type FollowFilm,
  type ShotLook,
  type Track,
} from '../../packages/core/src/index.ts';
import {
  argmaxLefts,
  centreLefts,
  chooseFollowed,
  followedFrames,
  leftsOf,
  lookAtFollowed,
  scoreLefts,
  type Score,
} from '../../packages/core/src/testing/followed-report.ts';
import { followedCount, followedShot } from '../../packages/core/src/testing/followed.ts';
import { demoFilms, makeFilm } from '../../packages/demo/src/film/make.ts';
import { countFrames, findShots, lookAtFilm, probeMaster } from '../../packages/media/src/index.ts';
import { eightShapes } from './kit.ts';

const percent = (n: number, of: number) => (of ? ((100 * n) / of).toFixed(1) : '–').padStart(6);

/** How well shots whose truth is known are followed, kind by kind, against two plain ways of doing it. */
export function followingTable(say: (line: string) => void): void {
  const sums = new Map<string, Score & { shots: number }>();
  const add = (key: string, s: Score) => {
    const t = sums.get(key) ?? {
      frames: 0,
      inside: 0,
      centre: 0,
      turns: 0,
      seconds: 0,
      rms: 0,
      peak: 0,
      travelled: 0,
      shots: 0,
    };
    for (const k of ['frames', 'inside', 'centre', 'turns', 'seconds', 'rms', 'peak', 'travelled'] as const)
      t[k] += s[k];
    t.shots++;
    sums.set(key, t);
  };
  for (let i = 0; i < followedCount; i++) {
    const shot = followedShot(i);
    const look = lookAtFollowed(shot);
    for (const { name, frameSize: frame } of followedFrames) {
      const ways = {
        Mivvy: leftsOf(chooseFollowed(look, frame), shot.frames, frame),
        'Mivvy, lively': leftsOf(chooseFollowed(look, frame, 1), shot.frames, frame),
        centre: centreLefts(shot.frames, frame),
        'most salient': argmaxLefts(shot, frame),
      };
      for (const [way, lefts] of Object.entries(ways)) {
        const score = scoreLefts(shot, lefts, frame);
        add(`${name.padEnd(5)} all kinds          |${way}`, score);
        add(`all   ${shot.kind.padEnd(18)} |${way}`, score);
      }
    }
  }
  say(
    `following ${followedCount} made-up shots without a detector, at 9:16, 4:5 and 1:1 (the control at ${usualLively}, and at 1)`,
  );
  say(
    'shape kind               | way           | whole inside % | middle inside % | turns a second | acceleration rms, peak ÷ the subject’s own | master widths travelled',
  );
  for (const key of [...sums.keys()].sort()) {
    const [what, way] = key.split('|') as [string, string];
    const t = sums.get(key)!;
    say(
      `${what}| ${way.padEnd(13)} | ${percent(t.inside, t.frames).padStart(14)} | ${percent(t.centre, t.frames).padStart(15)} | ${(t.turns / t.seconds).toFixed(2).padStart(14)} | ${`${(t.rms / t.shots).toFixed(2)}, ${(t.peak / t.shots).toFixed(2)}`.padStart(43)} | ${(t.travelled / t.shots).toFixed(3)}`,
    );
  }
}

/** Looking at the demo film, with and without the detector, over its length, and over a plain decoding. */
export async function lookingSpeed(
  dir: string,
  say: (line: string) => void,
  timed: (work: () => Promise<unknown>) => Promise<number>,
): Promise<void> {
  const path = join(dir, 'looked at.mp4');
  const part = join(dir, 'part.mp4');
  await makeFilm(demoFilms[0]!, part, 1, 12);
  // Twice over: what starting costs is the same for a film of any length.
  await execa('ffmpeg', [
    '-v',
    'error',
    '-y',
    '-stream_loop',
    '1',
    '-i',
    part,
    '-c',
    'copy',
    '-t',
    '24',
    path,
  ]);
  const quick = await probeMaster(path);
  const facts = quick.ok ? await countFrames(path, quick.value) : quick;
  if (!facts.ok) throw new Error(facts.problem.sentence);
  const seconds = facts.value.video.frames / 25;
  const master = planMaster(facts.value, '0'.repeat(64));
  const found = await findShots(path, facts.value, master);
  if (!found.ok) throw new Error(found.problem.sentence);
  const plain = await timed(() =>
    execa('ffmpeg', ['-v', 'error', '-nostdin', '-i', path, '-f', 'null', '-']),
  );
  for (const [name, detector, wanted] of [
    ['without the detector', false, 0.25],
    ['with the detector', true, 1],
  ] as const) {
    let first = 0;
    const started = performance.now();
    const took = await timed(async () => {
      const look = await lookAtFilm(path, facts.value, master, found.value.shots, {
        detector,
        onShot: () => void (first ||= (performance.now() - started) / 1000),
      });
      if (!look.ok) throw new Error(look.problem.sentence);
      const { detector: came } = look.value;
      if (detector && came.kind !== 'used')
        throw new Error(`the detector was not used: ${JSON.stringify(came)}`);
    });
    say(
      `looking at ${seconds.toFixed(0)} s of 1080p25 ${name} ÷ its length: ${(took / seconds).toFixed(2)} (wanted: at most ${wanted}); ÷ plain decoding by ffmpeg: ${(took / plain).toFixed(2)}; the first shot was there after ${(first / took).toFixed(2)} of it`,
    );
  }
}

/** Choosing and solving ten minutes for eight versions: every third shot has to be followed, the others hold or glide. */
export function solvingSpeed(say: (line: string) => void): void {
  const frames = 15_000;
  const shots = Array.from({ length: 150 }, (_, i) => ({ from: i * 100, setup: String(i) }));
  const looks = shots.map(({ from }, i): ShotLook => {
    const way = (t: number) =>
      i % 3 === 0 ? 0.5 + 0.25 * Math.sin(t * 7 + i) : i % 3 === 1 ? 0.2 + (i % 7) / 10 : 0.3 + 0.3 * t;
    const track = (id: string, off: number): Track => ({
      id: `${id}${i}`,
      kind: 'person',
      name: id,
      places: Array.from({ length: 25 }, (_, k) => ({
        at: from + k * 4,
        x: Math.max(0, way(k / 25) + off),
        y: 0.3,
        w: 0.1,
        h: 0.4,
        sure: 0.9,
      })),
    });
    return {
      from,
      to: from + 100,
      camera: 'still',
      everythingMoves: false,
      tracks: [track('one', 0), track('two', 0.25)],
      overlays: [],
    };
  });
  const run = () => {
    let following = 0;
    for (const [width, height] of eightShapes) {
      const film: FollowFilm = {
        shots,
        frames,
        rate: { num: 25, den: 1 },
        masterSize: { width: 1920, height: 1080 },
        keeps: [],
        looks,
        drawn: [],
        rules: {
          frameSize: { width, height },
          blocked: [{ name: 'b', x: 0.86, y: 0.45, width: 0.14, height: 0.38 }],
          margins: null,
        },
      };
      following += followFilm(film, heldFraming(), { lively: usualLively }).framing.stretches.filter(
        (s) => s.move.kind === 'follow',
      ).length;
    }
    return following;
  };
  run();
  const started = performance.now();
  const following = run();
  const one = (performance.now() - started) / 1000;
  // The worst: one shot of ten minutes that has to be followed throughout.
  const whole: Track = {
    id: 'w',
    kind: 'person',
    name: 'one',
    places: Array.from({ length: 3750 }, (_, k) => ({
      at: k * 4,
      x: 0.45 + 0.35 * Math.sin(k / 14),
      y: 0.3,
      w: 0.1,
      h: 0.4,
      sure: 0.9,
    })),
  };
  const again = performance.now();
  for (const [width, height] of eightShapes)
    chooseWindow({
      span: { from: 0, to: frames },
      look: { tracks: [whole], everythingMoves: false },
      keeps: [],
      masterSize: { width: 1920, height: 1080 },
      rules: { frameSize: { width, height }, blocked: [], margins: null },
      framesPerSecond: 25,
      lively: usualLively,
    });
  say(
    `choosing and solving 8 versions × 10 minutes, ${following} of 1200 shots followed ÷ the limit of 1 s: ${one.toFixed(2)}; one shot of ten minutes followed throughout in all 8: ${((performance.now() - again) / 1000).toFixed(2)}`,
  );
}
