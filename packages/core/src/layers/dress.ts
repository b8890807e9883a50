import type { SeenFace } from '../captions/seen-faces.ts';
import { withCaptions } from '../captions/with-captions.ts';
import type { Keep } from '../checks/keeps.ts';
import type { Shaper } from '../letters/shaper.ts';
import type { PlannedVersion } from '../render/plan-schema.ts';
import type { Placement } from '../specs/schema.ts';
import { keepsInFrame } from '../captions/keeps-in-frame.ts';
import { clearArea, type FrameRect } from './clear-area.ts';
import { draftLayer } from './draft-mark.ts';
import { layOutLayers } from './lay-out.ts';
import { layerIn, trackFor, type Dressing } from './layer.ts';

/** A patch has to hide its keep wherever the window moves: it is looked at so many frames of a span where it is. */
const patchLooks = 120;

/** The least box that some boxes lie in. */
function around(boxes: readonly FrameRect[]): FrameRect {
  const x = Math.min(...boxes.map((box) => box.x));
  const y = Math.min(...boxes.map((box) => box.y));
  return {
    x,
    y,
    width: Math.max(...boxes.map((box) => box.x + box.width)) - x,
    height: Math.max(...boxes.map((box) => box.y + box.height)) - y,
  };
}

/** What is laid over a version, and what that needs. */
export interface Dressed {
  dressing: Dressing;
  versionId: string;
  /** What captions move out of the way of, and patches hide. */
  keeps: readonly Keep[];
  /** What captions move out of the way of besides. */
  faces: readonly SeenFace[];
  shaper: Shaper;
  /** A file of the version has been approved: it is no draft any more. */
  approved: boolean;
}

/** A planned version with the layers and captions that it shows. */
export function dress(
  bare: PlannedVersion,
  placement: Placement,
  { dressing, versionId, keeps, faces, shaper, approved }: Dressed,
): PlannedVersion {
  const wanted = placement.captions !== undefined && placement.captions !== 'none';
  const track = wanted ? trackFor(dressing.captions, placement.captionLanguage) : undefined;
  const { reading } = dressing;
  const planned: PlannedVersion = {
    ...(track ? withCaptions(bare, placement, track.cues, shaper, [...keeps, ...faces]) : bare),
    ...(reading ? { reading } : {}),
  };
  const { plan } = planned;
  const shown = dressing.layers.flatMap((layer) => layerIn(layer, versionId) ?? []);
  if (dressing.draftMark && !approved) shown.unshift(draftLayer(plan.master.frames));
  if (!shown.length) return planned;
  const laid = layOutLayers(
    shown,
    {
      frame: plan.frame,
      clear: clearArea(plan.frame, placement.safeMargin, placement.blocked),
      masterRate: plan.master.rate,
      rate: plan.rate,
      frames: plan.frames,
      played: plan,
      shows: ({ keepId, keys }, spans) => {
        const always = { from: 0, to: plan.master.frames };
        const keep = keys ? { span: always, keys } : keeps.find(({ id }) => id === keepId);
        const seen = keep ? spans.flatMap((span) => keepsInFrame(plan, [keep], span, patchLooks)) : [];
        return seen.length ? around(seen) : null;
      },
    },
    shaper,
  );
  return laid.length ? { ...planned, laid, plan: { ...plan, layers: laid.map((l) => l.planned) } } : planned;
}
