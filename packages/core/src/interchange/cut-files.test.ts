import { describe, expect, test } from '@jest/globals';
import fc from 'fast-check';
import { asEdited, joinKept, pace } from '../edits/cut.ts';
import { heldFraming } from '../framing/framing.ts';
import { rate } from '../time/rate.ts';
import type { FrameSpan } from '../time/span.ts';
import { playedFrames, readCutFile, writeEdl, writeOtio, type CutFile } from './cut-files.ts';

const cut = (over: Partial<CutFile> = {}): CutFile => ({
  title: '15 s',
  film: 'Kite Weekend',
  rate: rate(25),
  frames: 1060,
  kept: [
    { from: 275, to: 385 },
    { from: 0, to: 125 },
    { from: 1000, to: 1060 },
  ],
  pace: asEdited,
  ...over,
});

describe('a cut as an edit list', () => {
  test('CMX 3600: each kept span is an event with its source and its place in the programme', () => {
    expect(writeEdl(cut()).split('\r\n')).toEqual([
      'TITLE: 15 s',
      'FCM: NON-DROP FRAME',
      '',
      '001  KITEWEEK B     C        00:00:11:00 00:00:15:10 01:00:00:00 01:00:04:10',
      '* FROM CLIP NAME: Kite Weekend',
      '002  KITEWEEK B     C        00:00:00:00 00:00:05:00 01:00:04:10 01:00:09:10',
      '* FROM CLIP NAME: Kite Weekend',
      '003  KITEWEEK B     C        00:00:40:00 00:00:42:10 01:00:09:10 01:00:11:20',
      '* FROM CLIP NAME: Kite Weekend',
      '',
    ]);
    expect(writeEdl(cut({ pace: pace(11, 10) }))).toContain(
      'M2   KITEWEEK       027.50                00:00:11:00',
    );
    // Drop-frame counting where the rate has it: the frame after 00:00:59;29 is 00:01:00;02.
    expect(
      writeEdl(cut({ rate: rate(30000, 1001), frames: 3000, kept: [{ from: 1799, to: 1800 }] })),
    ).toContain('00:00:59;29 00:01:00;02 01:00:00;00 01:00:00;01');
  });

  const kept = fc
    .uniqueArray(fc.integer({ min: 0, max: 100_000 }), { minLength: 2, maxLength: 20 })
    .map((edges) => {
      const sorted = edges.sort((a, b) => a - b);
      return sorted.flatMap((from, i): FrameSpan[] =>
        i % 2 === 0 && sorted[i + 1] !== undefined ? [{ from, to: sorted[i + 1]! }] : [],
      );
    })
    .chain((spans) => fc.shuffledSubarray(spans, { minLength: 1 }));
  const rates = fc.constantFrom(
    rate(24000, 1001),
    rate(24),
    rate(25),
    rate(30000, 1001),
    rate(30),
    rate(50),
    rate(60000, 1001),
  );
  test('written and read again, in either form, it is the same cut, to the frame', () => {
    fc.assert(
      fc.property(kept, rates, fc.constantFrom(asEdited, pace(21, 20), pace(11, 10)), (spans, r, p) => {
        const original = cut({
          rate: r,
          frames: 100_001,
          kept: spans,
          pace: p,
          framing: heldFraming({ x: 0.3, y: 0.5, zoom: 1 }),
        });
        for (const [name, text] of [
          ['a.edl', writeEdl(original)],
          ['a.otio', writeOtio(original)],
        ] as const) {
          const read = readCutFile(text, name, original);
          if (!read.ok) throw new Error(read.problem.sentence);
          expect(read.value.kept).toEqual(joinKept(spans));
          expect(read.value.words).toEqual([]);
          // An EDL writes frames a second to two decimals.
          expect(read.value.pace.num / read.value.pace.den).toBeCloseTo(
            p.num / p.den,
            name === 'a.edl' ? 3 : 9,
          );
          expect(read.value.framing).toEqual(name === 'a.otio' ? original.framing : null);
        }
      }),
      { numRuns: 80 },
    );
    expect(playedFrames(cut({ pace: pace(11, 10) }))).toBeCloseTo(295 / 1.1, 9);
  });

  test.each<[string, string, RegExp]>([
    ['no EDL', 'hello', /No picture event/],
    [
      'another rate',
      '001  AX V C 00:00:01:29 00:00:02:10 01:00:00:00 01:00:00:10',
      /counts differently.*25 frames a second/,
    ],
    [
      'two reels',
      '001  AX V C 00:00:01:00 00:00:02:00 01:00:00:00 01:00:01:00\n002  BX V C 00:00:03:00 00:00:04:00 01:00:01:00 01:00:02:00',
      /2 reels \(AX, BX\)/,
    ],
    [
      'times beyond the film',
      '001  AX V C 01:00:01:00 01:00:02:00 01:00:00:00 01:00:01:00',
      /the film has frames 0 to 1059/,
    ],
    [
      'a span twice',
      '001  AX V C 00:00:01:00 00:00:03:00 01:00:00:00 01:00:02:00\n002  AX V C 00:00:02:00 00:00:04:00 01:00:02:00 01:00:04:00',
      /kept twice/,
    ],
    [
      'an event that runs backwards',
      '001  AX V C 00:00:03:00 00:00:02:00 01:00:00:00 01:00:01:00',
      /ends before it starts/,
    ],
    ['broken JSON', '{"OTIO_SCHEMA":', /not an OpenTimelineIO file/],
    ['other JSON', '{"a":1}', /not an OpenTimelineIO timeline/],
    ['no picture track', '{"OTIO_SCHEMA":"Timeline.1","tracks":{"children":[]}}', /no picture track/],
  ])('%s is refused in a sentence', (_what, text, sentence) => {
    const read = readCutFile(text, 'a', cut());
    expect(read.ok).toBe(false);
    if (!read.ok) expect(read.problem.sentence).toMatch(sentence);
  });
  test('a reel of another name is taken, and that is said', () => {
    const read = readCutFile(
      '001  TAPE7 V C 00:00:01:00 00:00:02:00 01:00:00:00 01:00:01:00',
      'a.edl',
      cut(),
    );
    expect(read).toMatchObject({
      ok: true,
      value: {
        kept: [{ from: 25, to: 50 }],
        words: ['The EDL names the reel TAPE7; it was taken for “Kite Weekend”.'],
      },
    });
  });
});
