import fc from 'fast-check';
import { describe, expect, test } from '@jest/globals';
import { readFileSync } from 'node:fs';
import { masterNotes, browserPlays, masterSummary, scrubsSlowly } from '../masters/facts.ts';
import { deliverableName, freeName, nameKey, slug, versionTag } from '../delivery/naming.ts';
import { facts } from '../testing/samples.ts';
import { readSpecBook } from './book.ts';
import { specBookJsonSchema } from './schema.ts';

const starter = readFileSync(new URL('../../data/starter.specbook.json', import.meta.url), 'utf8');
/** The starter book with one thing changed. */
function changed(
  change: (book: { outlets: { id: string; placements: Record<string, unknown>[] }[] }) => void,
): string {
  const book = JSON.parse(starter) as Parameters<typeof change>[0];
  change(book);
  return JSON.stringify(book);
}
const first = (change: (p: Record<string, unknown>) => void) =>
  changed((b) => change(b.outlets[0]!.placements[0]!));

describe('the spec book file', () => {
  test('the starter formats are a valid book with the seven neutral shapes', () => {
    const book = readSpecBook(starter);
    expect(
      book.ok && book.value.outlets[0]!.placements.map((p) => `${p.frame.width}x${p.frame.height}`),
    ).toEqual(['1080x1920', '1080x1350', '1080x1080', '1920x1080', '1000x1500', '1500x500', '1440x1080']);
  });
  test.each<[string, string, RegExp]>([
    [
      'an unknown field',
      first((p) => (p.frames = 3)),
      /outlets\.0\.placements\.0\.frames: this field is not known/,
    ],
    [
      'a negative size',
      first((p) => (p.frame = { width: -1080, height: 1920 })),
      /outlets\.0\.placements\.0\.frame\.width/,
    ],
    ['an odd frame size', first((p) => (p.frame = { width: 1081, height: 1920 })), /must be even/],
    [
      'a duplicate placement id',
      changed((b) => (b.outlets[0]!.placements[1]!.id = 'starter-tall')),
      /outlets\.0\.placements\.1\.id: the id is used twice/,
    ],
    ['a duplicate outlet id', changed((b) => void b.outlets.push(b.outlets[0]!)), /used twice/],
    [
      'a target above its ceiling',
      first((p) => (p.video = { codec: 'h264', rate: { mode: 'two-pass', targetKbps: 9, maxKbps: 8 } })),
      /target is above the ceiling/,
    ],
    ['a missing audio rule', first((p) => delete p.audio), /audio/],
    ['a rate that is none', first((p) => (p.frameRate = { max: 'fast' })), /frameRate\.max/],
    [
      'a larger frame of another shape',
      first((p) => (p.largerFrame = { width: 2160, height: 2160 })),
      /shape of the frame/,
    ],
    [
      'a codec that the container does not hold',
      first((p) => (p.container = 'webm')),
      /webm files do not hold h264/,
    ],
    [
      'a blocked area outside the frame',
      first((p) => (p.blocked = [{ name: 'x', x: 0.9, y: 0, width: 0.2, height: 0.1 }])),
      /inside the frame/,
    ],
    ['a larger version number', starter.replace('"version": 1', '"version": 2'), /version/],
    ['something that is not JSON', 'frame: 1080', /is not JSON/],
  ])('%s is refused with its path', (_what, text, sentence) => {
    const read = readSpecBook(text, 'mine.specbook.json');
    expect(read.ok).toBe(false);
    if (!read.ok) {
      expect(read.problem.sentence).toMatch(sentence);
      expect(read.problem.sentence).toContain('mine.specbook.json');
    }
  });
  test('fields of one’s own are kept under x-', () =>
    expect(readSpecBook(first((p) => (p['x-mine'] = { any: 1 }))).ok).toBe(true));
  test('a byte order mark does no harm', () => expect(readSpecBook(`\uFEFF${starter}`).ok).toBe(true));
});

