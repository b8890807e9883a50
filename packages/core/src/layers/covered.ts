import type { RenderPlan } from '../render/plan-schema.ts';
import type { FrameRect } from './clear-area.ts';
import { bandOf } from './paint.ts';
import type { Size } from '../picture/geometry.ts';
import type { PlannedLayer } from './planned-layer.ts';
import { softPatch } from './soft-patch.ts';

/** The part of the frame that a layer is drawn on: a soft patch hides a little more than its box. */
const drawnOn = ({ box, what }: PlannedLayer, frame: Size): FrameRect =>
  what.kind === 'patch' && what.soft ? softPatch(box, frame).hidden : box;

/**
 * The parts of the frame that something is laid over at a delivered frame.
 *
 * @param slack frames before and after it that count as well
 */
export function coveredAt(
  { layers = [], captions, frame: frameSize }: RenderPlan,
  frame: number,
  slack: number,
): FrameRect[] {
  const near = ({ from, to }: { from: number; to: number }) => frame >= from - slack && frame < to + slack;
  return [
    ...layers.filter((layer) => layer.spans.some(near)).map((layer) => drawnOn(layer, frameSize)),
    ...(captions?.cues.filter(near).map((cue) => {
      const { x, y, width, height } = bandOf(captions, cue);
      return { x, y, width, height };
    }) ?? []),
  ];
}
