import * as z from 'zod';
import { checkLine } from '../../checks/check-line.ts';
import { trouble, type Trouble } from '../../checks/trouble-kinds.ts';
import { sizeLabel } from '../../masters/facts.ts';
import { aspectLabel, shapeWord, type Size } from '../../picture/geometry.ts';
import { closed } from '../closed.ts';
import type { PlacementRule } from './rule.ts';

/** A side of a picture that is delivered, pixels. */
export const evenSide = z
  .number()
  .int('a frame side is a whole number of pixels')
  .min(16, 'a frame side is at least 16 pixels')
  .max(8192, 'a frame side is at most 8192 pixels')
  .refine((n) => n % 2 === 0, 'a frame side must be even: colour is stored for pairs of pixels');

const frame = closed({ width: evenSide, height: evenSide });
const side = z.number().int('a side is a whole number of pixels').min(1).max(32768);
/** A bound of the master's size, as it is displayed. */
const bound = closed({ width: side, height: side });

const fits = (inner: Size, outer: Size) => inner.width <= outer.width && inner.height <= outer.height;

/** What the master must be at least and at most, in words; empty where nothing is asked. */
function masterBounds({ minFrame, maxFrame }: { minFrame?: Size | undefined; maxFrame?: Size | undefined }) {
  return [
    ...(minFrame ? [`at least ${sizeLabel(minFrame)}`] : []),
    ...(maxFrame ? [`at most ${sizeLabel(maxFrame)}`] : []),
  ].join(', ');
}

/** The frame's size, and a larger one of the same shape that is taken when the master has the pixels; how large the master itself must be. */
export const frameRule = {
  fields: { frame, largerFrame: frame.optional(), minFrame: bound.optional(), maxFrame: bound.optional() },
  words({ frame: size, largerFrame, ...bounds }) {
    const shape = shapeWord(size);
    const larger = largerFrame ? `, or ${sizeLabel(largerFrame)} when the master has the pixels` : '';
    const master = masterBounds(bounds);
    return [
      `${shape[0]!.toUpperCase()}${shape.slice(1)} ${aspectLabel(size)}, ${sizeLabel(size)}${larger}.`,
      ...(master ? [`From a master of ${master}.`] : []),
    ];
  },
  troubles({ plan }, { minFrame, maxFrame }, source) {
    const { displayed } = plan.master;
    const found: Trouble[] = [];
    const is = `The master is ${sizeLabel(displayed)}`;
    if (minFrame && !fits(minFrame, displayed))
      found.push(trouble('master-small', source, `${is}; at least ${sizeLabel(minFrame)} is asked for.`));
    if (maxFrame && !fits(displayed, maxFrame))
      found.push(trouble('master-large', source, `${is}; at most ${sizeLabel(maxFrame)} is taken.`));
    return found;
  },
  lines({ plan, alone }, { video }, placement) {
    const pixels = video.squarePixels ? 'square' : 'stretched';
    const turned = video.rotation === 0 ? 'upright' : `turned ${video.rotation}°`;
    const { displayed } = plan.master;
    const { minFrame, maxFrame } = placement ?? {};
    const master = masterBounds({ minFrame, maxFrame });
    const isMasterTaken =
      (!minFrame || fits(minFrame, displayed)) && (!maxFrame || fits(displayed, maxFrame));
    return [
      ...(master && !alone ? [checkLine('master-size', master, sizeLabel(displayed), isMasterTaken)] : []),
      checkLine(
        'frame-size',
        sizeLabel(plan.frame),
        sizeLabel(video.frame),
        video.frame.width === plan.frame.width && video.frame.height === plan.frame.height,
      ),
      checkLine(
        'pixels',
        'square, upright',
        `${pixels}, ${turned}`,
        video.squarePixels && video.rotation === 0,
      ),
    ];
  },
  contradictions: ({ frame: size, largerFrame, minFrame, maxFrame }) => [
    ...(largerFrame && largerFrame.width * size.height !== largerFrame.height * size.width
      ? [{ path: ['largerFrame'], message: 'the larger frame must have the shape of the frame' }]
      : []),
    ...(minFrame && maxFrame && !fits(minFrame, maxFrame)
      ? [{ path: ['minFrame'], message: 'the smallest master is larger than the largest' }]
      : []),
  ],
} satisfies PlacementRule<{
  frame: Size;
  largerFrame?: Size | undefined;
  minFrame?: Size | undefined;
  maxFrame?: Size | undefined;
}>;
