import { keepsInFrame } from '../captions/keeps-in-frame.ts';
import { draftLayerId } from '../layers/draft-mark.ts';
import type { LaidLayer } from '../layers/lay-out.ts';
import type { PlannedVersion } from '../render/plan-schema.ts';
import { insideMargins } from '../picture/safe.ts';
import type { FrameSpan } from '../time/span.ts';
import { trouble, type Trouble } from './trouble-kinds.ts';
import type { FrameRules, Watchable } from './visibility.ts';

interface Box {
  x: number;
  y: number;
  width: number;
  height: number;
}

/** So many delivered pixels over an edge are rounding. */
const rounding = 1.5;
/** A layer that covers less than this of something lies beside it; a share of the covered thing. */
const covers = 0.08;

/** Width and height of what two boxes share; none where they do not meet by more than rounding. */
function shared(a: Box, b: Box): number {
  const width = Math.min(a.x + a.width, b.x + b.width) - Math.max(a.x, b.x);
  const height = Math.min(a.y + a.height, b.y + b.height) - Math.max(a.y, b.y);
  return width > rounding && height > rounding ? width * height : 0;
}

const meets = (a: readonly FrameSpan[], b: readonly FrameSpan[]): boolean =>
  a.some((s) => b.some((t) => s.from < t.to && t.from < s.to));

/** What of a frame's rules one layer breaks. */
function placeTroubles({ layer, planned, source }: LaidLayer, rules: FrameRules): Trouble[] {
  const { width, height } = rules.frameSize;
  const { box } = planned;
  const about = { layerId: layer.id };
  const area = rules.blocked.find(
    (b) =>
      shared(box, { x: b.x * width, y: b.y * height, width: b.width * width, height: b.height * height }) > 0,
  );
  if (area)
    return [
      trouble('layer-blocked', source, `“${layer.name}” is behind “${area.name}”.`, {
        ...about,
        area: area.name,
      }),
    ];
  const inner = rules.margins ? insideMargins(rules.margins) : { x: 0, y: 0, width: 1, height: 1 };
  const outside =
    box.x < inner.x * width - rounding ||
    box.y < inner.y * height - rounding ||
    box.x + box.width > (inner.x + inner.width) * width + rounding ||
    box.y + box.height > (inner.y + inner.height) * height + rounding;
  return outside
    ? [trouble('layer-margin', source, `“${layer.name}” reaches outside the safe margin.`, about)]
    : [];
}

/** What stands against the layers of a planned version: places, each other, and what should be seen behind them. */
export function layerTroubles(
  { plan, laid = [], captionsMissing = [] }: PlannedVersion,
  rules: FrameRules,
  watched: readonly Watchable[],
): Trouble[] {
  // The draft mark lies over everything on purpose, and patches over what they hide.
  const layers = laid.filter(({ layer }) => layer.id !== draftLayerId && layer.what.kind !== 'patch');
  const whole: FrameSpan = { from: plan.kept[0]!.from, to: plan.kept[0]!.to };
  const found: Trouble[] = layers.flatMap((l) => placeTroubles(l, rules));
  layers.forEach((a, i) => {
    for (const b of layers.slice(i + 1))
      if (meets(a.planned.spans, b.planned.spans) && shared(a.planned.box, b.planned.box) > 0)
        found.push(
          trouble('layers-collide', a.source, `“${a.layer.name}” lies over “${b.layer.name}”.`, {
            layerId: a.layer.id,
          }),
        );
    const { captions } = plan;
    const under = captions?.cues.some(
      (cue) =>
        meets(a.planned.spans, [cue]) &&
        shared(a.planned.box, { ...captions.band, y: cue.y ?? captions.band.y }) > 0,
    );
    if (under)
      found.push(
        trouble('layers-collide', a.source, `Captions lie over “${a.layer.name}”.`, { layerId: a.layer.id }),
      );
    for (const thing of watched)
      for (const span of a.planned.spans.slice(0, 3)) {
        const hides = keepsInFrame(plan, [thing], span).some(
          (rect) => shared(a.planned.box, rect) > covers * rect.width * rect.height,
        );
        if (!hides) continue;
        found.push(
          trouble('layer-over', a.source, `“${a.layer.name}” lies over ${thing.name}.`, {
            layerId: a.layer.id,
          }),
        );
        break;
      }
    if (a.missing.length)
      found.push(
        trouble(
          'letters-missing',
          a.source,
          `“${a.layer.name}”: no typeface here has ${a.missing.slice(0, 8).join(' ')}.`,
          { layerId: a.layer.id },
        ),
      );
  });
  if (captionsMissing.length)
    found.push(
      trouble(
        'letters-missing',
        whole,
        `The captions: no typeface here has ${captionsMissing.slice(0, 8).join(' ')}.`,
      ),
    );
  return found;
}
