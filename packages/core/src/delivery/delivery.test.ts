import { describe, expect, test } from '@jest/globals';
import fc from 'fast-check';
import { heldFraming } from '../framing/framing.ts';
import type { RenderPlan } from '../render/plan-schema.ts';
import { facts, story } from '../testing/samples.ts';
import { makePlan } from '../render/plan.ts';
import { happeningWords } from './happenings.ts';
import { handoverOf, type FileFact } from './handover.ts';
import { nameParts, readPattern, usualPattern, writePattern, type NamePart } from './name-pattern.ts';
import { deliverableName, nameByPattern, nameKey, nameTroubles, type NameFacts } from './naming.ts';
import { stageOf, stages, waitsFor } from './stage.ts';
import { behindReasons } from './standing.ts';

const file: NameFacts = {
  production: 'Kite Weekend',
  client: 'Gullhaven Harbour Trust',
  master: 'Teaser',
  outlet: 'Kelpie',
  placementId: 'kelpie-tall',
  frameSize: { width: 1080, height: 1920 },
  rate: { num: 25, den: 1 },
  seconds: 11.96,
  cut: '15 s',
  language: 'en',
  day: '2026-11-02',
  container: 'mp4',
  exportNumber: 3,
};

describe('naming patterns', () => {
  test('what is typed is read into parts and words, and written again as it was', () => {
    expect(readPattern('PRODUCTION_final-RATE')).toEqual([
      { kind: 'part', part: 'PRODUCTION' },
      { kind: 'words', text: '_final-' },
      { kind: 'part', part: 'RATE' },
    ]);
    // A part's name inside a longer word in capitals, or in brackets, is a word.
    expect(readPattern('UPDATE_(DATE)')).toEqual([{ kind: 'words', text: 'UPDATE_DATE' }]);
    expect(writePattern(readPattern('(DATE)_DATE'))).toBe('(DATE)_DATE');
    const piece = fc.oneof(
      fc.constantFrom(...(Object.keys(nameParts) as NamePart[])).map((part) => ({
        kind: 'part' as const,
        part,
      })),
      fc.constantFrom('_', '-', ' final ', '(', ')', 'x', '.v').map((text) => ({
        kind: 'words' as const,
        text,
      })),
    );
    fc.assert(
      fc.property(fc.array(piece, { maxLength: 9 }), (pieces) => {
        // Two parts need something between them, or they are one word in capitals.
        const apart = pieces.filter((p, i) => p.kind === 'words' || pieces[i - 1]?.kind !== 'part');
        const text = writePattern(apart);
        fc.pre(writePattern(readPattern(text)) === text);
        expect(nameByPattern(writePattern(readPattern(text)), file)).toBe(nameByPattern(text, file));
      }),
    );
  });
  test('every part says what it is said to say; one that says nothing takes its separator along', () => {
    expect(nameByPattern('CLIENT_OUTLET_SHAPE_LENGTH_CUT_LANGUAGE_DATE_MAKING', file)).toBe(
      'gullhaven-harbour-trust_kelpie_9x16_12s_15-s_en_2026-11-02_v3.mp4',
    );
    const { cut: _cut, language: _language, ...bare } = file;
    expect(nameByPattern('CUT_SHAPE_LANGUAGE-MAKING', bare)).toBe('9x16_v3.mp4');
    expect(nameByPattern('SHAPE_CUT', bare)).toBe('9x16.mp4');
    expect(nameByPattern(usualPattern, file)).toBe(deliverableName(file));
  });
  test('a name that no file system takes is mended, and that is said', () => {
    expect([nameByPattern('nul', file), nameTroubles('nul', file).length]).toEqual(['film-nul.mp4', 1]);
    expect(nameByPattern('CUT', { ...file, cut: '' })).toBe('film.mp4');
    expect(nameTroubles('_ . -', file)).toEqual([
      'The pattern says nothing of this file: it is called “film”.',
    ]);
    expect(nameByPattern('a:b/c*. ', file)).toBe('a-b-c.mp4');
    expect(nameTroubles('a:b', file)).toEqual(['Signs that file systems do not take become hyphens.']);
    expect(nameTroubles('x'.repeat(260), file)[0]).toMatch(/^It is longer than 220 bytes/);
    expect(nameTroubles(usualPattern, file)).toEqual([]);
  });
  test('whatever the pattern is, the name is safe and fits with its companions', () => {
    fc.assert(
      fc.property(
        fc.string({ unit: 'grapheme', maxLength: 300 }),
        fc.string({ unit: 'grapheme', maxLength: 40 }),
        fc.boolean(),
        (pattern, master, plain) => {
          const name = nameByPattern(pattern, { ...file, master, plain });
          expect(new TextEncoder().encode(`${name}.report.html`).length).toBeLessThanOrEqual(255);
          // eslint-disable-next-line no-control-regex -- that there are none is what is looked for
          expect(name).not.toMatch(/[\u0000-\u001f\u007f<>:"/\\|?*]|^[. ]|[. ]$|^\.mp4$/);
          // Windows' own list: its documentation of file names, from memory.
          expect(name.split('.')[0]!.trim()).not.toMatch(/^(con|prn|aux|nul|com[0-9]|lpt[0-9])$/i);
          expect(name).toBe(name.normalize('NFC'));
          expect(nameKey(name)).toBe(nameKey(name.toUpperCase().toLowerCase()));
        },
      ),
    );
  });
});

describe('where a deliverable is', () => {
  const kinds: FileFact['kind'][] = [
    'shown',
    'approved',
    'changes-asked',
    'answer-withdrawn',
    'sent',
    'live',
    'taken-down',
  ];
  const happened = fc.array(
    fc.record({ kind: fc.constantFrom(...kinds), sha256: fc.constantFrom('old', 'new') }),
  );
  test('in any order of events, facts about other bytes say nothing of a file', () => {
    fc.assert(
      fc.property(happened, (all) => {
        const own = all.filter((fact) => fact.sha256 === 'new');
        expect(handoverOf('new', all)).toBe(handoverOf('new', own));
        // An independent reading: the last answer, unless it went out, and no changes were asked for.
        const answers = own.filter((f) => ['approved', 'changes-asked', 'answer-withdrawn'].includes(f.kind));
        const last = answers.at(-1)?.kind;
        const down = own.findLastIndex((f) => f.kind === 'taken-down');
        const sent = own.slice(down + 1).map((f) => f.kind);
        const out = sent.includes('live') ? 'live' : sent.includes('sent') ? 'dispatched' : undefined;
        const shown = own.some((f) => f.kind === 'shown') || last === 'answer-withdrawn';
        const review = !last || last === 'answer-withdrawn' ? (shown ? 'in-review' : 'none') : last;
        expect(handoverOf('new', own)).toBe(review === 'changes-asked' ? review : (out ?? review));
      }),
    );
  });
  test('approved bytes count only while the file is what it should be', () => {
    expect(stageOf('passed', 'approved', true)).toBe('approved');
    for (const standing of ['behind', 'changed-on-disk'] as const)
      expect(stageOf(standing, 'approved', true)).toBe('behind');
    expect([stageOf('to-make', 'none', false), stageOf('to-make', 'none', true)]).toEqual([
      'planned',
      'framed',
    ]);
    expect(stageOf('failed-check', 'live', true)).toBe('failed');
    for (const stage of stages) expect(waitsFor[stage]).not.toBe('');
  });
});

describe('why a file is behind', () => {
  const planned = (over: Partial<Parameters<typeof makePlan>[0]> = {}): RenderPlan =>
    makePlan({
      facts: facts(),
      sha256: 'a'.repeat(64),
      placement: story(),
      framing: heldFraming(),
      ...over,
    }).plan;
  const shots = [0, 100, 200, 300].map((from, i) => ({ from, setup: String(i) }));
  const framedAt = (at: number) => ({
    version: 1 as const,
    stretches: [
      { from: 0, move: { kind: 'hold' as const, pose: { x: 0.5, y: 0.5, zoom: 1 } } },
      { from: at, move: { kind: 'hold' as const, pose: { x: 0.3, y: 0.5, zoom: 1 } } },
      { from: at + 100, move: { kind: 'hold' as const, pose: { x: 0.5, y: 0.5, zoom: 1 } } },
    ],
  });
  test('down to the shot', () => {
    expect(behindReasons(planned(), planned({ framing: framedAt(100) }), shots)).toEqual([
      'the framing of shot 2 was moved',
    ]);
    expect(behindReasons(planned(), planned({ framing: framedAt(150) }), shots)).toEqual([
      'the framing of shots 2 and 3 was moved',
    ]);
    expect(
      behindReasons(planned(), planned({ framing: heldFraming({ x: 0.3, y: 0.5, zoom: 1 }) }), shots),
    ).toEqual(['the framing was moved']);
  });
  test('a shorter film in the place of the old one is no cut, and brings its numbers along', () => {
    const shorter = planned({ facts: facts({ frames: 700 }), sha256: 'b'.repeat(64) });
    expect(behindReasons(planned(), shorter)).toEqual(['the master was replaced']);
    expect(behindReasons(planned(), planned({ kept: [{ from: 0, to: 400 }] }))).toContain('the cut changed');
  });
});

test('every happening is a sentence', () => {
  expect(happeningWords({ kind: 'live', file: 'a.mp4', to: 'Kelpie', address: 'http://127.0.0.1/a' })).toBe(
    'a.mp4 is live at Kelpie: http://127.0.0.1/a',
  );
  expect(happeningWords({ kind: 'packed', files: 1 })).toBe('One file was packed for handing over');
  expect(happeningWords({ kind: 'note', words: 'x'.repeat(100), frame: 3 }).length).toBeLessThan(95);
});
