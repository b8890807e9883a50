import { asEdited, keptLength } from '../edits/cut.ts';
import type { Framing } from '../framing/framing.ts';
import { tidyFraming } from '../framing/shots-of.ts';
import type { MasterFacts } from '../masters/facts.ts';
import type { Placement } from '../specs/schema.ts';
import type { FrameSpan } from '../time/span.ts';
import type { RenderPlan } from './plan-schema.ts';

type PlannedCover = NonNullable<RenderPlan['cover']>;

/** The master's frame in the middle of what plays: what a cover shows until somebody picks another. */
export function middleFrame(kept: readonly FrameSpan[]): number {
  let left = Math.floor(keptLength(kept) / 2);
  for (const { from, to } of kept) {
    if (left < to - from) return from + left;
    left -= to - from;
  }
  return kept.at(-1)!.to - 1;
}

/** A cover as a place asks for it, at a frame of the master; one that a shorter film has lost becomes its last. */
export function plannedCover(
  { width, height, format = 'jpeg' }: NonNullable<Placement['cover']>,
  wanted: number,
  framing: Framing,
  { video }: MasterFacts,
): PlannedCover {
  const frame = Math.min(wanted, video.frames - 1);
  const size = { width, height };
  const span = { from: frame, to: frame + 1 };
  return { size, format, frame, framing: tidyFraming(framing, [span], video.displayed, size) };
}

/** The plan of a cover: a film of one frame, silent and with nothing laid over it. */
export function coverPlan(plan: RenderPlan, cover: PlannedCover): RenderPlan {
  const {
    captions: _captions,
    sidecar: _sidecar,
    layers: _layers,
    cover: _cover,
    sharpen: _sharpen,
    ...rest
  } = plan;
  return {
    ...rest,
    frame: cover.size,
    rate: plan.master.rate,
    frames: 1,
    step: { kind: 'every', n: 1 },
    kept: [{ from: cover.frame, to: cover.frame + 1 }],
    pace: asEdited,
    framing: cover.framing,
    audio: null,
  };
}
