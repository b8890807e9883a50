import { describe, expect, test } from '@jest/globals';
import fc from 'fast-check';
import { heldFraming } from '../framing/framing.ts';
import { makePlan } from '../render/plan.ts';
import { facts, story } from '../testing/samples.ts';
import { averageKbps, kbpsBySecond, peakKbps } from './bitrate.ts';
import { checkFile } from './report.ts';
import type { MeasuredFile } from './measured-file.ts';
import { bitrateLabel, bytesLabel, spansLabel } from './labels.ts';
import { reportPage } from './report-page.ts';
import { summaryPage, summaryWords } from './summary-page.ts';

describe('bitrate over time', () => {
  const even = (count: number, bytes: number) =>
    Array.from({ length: count }, (_, i) => ({ seconds: i / 25, bytes }));
  test('a steady stream has its average everywhere', () => {
    const stream = even(100, 5000); // 25 × 5000 × 8 = 1000 kbit/s
    expect(averageKbps(stream, 4)).toBeCloseTo(1000, 6);
    expect(kbpsBySecond(stream, 4)).toEqual([1000, 1000, 1000, 1000]);
    expect(peakKbps(stream, 4)).toBeCloseTo(1000, 6);
  });
  test('a burst of two seconds shows as a peak above the average', () => {
    const stream = even(250, 2000).map((p) => (p.seconds >= 4 && p.seconds < 6 ? { ...p, bytes: 20000 } : p));
    // Closed form: each picture of the burst brings 160 kbit and R / 25 leave between two of them, so the bucket of one
    // second at R is full at the fiftieth: 50 × 160 − 49 R / 25 = R. The small pictures before it leave nothing in it.
    expect(peakKbps(stream, 10)).toBeCloseTo((50 * 160) / (1 + 49 / 25), 0);
    expect(kbpsBySecond(stream, 10)[4]).toBeCloseTo(4000, 0);
  });
  test('one large picture needs a bucket of its own size, whatever follows (Rec. ITU-T H.264 Annex C, from memory)', () => {
    fc.assert(
      fc.property(
        fc.integer({ min: 1, max: 200 }),
        fc.integer({ min: 2, max: 60 }),
        fc.integer({ min: 100, max: 4000 }),
        (before, rateOf, bytes) => {
          // Pictures of `bytes` come n times a second; one of them is as large as two seconds of them.
          const large = bytes * rateOf * 2;
          const stream = Array.from({ length: before + 3 * rateOf }, (_, i) => ({
            seconds: i / rateOf,
            bytes: i === before ? large : bytes,
          }));
          const [s, b, n] = [(bytes * 8) / 1000, (large * 8) / 1000, rateOf];
          // What is in the bucket when k + 1 pictures have come since the large one, with k / n seconds of R gone, is R:
          // the greatest such R. Before it, the bucket was empty but for what leaves slower than it comes, which is nothing.
          const closed = Math.max(...Array.from({ length: 3 * rateOf }, (_, k) => (b + k * s) / (1 + k / n)));
          expect(Math.abs(peakKbps(stream, stream.length / n) - closed)).toBeLessThan(0.011);
        },
      ),
    );
  });
  test('the peak is never below the average, and grows with the stream', () => {
    fc.assert(
      fc.property(
        fc.array(fc.integer({ min: 1, max: 50_000 }), { minLength: 1, maxLength: 200 }),
        (sizes) => {
          const stream = sizes.map((bytes, i) => ({ seconds: i / 25, bytes }));
          const seconds = sizes.length / 25;
          expect(peakKbps(stream, seconds)).toBeGreaterThanOrEqual(averageKbps(stream, seconds) - 1e-6);
          expect(
            peakKbps(
              stream.map((p) => ({ ...p, bytes: p.bytes * 2 })),
              seconds,
            ),
          ).toBeGreaterThan(peakKbps(stream, seconds));
        },
      ),
    );
  });
  test('labels', () => {
    expect([bytesLabel(812), bytesLabel(26_250_000), bytesLabel(2_400_000_000)]).toEqual([
      '812 bytes',
      '26.3 MB',
      '2.40 GB',
    ]);
    expect([bitrateLabel(3500), bitrateLabel(800)]).toEqual(['3.5 Mbit/s', '800 kbit/s']);
  });
});

