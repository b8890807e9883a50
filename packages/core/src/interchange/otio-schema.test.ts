import { expect, test } from '@jest/globals';
import * as z from 'zod';
import { rate } from '../time/rate.ts';
import { writeOtio } from './cut-files.ts';
import { heldFraming } from '../framing/framing.ts';

/**
 * What a file must hold to be read by OpenTimelineIO: its documentation's “Serialized schema”, the fields of each kind
 * that is written here (from memory). Fields of our own may stand in `metadata` alone.
 */
const metadata = z.record(z.string(), z.unknown());
const time = z.strictObject({
  OTIO_SCHEMA: z.literal('RationalTime.1'),
  rate: z.number().positive(),
  value: z.number(),
});
const range = z.strictObject({
  OTIO_SCHEMA: z.literal('TimeRange.1'),
  start_time: time,
  duration: time,
});
const named = { name: z.string(), metadata };
const effect = z.discriminatedUnion('OTIO_SCHEMA', [
  z.strictObject({
    OTIO_SCHEMA: z.literal('LinearTimeWarp.1'),
    ...named,
    effect_name: z.string(),
    time_scalar: z.number(),
  }),
]);
const item = {
  ...named,
  source_range: range.nullable(),
  effects: z.array(effect),
  markers: z.array(z.never()),
  enabled: z.boolean().optional(),
};
const reference = z.strictObject({
  OTIO_SCHEMA: z.literal('ExternalReference.1'),
  ...named,
  target_url: z.string(),
  available_range: range.nullable(),
});
const clip = z.strictObject({ OTIO_SCHEMA: z.literal('Clip.1'), ...item, media_reference: reference });
const track = z.strictObject({
  OTIO_SCHEMA: z.literal('Track.1'),
  ...item,
  kind: z.enum(['Video', 'Audio']),
  children: z.array(clip),
});
const stack = z.strictObject({ OTIO_SCHEMA: z.literal('Stack.1'), ...item, children: z.array(track) });
const timeline = z.strictObject({
  OTIO_SCHEMA: z.literal('Timeline.1'),
  ...named,
  global_start_time: time.nullable(),
  tracks: stack,
});

test.each([
  ['as edited', { num: 1, den: 1 }],
  ['faster', { num: 21, den: 20 }],
])('a cut %s is written as OpenTimelineIO’s schema has it', (_how, pace) => {
  const text = writeOtio({
    title: 'Short',
    film: 'Harbour',
    rate: rate(30000, 1001),
    frames: 900,
    kept: [
      { from: 300, to: 420 },
      { from: 0, to: 60 },
    ],
    pace,
    framing: heldFraming(),
  });
  const read = timeline.safeParse(JSON.parse(text));
  expect(read.error?.issues ?? []).toEqual([]);
  const [pictures] = read.data!.tracks.children;
  expect(
    pictures!.children.map((c) => [c.source_range!.start_time.value, c.source_range!.duration.value]),
  ).toEqual([
    [300, 120],
    [0, 60],
  ]);
});