describe('facts in plain words', () => {
  const codes = (over: Parameters<typeof facts>[0], rest = {}) =>
    masterNotes(facts(over, rest)).map((n) => n.code);
  test('an ordinary master needs no words', () => expect(codes({})).toEqual([]));
  test('50 frames a second says what it means', () => {
    expect(masterNotes(facts({ rate: { num: 50, den: 1 } }))[0]!.sentence).toBe(
      '50 frames a second: places with a 30 cap will get every second frame, 25.',
    );
  });
  test('each peculiarity is recognised', () => {
    expect(codes({ rotation: 90, displayed: { width: 1080, height: 1920 } })).toContain('rotated');
    expect(codes({ rateVaries: true })).toContain('rate-varies');
    expect(codes({ hdr: 'hlg', bitDepth: 10 })).toEqual(expect.arrayContaining(['hdr', 'deep']));
    expect(codes({ displayed: { width: 1441, height: 1080 } })).toContain('odd-size');
    expect(codes({ displayed: { width: 640, height: 480 } })).toEqual(
      expect.arrayContaining(['classic', 'small']),
    );
    expect(codes({ displayed: { width: 3840, height: 2160 } })).toContain('large');
    expect(codes({ frames: 5 })).toContain('very-short');
    expect(codes({ interlaced: true })).toContain('interlaced');
    expect(codes({}, { audio: null })).toContain('no-audio');
  });
  test('the summary names size, rate, length and sound', () =>
    expect(masterSummary(facts())).toBe('1920 × 1080, 25 fps, 42.4 s, stereo at −19.2 LUFS'));
  test('a film that scrubs slowly is told by its length and its keyframes', () => {
    expect(scrubsSlowly(facts({ longestKeyframeGap: 250 }))).toBe(true);
    expect(scrubsSlowly(facts({ longestKeyframeGap: 12 }))).toBe(false);
    expect(scrubsSlowly(facts({ longestKeyframeGap: 250, frames: 100 }))).toBe(false);
    expect(scrubsSlowly(facts())).toBe(false);
  });
  test('what browsers play is proofed from the original, the rest gets a proxy', () => {
    expect(browserPlays(facts())).toBe(true);
    for (const over of [
      { codec: 'hevc' },
      { pixelFormat: 'yuv420p10le' },
      { rateVaries: true },
      { hdr: 'pq' as const },
      { interlaced: true },
    ])
      expect(browserPlays(facts(over))).toBe(false);
    expect(browserPlays(facts({}, { audio: { ...facts().audio!, codec: 'pcm_s24le' } }))).toBe(false);
  });
});

describe('names', () => {
  test('a file name says what the file is', () => {
    expect(
      deliverableName({
        production: 'Kite Weekend',
        master: 'Kite Weekend',
        placementId: 'kelpie-tall',
        frameSize: { width: 1080, height: 1920 },
        rate: { num: 30000, den: 1001 },
        container: 'mp4',
        exportNumber: 3,
      }),
    ).toBe('kite-weekend_kelpie-tall_1080x1920_29-97fps_v3.mp4');
  });
  test('names keep every script; plain letters come only where a place asks for them', () => {
    expect(slug('  Über/../Straße: №5 ')).toBe('über-straße-no5');
    expect(slug('  Über/../Straße: №5 ', { plain: true })).toBe('uber-strasse-no5');
    expect([slug('東京の夏'), slug('大阪の冬'), slug('काइट'), slug('🎬')]).toEqual([
      '東京の夏',
      '大阪の冬',
      'काइट',
      'untitled',
    ]);
    expect(slug('東京の夏', { plain: true })).toMatch(/^[a-z0-9-]+$/);
    const parts = {
      production: '東京の夏',
      master: '大阪の冬',
      placementId: 'kelpie-tall',
      frameSize: { width: 1080, height: 1920 },
      rate: { num: 25, den: 1 },
      container: 'mp4',
      exportNumber: 1,
    };
    expect(deliverableName(parts)).toBe('東京の夏_大阪の冬_kelpie-tall_1080x1920_25fps_v1.mp4');
    expect(deliverableName({ ...parts, master: 'teaser', namesake: 2 })).toBe(
      '東京の夏_teaser-2_kelpie-tall_1080x1920_25fps_v1.mp4',
    );
  });
  test('whatever things are called, a name fits a file system and two names never have one key', () => {
    const parts = {
      placementId: 'x'.repeat(64),
      frameSize: { width: 8192, height: 8192 },
      rate: { num: 30000, den: 1001 },
      container: 'webm',
      exportNumber: 100,
    };
    fc.assert(
      fc.property(
        fc.array(
          fc.record({
            production: fc.string({ unit: 'grapheme', maxLength: 120 }),
            master: fc.string({ unit: 'grapheme', maxLength: 120 }),
            plain: fc.boolean(),
          }),
          { maxLength: 8 },
        ),
        (films) => {
          const taken = new Set<string>();
          for (const film of films) {
            const name = freeName(deliverableName({ ...parts, ...film }), taken);
            expect(new TextEncoder().encode(name).length).toBeLessThanOrEqual(255);
            // eslint-disable-next-line no-control-regex -- that there are none is what is looked for
            expect(name).not.toMatch(/[\u0000-\u001f\u007f<>:"/\\|?*]|^[. ]|[. ]$/);
            expect(taken.has(nameKey(name))).toBe(false);
            taken.add(nameKey(name));
          }
        },
      ),
    );
    expect(nameKey('Teaser_É.MP4')).toBe(nameKey('teaser_e\u0301.mp4'));
  });
  test('letters go on after Z', () =>
    expect([0, 25, 26, 51, 52].map(versionTag)).toEqual(['A', 'Z', 'AA', 'AZ', 'BA']));
});

test('the published JSON Schema is the one that the code enforces (run “npm run formats” after a change)', () => {
  const published = JSON.parse(
    readFileSync(new URL('../../../../docs/formats/specbook.schema.json', import.meta.url), 'utf8'),
  ) as unknown;
  expect(JSON.parse(JSON.stringify(specBookJsonSchema()))).toEqual(published);
  expect(JSON.stringify(published)).toContain('"^x-"');
});