/** A file that is as it should be, but for what is said of its picture. */
const goodFile = (over: Partial<MeasuredFile['video']> = {}): MeasuredFile => ({
  bytes: 19_000_000,
  container: 'mov,mp4',
  moovFirst: true,
  video: {
    codec: 'h264',
    codecTag: 'avc1',
    profile: 'High',
    level: '4.0',
    frame: { width: 1080, height: 1920 },
    squarePixels: true,
    rotation: 0,
    rate: { num: 25, den: 1 },
    frames: 1060,
    evenlySpaced: true,
    pixelFormat: 'yuv420p',
    primaries: 'bt709',
    transfer: 'bt709',
    matrix: 'bt709',
    averageKbps: 3490,
    peakKbps: 3900,
    kbpsBySecond: [],
    longestKeyframeGap: 50,
    longestGapAt: 50,
    ...over,
  },
  audio: {
    codec: 'aac',
    channels: 2,
    sampleRate: 48000,
    seconds: 42.4,
    loudness: { integratedLufs: -14.1, truePeakDbtp: -1.3 },
  },
});

describe('check reports', () => {
  const { plan } = makePlan({
    facts: facts(),
    sha256: 'a'.repeat(64),
    placement: story({ duration: {}, maxBytes: 60_000_000 }),
    framing: heldFraming(),
  });
  const wanted = (heard = true) => ({ plan, heard, alone: false });
  const good = goodFile();
  test('a file that is as it should be passes every line', () => {
    const report = checkFile(wanted(), good);
    expect(report.passed).toBe(true);
    expect(report.checks.length).toBeGreaterThanOrEqual(15);
  });
  const video = (over: Partial<MeasuredFile['video']>): MeasuredFile => ({
    ...good,
    video: { ...good.video, ...over },
  });
  test.each<[string, MeasuredFile]>([
    ['Frame size', video({ frame: { width: 1080, height: 1918 } })],
    ['Pixels', video({ squarePixels: false })],
    ['Length', video({ frames: 1059 })],
    ['Frame rate', video({ evenlySpaced: false })],
    ['Codec', video({ codec: 'hevc' })],
    ['Profile', video({ profile: 'Main' })],
    ['Level', video({ level: '4.2' })],
    ['Colour', video({ matrix: 'smpte170m' })],
    ['Keyframes', video({ longestKeyframeGap: 51 })],
    ['Bitrate, average', video({ averageKbps: 3900 })],
    ['Bitrate, ceiling', video({ peakKbps: 4100 })],
    ['File size', { ...good, bytes: 60_000_001 }],
    ['Starts before it is all loaded', { ...good, moovFirst: false }],
    ['Sound', { ...good, audio: null }],
    ['Loudness', { ...good, audio: { ...good.audio!, loudness: { integratedLufs: -16, truePeakDbtp: -3 } } }],
    [
      'True peak',
      { ...good, audio: { ...good.audio!, loudness: { integratedLufs: -14, truePeakDbtp: -0.4 } } },
    ],
  ])('a wrong %s fails that line and no other', (name, measured) => {
    const report = checkFile(wanted(), measured);
    expect(report.passed).toBe(false);
    expect(report.checks.filter((c) => !c.ok).map((c) => c.name)).toEqual([name]);
  });
  test('silence has no loudness to be wrong', () => {
    const silent = {
      ...good,
      audio: { ...good.audio!, loudness: { integratedLufs: null, truePeakDbtp: null } },
    };
    expect(checkFile(wanted(false), silent).passed).toBe(true);
  });
  test('silence is no success where something is heard in the master, and an unknown peak is none', () => {
    const failed = (measured: MeasuredFile, heard = true) =>
      checkFile(wanted(heard), measured)
        .checks.filter((c) => !c.ok)
        .map((c) => c.name);
    const withSound = (over: Partial<NonNullable<MeasuredFile['audio']>>) => ({
      ...good,
      audio: { ...good.audio!, ...over },
    });
    expect(failed(good)).toEqual([]);
    expect(failed({ ...good, audio: null })).toEqual(['Sound']);
    expect(failed(withSound({ loudness: { integratedLufs: null, truePeakDbtp: null } }))).toEqual([
      'Sound',
      'Loudness',
    ]);
    expect(failed(withSound({ loudness: { integratedLufs: null, truePeakDbtp: null } }), false)).toEqual([]);
    expect(failed(withSound({ loudness: { ...good.audio!.loudness, truePeakDbtp: null } }))).toEqual([
      'True peak',
    ]);
    // At the edge of what is allowed, and a hundredth of a second beyond.
    const { seconds } = good.audio!;
    expect(failed(withSound({ seconds: seconds - 0.1 }))).toEqual([]);
    expect(failed(withSound({ seconds: seconds - 0.11 }))).toEqual(['Sound, length']);
  });
});

