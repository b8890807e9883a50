import type { Keep } from '../checks/keeps.ts';
import type { Cue } from '../interchange/captions.ts';
import { captionFace } from '../letters/face.ts';
import type { Shaper } from '../letters/shaper.ts';
import type { PlannedVersion } from '../render/plan-schema.ts';
import type { Placement } from '../specs/schema.ts';
import type { FrameSpan } from '../time/span.ts';
import { layOutCaptions } from './burned.ts';
import { keepsInFrame } from './keeps-in-frame.ts';
import { retimeCues } from './retime.ts';
import { wrapCues } from './wrap.ts';

/**
 * A planned version with captions as they play in it: drawn into its picture, or wrapped for a file beside it, as the
 * placement asks.
 *
 * @param cues in the master's time, seconds
 * @param keeps what drawn captions move out of the way of: keeps, and faces that were seen
 */
export function withCaptions(
  planned: PlannedVersion,
  placement: Placement,
  cues: readonly Cue[],
  shaper: Shaper,
  keeps: readonly Pick<Keep, 'span' | 'keys'>[] = [],
): PlannedVersion {
  const { plan } = planned;
  const playing = retimeCues(cues, plan, plan.master.rate);
  const shown = { ...planned, captions: playing };
  if (!playing.length) return shown;
  if (placement.captions === 'sidecar') {
    const { captionLanguage: language } = placement;
    const format = placement.captionFormat ?? 'srt';
    const sidecar = { format, ...(language ? { language } : {}), cues: wrapCues(playing) };
    return { ...shown, plan: { ...plan, sidecar } };
  }
  if (placement.captions !== 'burned') return shown;
  const burned = layOutCaptions(
    playing,
    {
      frame: plan.frame,
      rate: plan.rate,
      frames: plan.frames,
      safeMargin: placement.safeMargin,
      blocked: placement.blocked,
      ...(keeps.length ? { avoid: (span: FrameSpan) => keepsInFrame(plan, keeps, span) } : {}),
    },
    shaper,
  );
  if (!burned) return shown;
  const text = playing.flatMap((cue) => cue.lines).join(' ');
  const captionsMissing = shaper.missing(text, captionFace);
  return { ...shown, captionsMissing, plan: { ...plan, captions: burned } };
}
