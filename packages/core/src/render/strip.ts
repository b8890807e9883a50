import { keepWithin } from '../edits/cut.ts';
import { fps } from '../time/rate.ts';
import type { FrameSpan } from '../time/span.ts';
import { keptIndexAt } from './read-plan.ts';
import type { RenderPlan } from './plan-schema.ts';

/** Kept frames from one place in what plays to another. */
function keptBetween(kept: readonly FrameSpan[], from: number, to: number): FrameSpan[] {
  const found: FrameSpan[] = [];
  let start = 0;
  for (const span of kept) {
    const length = span.to - span.from;
    const inside = { from: span.from + from - start, to: span.from + to - start };
    found.push(...keepWithin([span], inside));
    start += length;
  }
  return found;
}

const shifted = (spans: readonly FrameSpan[], { from, to }: FrameSpan): FrameSpan[] =>
  keepWithin(spans, { from, to }).map((span) => ({ from: span.from - from, to: span.to - from }));

/** Some seconds of a plan's film from a delivered frame on; earlier where it ends before. */
export function deliveredSpan(plan: RenderPlan, from: number, seconds: number): FrameSpan {
  const length = Math.min(plan.frames, Math.max(1, Math.round(seconds * fps(plan.rate))));
  const start = Math.max(0, Math.min(from, plan.frames - length));
  return { from: start, to: start + length };
}

/**
 * The plan of a part of a plan's film: the same pictures and numbers for some of its delivered frames, without sound,
 * sidecar and cover. What is laid over it goes along.
 *
 * @param part delivered frames; what lies beyond the film is left out
 */
export function stripPlan(plan: RenderPlan, part: FrameSpan): RenderPlan {
  const from = Math.max(0, Math.min(part.from, plan.frames - 1));
  const to = Math.max(from + 1, Math.min(part.to, plan.frames));
  const { sidecar: _sidecar, cover: _cover, captions, layers, ...rest } = plan;
  const span = { from, to };
  const kept = keptBetween(plan.kept, keptIndexAt(plan, from), keptIndexAt(plan, to - 1) + 1);
  const cues = captions?.cues
    .filter((cue) => cue.from < to && cue.to > from)
    .map((cue) => ({ ...cue, ...shifted([cue], span)[0]! }));
  return {
    ...rest,
    frames: to - from,
    kept,
    audio: null,
    maxBytes: null,
    ...(captions && cues?.length ? { captions: { ...captions, cues } } : {}),
    ...(layers ? { layers: layers.map((layer) => ({ ...layer, spans: shifted(layer.spans, span) })) } : {}),
  };
}
