import { describe, expect, test } from '@jest/globals';
import { readCutList } from './cuts.ts';

const edl = `TITLE: KITE WEEKEND
FCM: NON-DROP FRAME

001  A001     V     C        00:00:10:00 00:00:15:00 01:00:00:00 01:00:05:00
* FROM CLIP NAME: BEACH
002  A002     V     C        00:01:00:00 00:01:03:00 01:00:05:00 01:00:08:00
002  A002     A     C        00:01:00:00 00:01:03:00 01:00:05:00 01:00:08:00
003  A002     V     C        00:02:00:00 00:02:00:00 01:00:08:00 01:00:08:00
003  A003     V     D    012 00:02:00:00 00:02:03:00 01:00:08:00 01:00:11:00
M2   A003       050.0                   00:02:00:00
004  A004     V     W001 020 00:02:00:00 00:02:03:00 01:00:11:00 01:00:14:00
005 this line means nothing
`;
const read = (text: string, name = 'a.edl', rate = { num: 25, den: 1 }) => readCutList(text, name, rate);

describe('CMX 3600 EDL, as commonly practised', () => {
  test('cut points are those of the record side, counted from its first event; a dissolve keeps its frames', () => {
    const list = read(edl);
    expect(list.ok && list.value).toEqual({
      cuts: [125, 200, 275],
      joins: [{ cut: 200, span: { from: 200, to: 212 } }],
      frames: 350,
      words: ['1 line was not understood and left out.', '1 wipe counts as a cut.'],
    });
  });
  test('an EDL of another rate is refused with both rates', () => {
    const list = read(edl.replace('01:00:05:00 01:00:08:00', '01:00:05:29 01:00:08:00'));
    expect(list.ok ? '' : list.problem.sentence).toMatch(/25 frames a second/);
  });
  test('drop-frame counting is understood (SMPTE ST 12-1, from memory: frame 1800 is 00:01:00;02)', () => {
    const list = read(
      `FCM: DROP FRAME\n001 A V C 00:00:00;00 00:01:00;02 00:00:00;00 00:01:00;02\n002 B V C 00:00:00;00 00:00:01;00 00:01:00;02 00:01:01;02\n`,
      'd.edl',
      { num: 30000, den: 1001 },
    );
    expect(list.ok && list.value.cuts).toEqual([1800]);
  });
  test.each([
    ['a letter', 'Dear client,\nthe film is fine.', /not an EDL/],
    ['only sound', '001  A001  A  C  00:00:00:00 00:00:01:00 00:00:00:00 00:00:01:00', /only sound/],
    ['nothing', '', /not an EDL/],
  ])('%s is refused in words', (_what, text, sentence) => {
    const list = read(text);
    expect(list.ok ? '' : list.problem.sentence).toMatch(sentence);
  });
});

describe('OpenTimelineIO, after its JSON schema', () => {
  const time = (value: number, rate = 25) => ({ OTIO_SCHEMA: 'RationalTime.1', rate, value });
  const range = (start: number, length: number, rate = 25) => ({
    OTIO_SCHEMA: 'TimeRange.1',
    start_time: time(start, rate),
    duration: time(length, rate),
  });
  const clip = (length: number, rate = 25) => ({
    OTIO_SCHEMA: 'Clip.2',
    name: 'c',
    source_range: range(100, length, rate),
    media_references: {},
  });
  const timeline = (children: unknown[]) =>
    JSON.stringify({
      OTIO_SCHEMA: 'Timeline.1',
      name: 'film',
      tracks: {
        OTIO_SCHEMA: 'Stack.1',
        children: [
          { OTIO_SCHEMA: 'Track.1', kind: 'Audio', children: [clip(7)] },
          { OTIO_SCHEMA: 'Track.1', kind: 'Video', children },
        ],
      },
    });
  test('clips, gaps and nested parts become shots; a transition keeps its frames', () => {
    const nested = {
      OTIO_SCHEMA: 'Stack.1',
      children: [{ OTIO_SCHEMA: 'Track.1', kind: 'Video', children: [clip(10), clip(15)] }],
    };
    const list = read(
      timeline([
        clip(50),
        { OTIO_SCHEMA: 'Transition.1', in_offset: time(6), out_offset: time(6) },
        clip(30),
        { OTIO_SCHEMA: 'Gap.1', source_range: range(0, 20) },
        nested,
      ]),
      'a.otio',
    );
    expect(list.ok && list.value).toEqual({
      cuts: [50, 80, 100],
      joins: [{ cut: 50, span: { from: 44, to: 56 } }],
      frames: 125,
      words: [],
    });
  });
  test('another rate is carried to the nearest frame, and said; parts without a length are left out, and said', () => {
    const list = read(
      timeline([clip(48, 24), clip(24, 24), { OTIO_SCHEMA: 'Clip.2', name: 'lost' }]),
      'a.otio',
    );
    expect(list.ok && list.value.cuts).toEqual([50]);
    expect(list.ok && [...list.value.words].sort()).toEqual([
      expect.stringMatching(/left out/),
      expect.stringMatching(/24 frames a second/),
    ]);
  });
  test.each([
    ['broken', '{"OTIO_SCHEMA": "Timeline.1"', /not an OpenTimelineIO/],
    ['other JSON', '{"a": 1}', /not an OpenTimelineIO file/],
    ['empty', timeline([]), /no picture track/],
  ])('%s is refused in words', (_what, text, sentence) => {
    const list = read(text, 'a.otio');
    expect(list.ok ? '' : list.problem.sentence).toMatch(sentence);
  });
});
