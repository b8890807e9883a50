import { chooseWindow } from '../framing/follow.ts';
import { moveWriter } from '../framing/move.ts';
import type { Move } from '../framing/moves/kinds.ts';
import { usualLively } from '../framing/lively.ts';
import { largestWindowSize } from '../picture/fit.ts';
import type { Size } from '../picture/geometry.ts';
import { lookAtShot, type ShotLook } from '../subjects/look.ts';
import { saliencyOf } from '../subjects/salient.ts';
import { followedRate, followedSize, followedStep, type FollowedShot } from './followed.ts';

const { abs, max, sign, sqrt } = Math;

/** The master that the set's shots stand for. */
export const followedMaster: Size = { width: 1920, height: 1080 };
export const followedFrames: readonly { name: string; frameSize: Size }[] = [
  { name: '9:16', frameSize: { width: 1080, height: 1920 } },
  { name: '4:5', frameSize: { width: 1080, height: 1350 } },
  { name: '1:1', frameSize: { width: 1080, height: 1080 } },
];

/** How a window did in a shot whose truth is known. Accelerations are root mean squares and peaks over the subject's own. */
export interface Score {
  /** Frames in which the subject is in the picture and would fit into the window whole. */
  frames: number;
  inside: number;
  centre: number;
  turns: number;
  seconds: number;
  rms: number;
  peak: number;
  /** Master widths that the window travelled. */
  travelled: number;
}

/** Looks at a shot without a detector. */
export const lookAtFollowed = (shot: FollowedShot): ShotLook =>
  lookAtShot(
    {
      from: 0,
      step: followedStep,
      to: shot.frames,
      pictures: shot.pictures,
      size: followedSize,
      perSecond: followedRate / followedStep,
    },
    [],
    't',
  );

/** What Mivvy chooses, with nobody's help and the control where it usually stands. */
export function chooseFollowed(look: ShotLook, frameSize: Size, lively = usualLively): Move {
  return chooseWindow({
    span: { from: look.from, to: look.to },
    look,
    keeps: [],
    masterSize: followedMaster,
    rules: { frameSize: frameSize, blocked: [], margins: null },
    framesPerSecond: followedRate,
    lively,
  }).move;
}

/** Lefts of the window in master fractions, frame by frame. */
export function leftsOf(move: Move, frames: number, frameSize: Size): number[] {
  const write = moveWriter(move, followedMaster, frameSize);
  const side = largestWindowSize(followedMaster, frameSize).width / followedMaster.width;
  const out = new Float64Array(3);
  return Array.from({ length: frames }, (_, f) => {
    write(f, out);
    return Math.max(0, Math.min(1 - side, out[0]! - side / 2));
  });
}

/** The first baseline: the middle. */
export const centreLefts = (frames: number, frameSize: Size): number[] =>
  Array.from(
    { length: frames },
    () => (1 - largestWindowSize(followedMaster, frameSize).width / followedMaster.width) / 2,
  );

/** The second baseline: in each picture the point that most catches the eye, with a moving average over a second. */
export function argmaxLefts(shot: FollowedShot, frameSize: Size): number[] {
  const side = largestWindowSize(followedMaster, frameSize).width / followedMaster.width;
  const peaks = shot.pictures.map((p) => {
    const map = saliencyOf(p, followedSize);
    let best = 0;
    for (let i = 1; i < map.length; i++) if (map[i]! > map[best]!) best = i;
    return (best % followedSize.width) / followedSize.width;
  });
  const reach = Math.round(followedRate / followedStep / 2);
  return Array.from({ length: shot.frames }, (_, f) => {
    const at = Math.min(peaks.length - 1, Math.floor(f / followedStep));
    const near = peaks.slice(Math.max(0, at - reach), at + reach + 1);
    return Math.max(0, Math.min(1 - side, near.reduce((s, v) => s + v, 0) / near.length - side / 2));
  });
}

/** Holds a window's way against the truth. */
export function scoreLefts(shot: FollowedShot, lefts: readonly number[], frameSize: Size): Score {
  const side = largestWindowSize(followedMaster, frameSize).width / followedMaster.width;
  const score: Score = {
    frames: 0,
    inside: 0,
    centre: 0,
    turns: 0,
    seconds: shot.frames / followedRate,
    rms: 0,
    peak: 0,
    travelled: 0,
  };
  const subject: number[] = [];
  let way = 0;
  for (let f = 0; f < shot.frames; f++) {
    const left = lefts[f]!;
    const step = f > 0 ? left - lefts[f - 1]! : 0;
    score.travelled += abs(step);
    if (abs(step) > 2e-4) {
      if (way !== 0 && sign(step) !== way) score.turns++;
      way = sign(step);
    }
    const t = shot.truth(f);
    if (!t) continue;
    subject[f] = t.x + t.w / 2;
    // Cut by the picture's own edge, or wider than the window: it cannot be whole.
    if (t.w > side * 0.97 || t.x < 0 || t.x + t.w > 1) {
      if (t.x + t.w / 2 < 0 || t.x + t.w / 2 > 1) continue;
    } else {
      score.frames++;
      // A pixel of the looked-at picture is the least that can be told.
      const hair = 0.5 / followedSize.width;
      if (t.x >= left - hair && t.x + t.w <= left + side + hair) score.inside++;
      if (t.x + t.w / 2 >= left && t.x + t.w / 2 <= left + side) score.centre++;
    }
  }
  const accelerations = (v: readonly (number | undefined)[]) => {
    let [sum, n, most] = [0, 0, 0];
    for (let f = 5; f + 5 < shot.frames; f++) {
      const [p, q, r] = [v[f - 5], v[f], v[f + 5]];
      if (p === undefined || q === undefined || r === undefined) continue;
      const a = (p - 2 * q + r) * (followedRate / 5) ** 2;
      sum += a * a;
      most = max(most, abs(a));
      n++;
    }
    return { rms: n ? sqrt(sum / n) : 0, peak: most };
  };
  const [own, window] = [accelerations(subject), accelerations(lefts)];
  // A subject that goes evenly has none of its own: a twentieth of a master width a second squared is the least that counts.
  score.rms = window.rms / max(0.05, own.rms);
  score.peak = window.peak / max(0.05, own.peak);
  return score;
}
