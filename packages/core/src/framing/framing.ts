import * as z from 'zod';
import type { MasterRect, Size } from '../picture/geometry.ts';
import { moveSchema, type Move } from './moves/kinds.ts';
import { poseOfMove } from './move.ts';
import { centredPose, windowOf, type Pose } from './pose.ts';

/** A colour as written in style sheets, six digits. */
const colourSchema = z.string().regex(/^#[0-9a-f]{6}$/, 'a colour is written #1a2b3c');

/**
 * How the picture fills the frame.
 * - `filled`: the window fills it.
 * - `bars`: the whole master stands in it, on a colour.
 * - `soft`: the whole master stands in it, over a soft enlarged copy of itself.
 * - `stacked`: two windows, one above the other; `divide` is the upper one's share of the height.
 */
export const fillSchema = z.discriminatedUnion('kind', [
  z.object({ kind: z.literal('filled') }),
  z.object({ kind: z.literal('bars'), colour: colourSchema }),
  z.object({ kind: z.literal('soft') }),
  z.object({ kind: z.literal('stacked'), divide: z.number().min(0.2).max(0.8), lower: moveSchema }),
]);
export type Fill = z.infer<typeof fillSchema>;

/** The ordinary way: the window fills the frame. */
export const filled: Fill = { kind: 'filled' };

/** What the choice of a stretch's framing was made by, when it was not a person: kept beside it, and of no effect on the picture. */
const framingDecisionSchema = z.object({
  /** The subject that the window goes by: the id of its track and its name; null where it goes by none. */
  subject: z.object({ id: z.string().max(60), name: z.string().max(60) }).nullable(),
  /** What was chosen and why, in one sentence. */
  sentence: z.string().max(400),
  /** Calm 0 to lively 1, as it was worked out with. */
  lively: z.number().min(0).max(1),
  /** A person said which subject to go by (or none); it is kept when the choice is made again. */
  named: z.boolean(),
  /** A person has looked at it and found it good. */
  seen: z.boolean(),
  /** What was there before, to be put back. */
  before: z.object({ move: moveSchema, fill: fillSchema.optional() }).optional(),
});
export type FramingDecision = z.infer<typeof framingDecisionSchema>;

/** A stretch of the framing, from a master frame until the next stretch starts or the film ends. */
export const framingSegmentSchema = z.object({
  from: z.number().int().nonnegative(),
  move: moveSchema,
  fill: fillSchema.optional(),
  /** The setup whose shots share this framing; a stretch without one is framed on its own. */
  setup: z.string().max(40).optional(),
  pick: framingDecisionSchema.optional(),
  /** Following leaves it alone. */
  locked: z.literal(true).optional(),
});
export type FramingSegment = z.infer<typeof framingSegmentSchema>;

/** All windows of a version through time. The first stretch starts at frame 0; starts only grow. */
export const framingSchema = z
  .object({ version: z.literal(1), stretches: z.array(framingSegmentSchema).min(1).max(20_000) })
  .refine((f) => f.stretches[0]?.from === 0, 'the first stretch starts at frame 0')
  .refine(
    (f) => f.stretches.every((s, i) => i === 0 || s.from > f.stretches[i - 1]!.from),
    'stretches come in order',
  );
export type Framing = z.infer<typeof framingSchema>;

/** A framing that holds one window through the whole film. */
export function heldFraming(pose: Pose = centredPose): Framing {
  return { version: 1, stretches: [{ from: 0, move: { kind: 'hold', pose } }] };
}

/** Index of the stretch that a master frame falls in. */
export function stretchIndexAt(framing: Framing, masterFrame: number): number {
  const { stretches } = framing;
  let low = 0;
  let high = stretches.length - 1;
  while (low < high) {
    const middle = (low + high + 1) >> 1;
    if (stretches[middle]!.from <= masterFrame) low = middle;
    else high = middle - 1;
  }
  return low;
}

/** The stretch of a framing that a master frame falls in. */
export function stretchAt(framing: Framing, masterFrame: number): FramingSegment {
  return framing.stretches[stretchIndexAt(framing, masterFrame)]!;
}

/** One picture of a version: what is seen of the master, where, and on what ground. */
export interface Layout {
  /** Whole even pixels of the frame in `into`, except where a panel fills it. */
  panels: { source: MasterRect; into: { x: number; y: number; width: number; height: number } }[];
  /** What lies behind the panels; null where they cover the frame. */
  ground: null | { kind: 'colour'; colour: string } | { kind: 'soft'; source: MasterRect };
}

/** Share of the frame's size that the soft ground is reduced to before it is spread out over the frame again. */
export const softReduction = 1 / 24;

const whole = (frameSize: Size) => ({ x: 0, y: 0, width: frameSize.width, height: frameSize.height });

/** Height of the upper of two stacked windows: whole even pixels, because colour is stored for pairs of lines. */
export function upperHeight(divide: number, frameSize: Size): number {
  return Math.min(frameSize.height - 2, Math.max(2, Math.round((frameSize.height * divide) / 2) * 2));
}

/** The whole master in the frame: whole even pixels, the picture trimmed by less than a line rather than stretched. */
function wholeInside(masterSize: Size, frameSize: Size): Layout['panels'][number] {
  const scale = Math.min(frameSize.width / masterSize.width, frameSize.height / masterSize.height);
  const even = (n: number, most: number) => Math.min(most, Math.max(2, Math.floor((n + 1e-6) / 2) * 2));
  const width = even(masterSize.width * scale, frameSize.width);
  const height = even(masterSize.height * scale, frameSize.height);
  const source = {
    width: Math.min(masterSize.width, width / scale),
    height: Math.min(masterSize.height, height / scale),
  };
  return {
    source: {
      x: (masterSize.width - source.width) / 2,
      y: (masterSize.height - source.height) / 2,
      ...source,
    },
    into: {
      x: Math.floor((frameSize.width - width) / 4) * 2,
      y: Math.floor((frameSize.height - height) / 4) * 2,
      width,
      height,
    },
  };
}

/** The frame that a stretch's moves are made for: for stacked windows, each its own part of the frame. */
export function frameOfPanel(fill: Fill | undefined, panel: 'upper' | 'lower', frameSize: Size): Size {
  if (fill?.kind !== 'stacked') return frameSize;
  const upper = upperHeight(fill.divide, frameSize);
  return { width: frameSize.width, height: panel === 'upper' ? upper : frameSize.height - upper };
}

/**
 * The one truth for the picture: what the proof draws, the troubles are worked out from and the renderer makes.
 *
 * @param masterFrame integer frame of the master
 * @param masterSize displayed size of the master, pixels
 * @param frameSize delivered frame size, pixels
 */
export function layoutAt(framing: Framing, masterFrame: number, masterSize: Size, frameSize: Size): Layout {
  const stretch = stretchAt(framing, masterFrame);
  const at = masterFrame - stretch.from;
  const fill = stretch.fill ?? filled;
  const through = (move: Move, part: Size) =>
    windowOf(poseOfMove(move, at, masterSize, part), masterSize, part);
  switch (fill.kind) {
    case 'filled':
      return { panels: [{ source: through(stretch.move, frameSize), into: whole(frameSize) }], ground: null };
    case 'bars':
      return {
        panels: [wholeInside(masterSize, frameSize)],
        ground: { kind: 'colour', colour: fill.colour },
      };
    case 'soft':
      return {
        panels: [wholeInside(masterSize, frameSize)],
        ground: { kind: 'soft', source: windowOf(centredPose, masterSize, frameSize) },
      };
    case 'stacked': {
      const [upper, lower] = [frameOfPanel(fill, 'upper', frameSize), frameOfPanel(fill, 'lower', frameSize)];
      return {
        panels: [
          { source: through(stretch.move, upper), into: whole(upper) },
          { source: through(fill.lower, lower), into: { ...whole(lower), y: upper.height } },
        ],
        ground: null,
      };
    }
  }
}

/** The window of a version at a frame: its first panel's part of the master. See {@link layoutAt}. */
export function windowAt(
  framing: Framing,
  masterFrame: number,
  masterSize: Size,
  frameSize: Size,
): MasterRect {
  return layoutAt(framing, masterFrame, masterSize, frameSize).panels[0]!.source;
}
