import { describe, expect, test } from '@jest/globals';
import fc from 'fast-check';
import { asEdited } from '../edits/cut.ts';
import { heldFraming } from '../framing/framing.ts';
import { readVersionPlan } from '../framing/plan-file.ts';
import type { Result } from '../problem.ts';
import { readSpecBook } from '../specs/book.ts';
import { rate } from '../time/rate.ts';
import { readCutFile, writeEdl, writeOtio } from './cut-files.ts';
import { readCutList } from './cuts.ts';

// No text that anybody hands over brings a reader down: it is read, or refused with a sentence.

const film = { film: 'Kite', rate: rate(30000, 1001), frames: 5000 };
const cut = {
  ...film,
  title: 'Kite',
  kept: [
    { from: 10, to: 500 },
    { from: 900, to: 1200 },
  ],
  pace: asEdited,
  framing: heldFraming(),
};
const book = JSON.stringify({
  format: 'mivvy-spec-book',
  version: 1,
  outlets: [
    {
      id: 'kelpie',
      name: 'Kelpie',
      placements: [
        {
          id: 'tall',
          name: 'Tall',
          frame: { width: 1080, height: 1920 },
          container: 'mp4',
          video: { codec: 'h264', rate: { mode: 'quality', crf: 20 } },
          audio: null,
        },
      ],
    },
  ],
});

/** Readers, each with a text that it takes. */
const readers: readonly [string, string, (text: string) => Result<unknown>][] = [
  ['cut points, EDL', writeEdl(cut), (text) => readCutList(text, 'x.edl', film.rate)],
  ['cut points, OpenTimelineIO', writeOtio(cut), (text) => readCutList(text, 'x.otio', film.rate)],
  ['a cut, EDL', writeEdl(cut), (text) => readCutFile(text, 'x.edl', film)],
  ['a cut, OpenTimelineIO', writeOtio(cut), (text) => readCutFile(text, 'x.otio', film)],
  ['a spec book', book, (text) => readSpecBook(text, 'x.specbook.json')],
  ['a version’s plan', '{"format":"mivvy-version-plan"}', (text) => readVersionPlan(text, 'x.plan.json')],
];

/** A good text with some places of it overwritten, doubled or cut out. */
const damaged = (text: string) =>
  fc
    .array(
      fc.record({
        at: fc.nat({ max: text.length }),
        length: fc.nat({ max: 40 }),
        put: fc.oneof(
          fc.string({ unit: 'binary', maxLength: 12 }),
          fc.constantFrom(
            '99999999999999999999',
            '-1',
            '1e999',
            'null',
            '[[[[',
            '{}',
            '\u0000',
            '99:99:99:99',
            '"',
          ),
        ),
      }),
      { minLength: 1, maxLength: 5 },
    )
    .map((changes) =>
      changes.reduce((t, { at, length, put }) => t.slice(0, at) + put + t.slice(at + length), text),
    );

function answered(result: Result<unknown>): void {
  if (result.ok) return;
  expect(result.problem.sentence).toMatch(/\S.*[.!?”]$/s);
  expect(result.problem.sentence).not.toMatch(/undefined|\[object|at .*\.ts:/);
  expect(result.problem.code).toMatch(/^[a-z-]+$/);
}

describe.each(readers)('%s', (_what, good, read) => {
  test('any text', () =>
    fc.assert(fc.property(fc.string({ unit: 'binary', maxLength: 400 }), (text) => answered(read(text)))));
  test('a good text that was damaged', () =>
    fc.assert(
      fc.property(damaged(good), (text) => answered(read(text))),
      { numRuns: 200 },
    ));
  test('any JSON', () => fc.assert(fc.property(fc.json(), (text) => answered(read(text)))));
  test('parts within parts without end', () => {
    for (const [open, close] of [
      ['[', ']'],
      ['{"children":[', ']}'],
      ['{"OTIO_SCHEMA":"Stack.1","children":[', ']}'],
      ['{"OTIO_SCHEMA":"Timeline.1","tracks":{"children":[', ']}}'],
    ] as const) {
      answered(read(open.repeat(20_000) + close.repeat(20_000)));
    }
  });
});

test('a long line of blanks is read as quickly as any other', () => {
  const started = performance.now();
  answered(readCutList(`001 ${' '.repeat(200_000)} V C x`, 'x.edl', film.rate));
  answered(readCutFile(`M2 ${' '.repeat(200_000)}x`, 'x.edl', film));
  // Nothing here is timed: this only tells seconds from the hours that backtracking would take.
  expect(performance.now() - started).toBeLessThan(20_000);
});
