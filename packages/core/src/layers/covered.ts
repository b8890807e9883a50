import type { RenderPlan } from '../render/plan-schema.ts';
import type { FrameRect } from './clear-area.ts';
import { bandOf } from './paint.ts';

/**
 * The parts of the frame that something is laid over at a delivered frame.
 *
 * @param slack frames before and after it that count as well
 */
export function coveredAt({ layers = [], captions }: RenderPlan, frame: number, slack: number): FrameRect[] {
  const near = ({ from, to }: { from: number; to: number }) => frame >= from - slack && frame < to + slack;
  return [
    ...layers.filter((layer) => layer.spans.some(near)).map((layer) => layer.box),
    ...(captions?.cues.filter(near).map((cue) => {
      const { x, y, width, height } = bandOf(captions, cue);
      return { x, y, width, height };
    }) ?? []),
  ];
}
