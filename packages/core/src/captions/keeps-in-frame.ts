import { keepAt, type Keep } from '../checks/keeps.ts';
import { layoutAt } from '../framing/framing.ts';
import type { FrameRect } from '../layers/clear-area.ts';
import type { RenderPlan } from '../render/plan-schema.ts';
import { masterFrameAt } from '../render/read-plan.ts';
import type { FrameSpan } from '../time/span.ts';

/** Frames of a span at which is looked what lies behind: so many, evenly. */
const usualLooks = 5;

/**
 * Where keeps lie in a plan's frame during a span of delivered frames, pixels of the frame.
 *
 * @param looks at so many frames of the span, evenly; two at least
 */
export function keepsInFrame(
  plan: RenderPlan,
  keeps: readonly Pick<Keep, 'span' | 'keys'>[],
  span: FrameSpan,
  looks = usualLooks,
): FrameRect[] {
  const found: FrameRect[] = [];
  for (let i = 0; i < looks; i++) {
    const at = masterFrameAt(plan, Math.round(span.from + ((span.to - 1 - span.from) * i) / (looks - 1)));
    const { panels } = layoutAt(plan.framing, at, plan.master.displayed, plan.frame);
    for (const keep of keeps.filter((k) => at >= k.span.from && at < k.span.to)) {
      const { x, y, width, height } = keepAt(keep, at);
      const { width: w, height: h } = plan.master.displayed;
      for (const { source, into } of panels) {
        const [kx, ky] = [into.width / source.width, into.height / source.height];
        const left = Math.max(into.x, into.x + (x * w - source.x) * kx);
        const top = Math.max(into.y, into.y + (y * h - source.y) * ky);
        const right = Math.min(into.x + into.width, into.x + ((x + width) * w - source.x) * kx);
        const bottom = Math.min(into.y + into.height, into.y + ((y + height) * h - source.y) * ky);
        if (right > left && bottom > top)
          found.push({ x: left, y: top, width: right - left, height: bottom - top });
      }
    }
  }
  return found;
}
