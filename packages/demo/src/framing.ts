import {
  setShotFraming,
  heldFraming,
  shareWithSetup,
  unitsOf,
  type Clip,
  type Framing,
  type Keep,
  type Move,
  type Pose,
  type Shot,
  type Size,
} from '@mivvy/core';
import { kiteWeekend } from './film/scenes.ts';

/** First frames of the film's shots, at 25 a second. */
export const filmCuts: readonly number[] = kiteWeekend.reduce<number[]>(
  (cuts, _shot, i) => [...cuts, i === 0 ? 0 : cuts.at(-1)! + Math.round(kiteWeekend[i - 1]!.seconds * 25)],
  [],
);

const spanOf = (shot: number) => ({ from: filmCuts[shot - 1]!, to: filmCuts[shot] ?? 1060 });
const keep = (
  id: string,
  name: string,
  kind: Keep['kind'],
  shot: number,
  x: number,
  y: number,
  width: number,
  height: number,
  from = spanOf(shot).from,
  to = spanOf(shot).to,
): Keep => ({ id, name, kind, span: { from, to }, keys: [{ at: from, x, y, width, height }] });

/** What must stay visible in the film, as a producer would mark it. */
export const filmKeeps: readonly Keep[] = [
  keep('title', 'Title', 'title', 1, 0.05, 0.803, 0.396, 0.12, 16, 116),
  ...[2, 5, 9].map((shot) => keep(`maker${shot}`, 'Kite maker', 'face', shot, 0.207, 0.285, 0.168, 0.305)),
  ...[3, 7].map((shot) => keep(`warden${shot}`, 'Warden', 'face', shot, 0.632, 0.31, 0.166, 0.285)),
  keep('sign', 'Sign', 'logo', 10, 0.752, 0.31, 0.245, 0.24),
  keep('card', 'End card', 'title', 12, 0.279, 0.685, 0.442, 0.155),
];

interface Film {
  shots: readonly Shot[];
  frames: number;
  masterSize: Size;
  frameSize: Size;
}

const hold = (x: number, y = 0.5, zoom = 1): Move => ({ kind: 'hold', pose: { x, y, zoom } });
const glide = (a: number, b: number, start: number, end: number, y = 0.5): Move => ({
  kind: 'glide',
  a: pose(a, y),
  b: pose(b, y),
  start,
  end,
  ease: 'soft',
});
const pose = (x: number, y = 0.5): Pose => ({ x, y, zoom: 1 });

/** How each shot is framed in the narrow frames: where the subject's middle is, as a fraction of the master's width. */
function narrow(maker: number, warden: number, sign: number): Record<number, Move> {
  return {
    1: glide(0.22, 0.33, 0, 124),
    2: hold(maker),
    3: hold(warden),
    4: glide(0.4, 0.55, 0, 109),
    6: hold(0.47),
    8: glide(0.28, 0.72, 10, 140),
    10: hold(sign),
    11: glide(0.6, 0.72, 0, 54),
    12: hold(0.5),
  };
}

/** Shots that are framed for each placement of the demo; cameras that return share what was set for them first. */
const framings: Record<string, Record<number, Move>> = {
  'kelpie-tall': narrow(0.31, 0.66, 0.874),
  'hearthpost-feed': narrow(0.3, 0.71, 0.83),
  'hearthpost-square': narrow(0.31, 0.7, 0.72),
  'tarnboard-board': narrow(0.29, 0.715, 0.86),
  'wickerly-header': {
    1: hold(0.5, 0.36),
    2: hold(0.5, 0.44),
    3: hold(0.5, 0.44),
    4: hold(0.5, 0.36),
    6: hold(0.5, 0.56),
    8: hold(0.5, 0.4),
    10: hold(0.5, 0.42),
    11: hold(0.5, 0.36),
    12: hold(0.5, 0.6),
  },
};

/** A version's framing as the demo has it: shot by shot, set once for a camera where it comes back. */
export function filmFraming(placementId: string, film: Film): Framing {
  const moves = framings[placementId];
  let framing = heldFraming();
  if (!moves) return framing;
  for (const [shot, move] of Object.entries(moves)) {
    const units = () => unitsOf(framing, film.shots, film.frames);
    const unit = units().find((u) => u.from === filmCuts[Number(shot) - 1])!;
    const clip: Clip = { move, fill: { kind: 'filled' }, length: unit.to - unit.from };
    framing = setShotFraming(framing, units(), unit, clip);
    if (move.kind === 'hold' && units().filter((u) => u.setup === unit.setup).length > 1)
      framing = shareWithSetup(framing, units(), unit);
  }
  return framing;
}
