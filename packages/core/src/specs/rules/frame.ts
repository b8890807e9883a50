import * as z from 'zod';
import { checkLine } from '../../checks/check-line.ts';
import { sizeLabel } from '../../masters/facts.ts';
import { aspectLabel, shapeWord, type Size } from '../../picture/geometry.ts';
import { closed } from '../closed.ts';
import type { PlacementRule } from './rule.ts';

const evenSide = z
  .number()
  .int('a frame side is a whole number of pixels')
  .min(16, 'a frame side is at least 16 pixels')
  .max(8192, 'a frame side is at most 8192 pixels')
  .refine((n) => n % 2 === 0, 'a frame side must be even: colour is stored for pairs of pixels');

const frame = closed({ width: evenSide, height: evenSide });

/** The frame's size, and a larger one of the same shape that is taken when the master has the pixels. */
export const frameRule = {
  fields: { frame, largerFrame: frame.optional() },
  words({ frame: size, largerFrame }) {
    const shape = shapeWord(size);
    const larger = largerFrame ? `, or ${sizeLabel(largerFrame)} when the master has the pixels` : '';
    return [`${shape[0]!.toUpperCase()}${shape.slice(1)} ${aspectLabel(size)}, ${sizeLabel(size)}${larger}.`];
  },
  lines({ plan }, { video }) {
    const pixels = video.squarePixels ? 'square' : 'stretched';
    const turned = video.rotation === 0 ? 'upright' : `turned ${video.rotation}°`;
    return [
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
  contradictions: ({ frame: size, largerFrame }) =>
    largerFrame && largerFrame.width * size.height !== largerFrame.height * size.width
      ? [{ path: ['largerFrame'], message: 'the larger frame must have the shape of the frame' }]
      : [],
} satisfies PlacementRule<{ frame: Size; largerFrame?: Size | undefined }>;