describe('a report as a page', () => {
  const { plan } = makePlan({
    facts: facts(),
    sha256: 'a'.repeat(64),
    placement: story({ duration: {} }),
    framing: heldFraming(),
  });
  const page = (over: Partial<Parameters<typeof reportPage>[0]> = {}) =>
    reportPage({
      file: 'a <b>"film" & more.mp4',
      sha256: 'a'.repeat(64),
      place: 'Kelpie, <Tall>',
      master: null,
      plan,
      report: checkFile(
        { plan, heard: true, alone: false },
        goodFile({ averageKbps: 3900, longestKeyframeGap: 60 }),
      ),
      ...over,
    });
  test('says the verdict, what failed first, where, and what to do', () => {
    const text = page();
    expect(text).toMatch(/2 lines of \d+ failed/);
    expect(text.indexOf('bitrate-average')).toBeLessThan(text.indexOf('frame-size'));
    expect(text).toContain('Save it with keyframes no further apart.');
    expect(text).toContain('at 00:00:02:00 to 00:00:04:09');
    expect(text).toContain('without its master');
  });
  test('writes names as names, and loads nothing from elsewhere', () => {
    const text = page();
    expect(text).toContain('a &lt;b&gt;&quot;film&quot; &amp; more.mp4');
    expect(text).not.toMatch(/<b>|<Tall>|<script|<link|<img|src=|href=|url\(|https?:/);
  });
  test('draws the bitrate of each second, and what lies over the ceiling otherwise', () => {
    const text = page({
      report: checkFile({ plan, heard: true, alone: false }, goodFile({ kbpsBySecond: [1000, 9000, 2000] })),
    });
    expect(text.match(/<rect/g)).toHaveLength(3);
    expect(text.match(/<rect class="over"/g)).toHaveLength(1);
  });
});

describe('a run’s page', () => {
  const { plan } = makePlan({
    facts: facts(),
    sha256: 'a'.repeat(64),
    placement: story({ duration: {} }),
    framing: heldFraming(),
  });
  const fileOf = (file: string, over: Partial<MeasuredFile['video']> = {}) => ({
    file,
    sha256: 'a'.repeat(64),
    place: 'Kelpie, Tall',
    master: null,
    plan,
    report: checkFile({ plan, heard: true, alone: false }, goodFile(over)),
  });
  const run = {
    production: 'Kite & sons',
    client: 'Harbour <Trust>',
    files: [fileOf('good.mp4'), fileOf('bad.mp4', { averageKbps: 3900, longestKeyframeGap: 60 })],
    notMade: [{ name: 'Longmere, Wide', reason: 'The disk was full.' }],
  };
  test('counts what passed, what did not and what could not be made', () => {
    expect(summaryWords(run)).toBe('1 file passed, 1 did not and 1 could not be made.');
    expect(summaryWords({ files: [fileOf('a.mp4'), fileOf('b.mp4')], notMade: [] })).toBe('2 files passed.');
    expect(summaryWords({ files: [], notMade: [] })).toBe('0 files passed.');
  });
  test('names each file with what failed in it, leads to its report, and says why one was not made', () => {
    const text = summaryPage(run);
    expect(text.match(/<tr class="not"><td>✗<span class="said"> not made/g)).toHaveLength(1);
    expect(text).toContain('The disk was full.');
    const [, table] = text.split('<tbody>');
    expect(table).toMatch(/good\.mp4.*All \d+ lines passed.*bad\.mp4.*2 lines of \d+ failed/s);
    expect(text.match(/href="#file-\d"/g)).toHaveLength(2);
    expect(text.match(/<section id="file-\d">/g)).toHaveLength(2);
    expect(text).toContain('Harbour &lt;Trust&gt;');
    expect(text).not.toMatch(/<script|<link|<img|src=|href="[^#]|url\(|https?:/);
  });
});

test('places in a film are listed as timecode, and no more than a few', () => {
  const rate = { num: 25, den: 1 };
  expect(
    spansLabel(
      [
        { from: 0, to: 1 },
        { from: 25, to: 50 },
      ],
      rate,
    ),
  ).toBe('00:00:00:00 and 00:00:01:00 to 00:00:01:24');
  const many = Array.from({ length: 11 }, (_, i) => ({ from: i * 25, to: i * 25 + 1 }));
  expect(spansLabel(many, rate)).toMatch(/00:00:07:00 and 3 more$/);
});
