import * as z from 'zod';
import { fail, ok, type Result } from '../problem.ts';
import { fps, nearestFrame, nearestKnownRate, rateLabel, compareRates, type Rate } from '../time/rate.ts';
import type { ReadCuts } from './cut-points.ts';
import { parseOtio } from './otio-text.ts';

const time = z.looseObject({ rate: z.number().positive(), value: z.number() });
const range = z.looseObject({ start_time: time, duration: time });
const item = z.looseObject({
  OTIO_SCHEMA: z.string(),
  name: z.string().nullish(),
  kind: z.string().nullish(),
  source_range: range.nullish(),
  media_reference: z.looseObject({ available_range: range.nullish() }).nullish(),
  media_references: z.record(z.string(), z.looseObject({ available_range: range.nullish() })).nullish(),
  active_media_reference_key: z.string().nullish(),
  in_offset: time.nullish(),
  out_offset: time.nullish(),
});
type Item = z.infer<typeof item> & { children?: unknown; tracks?: unknown };

const kindOf = (thing: Item) => thing.OTIO_SCHEMA.replace(/\.\d+$/, '');
const seconds = (t: { rate: number; value: number }) => t.value / t.rate;

function childrenOf(thing: Item): Item[] {
  return Array.isArray(thing.children)
    ? thing.children.flatMap((c) => {
        const parsed = item.safeParse(c);
        return parsed.success ? [parsed.data as Item] : [];
      })
    : [];
}

/** Parts within parts go no deeper than this; anything deeper has no length. */
const deepest = 64;

function lengthOf(thing: Item, depth = 0): number | null {
  if (thing.source_range) return seconds(thing.source_range.duration);
  const reference =
    thing.media_reference ?? thing.media_references?.[thing.active_media_reference_key ?? 'DEFAULT_MEDIA'];
  if (reference?.available_range) return seconds(reference.available_range.duration);
  if (depth >= deepest) return null;
  const inner = childrenOf(thing).map((child) => lengthOf(child, depth + 1));
  if (inner.length === 0 || inner.some((n) => n === null)) return null;
  // A track is as long as its parts together, a stack as long as its longest.
  return kindOf(thing) === 'Stack'
    ? (inner as number[]).reduce((a, b) => Math.max(a, b), 0)
    : (inner as number[]).reduce((a, b) => a + b, 0);
}

/** Reads the cut points of the first picture track of an OpenTimelineIO file (its JSON schema). Nested parts count as one shot. */
export function readOtio(text: string, rate: Rate): Result<ReadCuts> {
  const top = parseOtio(text, item, 'file');
  if (!top.ok) return top;
  const timeline = top.value as Item;
  const stack = kindOf(timeline) === 'Timeline' ? item.safeParse(timeline.tracks).data : timeline;
  const tracks = stack
    ? kindOf(stack as Item) === 'Track'
      ? [stack as Item]
      : childrenOf(stack as Item)
    : [];
  const picture = tracks.find((t) => kindOf(t) === 'Track' && t.kind === 'Video' && childrenOf(t).length > 0);
  if (!picture)
    return fail(
      'otio-no-picture',
      'The file has no picture track with anything on it.',
      'Export the picture track.',
    );
  const words: string[] = [];
  if (tracks.filter((t) => t.kind === 'Video').length > 1)
    words.push('It has several picture tracks: the first was read.');
  const cuts: number[] = [];
  const joins: ReadCuts['joins'] = [];
  const rates = new Set<number>();
  let at = 0;
  let unknown = 0;
  for (const child of childrenOf(picture)) {
    if (kindOf(child) === 'Transition') {
      const cut = nearestFrame(at, rate);
      const span = {
        from: nearestFrame(at - (child.in_offset ? seconds(child.in_offset) : 0), rate),
        to: nearestFrame(at + (child.out_offset ? seconds(child.out_offset) : 0), rate),
      };
      if (span.to > span.from && cut > 0) joins.push({ cut, span });
      continue;
    }
    const length = lengthOf(child);
    if (length === null || length < 0) {
      unknown++;
      continue;
    }
    if (child.source_range) rates.add(child.source_range.duration.rate);
    const frame = nearestFrame(at, rate);
    if (frame > 0) cuts.push(frame);
    at += length;
  }
  if (unknown)
    words.push(
      `${unknown} ${unknown === 1 ? 'part has' : 'parts have'} no length and ${unknown === 1 ? 'was' : 'were'} left out.`,
    );
  for (const other of rates) {
    if (Math.abs(other - fps(rate)) > 0.01 && compareRates(nearestKnownRate(other), rate) !== 0) {
      words.push(
        `It counts ${rateLabel(nearestKnownRate(other))} frames a second and the master has ${rateLabel(rate)}: cuts were put on the nearest frame.`,
      );
      break;
    }
  }
  return ok({ cuts: [...new Set(cuts)].sort((a, b) => a - b), joins, frames: nearestFrame(at, rate), words });
}
