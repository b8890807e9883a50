import { keptFrameAt, keptLength, pacedRate, playsAt } from '../edits/cut.ts';
import { layoutAt, type Layout } from '../framing/framing.ts';
import { isStill } from '../framing/move.ts';
import type { MasterRect } from '../picture/geometry.ts';
import { sourceFrameAt } from '../time/delivered-rate.ts';
import { frameToSeconds } from '../time/rate.ts';
import type { RenderPlan } from './plan-schema.ts';

/** Which of the kept frames a delivered frame shows, counted in playing order. */
export function keptIndexAt(plan: RenderPlan, deliveredFrame: number): number {
  return sourceFrameAt(
    deliveredFrame,
    keptLength(plan.kept),
    pacedRate(plan.master.rate, plan.pace),
    plan.rate,
    plan.step,
  );
}

/** The master frame that a delivered frame shows. */
export function masterFrameAt(plan: RenderPlan, deliveredFrame: number): number {
  return keptFrameAt(plan.kept, keptIndexAt(plan, deliveredFrame)).frame;
}

/** The first delivered frame at which a master frame, or what is shown in its place, is seen; null where it is dropped. */
export function deliveredFrameAt(plan: RenderPlan, masterFrame: number): number | null {
  const index = playsAt(plan.kept, masterFrame);
  if (index === null) return null;
  let [low, high] = [0, plan.frames - 1];
  while (low < high) {
    const middle = (low + high) >> 1;
    if (keptIndexAt(plan, middle) < index) low = middle + 1;
    else high = middle;
  }
  // Of a film whose frames are thinned out, the one that is left stands for those that are not.
  return keptIndexAt(plan, low) > index && low > 0 ? low - 1 : low;
}

/** What a delivered frame is made of. */
export function planLayout(plan: RenderPlan, deliveredFrame: number): Layout {
  return layoutAt(plan.framing, masterFrameAt(plan, deliveredFrame), plan.master.displayed, plan.frame);
}

/** The one window that fills the frame from the first picture to the last, or null where anything moves or changes. */
export function stillWindow(plan: RenderPlan): MasterRect | null {
  const [only, ...more] = plan.framing.stretches;
  if (!only || more.length || !isStill(only.move) || (only.fill && only.fill.kind !== 'filled')) return null;
  return planLayout(plan, 0).panels[0]!.source;
}

/** Length of the delivered file in seconds. */
export function planSeconds(plan: RenderPlan): number {
  return frameToSeconds(plan.frames, plan.rate);
}
