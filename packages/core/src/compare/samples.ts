import { keptFrameAt } from '../edits/cut.ts';
import { stretchIndexAt } from '../framing/framing.ts';
import type { RenderPlan } from '../render/plan-schema.ts';
import { keptIndexAt, masterFrameAt } from '../render/read-plan.ts';

/** Frames that are looked at closely, evenly over the film, and at most so many more beside cuts. */
const even = 24;
const besideCuts = 40;

/** Delivered frames at which something else begins: another kept span, or another stretch of the framing. */
function beginnings(plan: RenderPlan): number[] {
  const found: number[] = [];
  let before = '';
  for (let k = 0; k < plan.frames; k++) {
    const { span } = keptFrameAt(plan.kept, keptIndexAt(plan, k));
    const here = `${span} ${stretchIndexAt(plan.framing, masterFrameAt(plan, k))}`;
    if (k > 0 && here !== before) found.push(k);
    before = here;
  }
  return found;
}

/** Delivered frames that are looked at closely: spread over the film, and on both sides of every cut as far as that goes. */
export function sampledFrames(plan: RenderPlan): number[] {
  const { frames } = plan;
  const count = Math.min(even, frames);
  const spread = Array.from({ length: count }, (_, i) => Math.floor(((i + 0.5) * frames) / count));
  const cuts = beginnings(plan).flatMap((k) => [k - 1, k]);
  const every = Math.max(1, Math.ceil(cuts.length / besideCuts));
  return [...new Set([...spread, ...cuts.filter((_, i) => i % every === 0)])].sort((a, b) => a - b);
}
