import { describe, expect, test } from '@jest/globals';
import fc from 'fast-check';
import { heldFraming } from '../framing/framing.ts';
import { facts, story } from '../testing/samples.ts';
import { rate } from '../time/rate.ts';
import { refusal } from '../checks/trouble-kinds.ts';
import { troublesOf } from '../checks/troubles.ts';
import { behindReasons, standingOf } from '../delivery/standing.ts';
import { budgetRate, bytesAtRate, kbpsForBytes } from './budget.ts';
import { lowestH264Level } from './levels.ts';
import { canonicalJson } from '../canonical.ts';
import { makePlan, planFingerprint } from './plan.ts';
import { masterFrameAt } from './read-plan.ts';
import { renderPlanSchema } from './plan-schema.ts';

const sum = 'a'.repeat(64);
const plan = (over = {}) =>
  makePlan({
    facts: facts(),
    sha256: sum,
    placement: story({ duration: {} }),
    framing: heldFraming(),
    ...over,
  });

describe('H.264 levels, Rec. ITU-T H.264 Table A-1 (from memory)', () => {
  test.each([
    [1080, 1080, 30, '3.2'],
    [1080, 1920, 30, '4.0'],
    [1080, 1920, 60, '4.2'],
    [2160, 3840, 30, '5.1'],
    [1280, 720, 30, '3.1'],
    [1920, 1080, 25, '4.0'],
  ])('%i × %i at %i needs level %s', (width, height, r, level) => {
    expect(lowestH264Level({ width, height }, rate(r), 4000)).toBe(level);
  });
  // MaxFS in macroblocks (16 × 16 pixels), MaxMBPS, and MaxBR in kbit/s for the High profile (1.25 × the table's).
  const blocks = (across: number, down: number) => ({ width: 16 * across, height: 16 * down });
  test.each([
    ['3.2 holds 5120 macroblocks', blocks(80, 64), 42, '3.2'],
    ['and not 5160', blocks(80, 64.5), 41, '4.0'],
    ['4.0 holds 8192', blocks(128, 64), 30, '4.0'],
    ['and not 8193 of them', blocks(2731, 3), 5, undefined],
    ['4.0 holds 245,760 a second: 8192 at 30', blocks(128, 64), 30, '4.0'],
    ['and not one more', blocks(128, 64), 30.0001, '4.2'],
    ['4.2 holds 522,240 a second: 8704 at 60', blocks(128, 68), 60, '4.2'],
    ['5.1 holds 36,864', blocks(256, 144), 26, '5.1'],
    ['and not 37,008', blocks(257, 144), 20, '6.0'],
  ])('at the edge: %s', (_what, size, r, level) => {
    expect(lowestH264Level(size, rate(Math.round(r * 10_000), 10_000), 4000)).toBe(level);
  });
  test('clause A.3.1: neither side is longer than the root of eight times MaxFS', () => {
    // √(8 × 8192) = 256 macroblocks at 4.0, √(8 × 8704) = 263.9 at 4.2.
    expect(lowestH264Level(blocks(256, 8), rate(25), 4000)).toBe('4.0');
    expect(lowestH264Level(blocks(257, 8), rate(25), 4000)).toBe('4.2');
    expect(lowestH264Level(blocks(8, 264), rate(25), 4000)).toBe('5.0');
  });
  test.each([
    [25_000, '4.0'],
    [25_001, '4.1'],
    [62_500, '4.1'],
    [62_501, '5.0'],
  ])('1080p at 25 under a ceiling of %i kbit/s needs level %s', (kbps, level) => {
    expect(lowestH264Level({ width: 1920, height: 1080 }, rate(25), kbps)).toBe(level);
  });
  test('a high ceiling raises the level', () =>
    expect(lowestH264Level({ width: 1080, height: 1080 }, rate(30), 30_000)).toBe('4.1'));
  test('what no level holds has none', () =>
    expect(lowestH264Level({ width: 8192, height: 8192 }, rate(240), 1000)).toBeUndefined());
});

describe('size and rate', () => {
  test('3.5 Mbit/s for 60 s is 26.25 MB (arithmetic)', () => expect(bytesAtRate(3500, 60)).toBe(26_250_000));
  const frame = { width: 1080, height: 1920 };
  const two = { mode: 'two-pass' as const, targetKbps: 3500, maxKbps: 4000 };
  test('no limit leaves the rate alone', () =>
    expect(budgetRate(two, 'h264', frame, rate(25), 42, 128, undefined)).toMatchObject({
      rate: two,
      lowered: false,
      feasible: true,
    }));
  test('a limit lowers the rate so that the file fits', () => {
    const got = budgetRate(two, 'h264', frame, rate(25), 42, 128, 10_000_000);
    expect(got).toMatchObject({ lowered: true, feasible: true });
    expect(got.expectedBytes!).toBeLessThanOrEqual(10_000_000);
  });
  test('three hundredths of a limit are the container’s: 10 MB for 42 s beside 128 kbit/s leave 1719.6 kbit/s (arithmetic)', () => {
    const got = budgetRate(two, 'h264', frame, rate(25), 42, 128, 10_000_000);
    expect(got.rate).toMatchObject({ mode: 'two-pass' });
    const { targetKbps } = got.rate as { targetKbps: number };
    expect(Math.abs(targetKbps - ((10_000_000 * 8 * 0.97) / 1000 / 42 - 128))).toBeLessThan(1);
  });
  test('below the floor it is not feasible', () =>
    expect(budgetRate(two, 'h264', frame, rate(25), 42, 128, 1_000_000).feasible).toBe(false));
  test('quality under a size limit becomes two passes', () =>
    expect(
      budgetRate({ mode: 'quality', crf: 20 }, 'h264', frame, rate(25), 10, 0, 5_000_000).rate.mode,
    ).toBe('two-pass'));
  test('what fits is what is left beside the sound', () => {
    fc.assert(
      fc.property(
        fc.integer({ min: 100_000, max: 1e9 }),
        fc.double({ min: 1, max: 600, noNaN: true }),
        fc.integer({ min: 0, max: 320 }),
        (bytes, seconds, audio) => {
          expect(bytesAtRate(kbpsForBytes(bytes, seconds, audio) + audio, seconds)).toBeLessThanOrEqual(
            bytes,
          );
        },
      ),
    );
  });
});

describe('plans', () => {
  test('the story (common practice): 1080 × 1920 at the edit’s 25, two passes at 3.5 under 4 Mbit/s, level 4.0', () => {
    const { plan: p } = plan();
    expect(p).toMatchObject({
      frame: { width: 1080, height: 1920 },
      rate: { num: 25, den: 1 },
      frames: 1060,
      video: { level: '4.0', keyframeFrames: 50, rate: { targetKbps: 3500, maxKbps: 4000 } },
    });
    expect(renderPlanSchema.parse(JSON.parse(JSON.stringify(p)))).toEqual(p);
  });
  test('a 4K master is delivered in the larger frame', () => {
    expect(plan({ facts: facts({ displayed: { width: 3840, height: 2160 } }) }).plan.frame).toEqual({
      width: 2160,
      height: 3840,
    });
  });
  test('50 frames a second under the cap: every second frame, counted from the first', () => {
    const { plan: p } = plan({
      facts: facts({ rate: { num: 50, den: 1 }, frames: 601 }),
      kept: [{ from: 101, to: 601 }],
    });
    expect(p.frames).toBe(250);
    expect([masterFrameAt(p, 0), masterFrameAt(p, 1), masterFrameAt(p, 249)]).toEqual([101, 103, 599]);
  });
  test('untagged colour is read as BT.709 from 720 lines up, else as BT.601 (common practice)', () => {
    const colour = { primaries: null, transfer: null, matrix: null, range: null };
    expect(plan({ facts: facts({ colour }) }).plan.master.matrix).toBe('bt709');
    expect(plan({ facts: facts({ colour, coded: { width: 720, height: 576 } }) }).plan.master.matrix).toBe(
      'bt601',
    );
  });
  test('fingerprints: equal for equal plans whatever the order of keys, different for any difference', () => {
    const a = plan().plan;
    expect(planFingerprint(JSON.parse(JSON.stringify(Object.fromEntries(Object.entries(a).reverse()))))).toBe(
      planFingerprint(a),
    );
    const others = [
      plan({ sha256: 'b'.repeat(64) }),
      plan({ framing: heldFraming({ x: 0.51, y: 0.5, zoom: 1 }) }),
      plan({ kept: [{ from: 0, to: 1059 }] }),
      plan({ placement: story({ duration: {}, maxBytes: 9_000_000 }) }),
    ];
    expect(new Set([a, ...others.map((o) => o.plan)].map(planFingerprint)).size).toBe(5);
    expect(canonicalJson({ b: 1, a: [{ d: 1, c: 2 }] })).toBe('{"a":[{"c":2,"d":1}],"b":1}');
  });
});

describe('troubles before export', () => {
  const codes = (over = {}) => {
    const planned = plan(over);
    return troublesOf(
      planned,
      (over as { placement?: ReturnType<typeof story> }).placement ?? story({ duration: {} }),
    ).map((t) => t.code);
  };
  test('a frame over the limit is a fault at the film’s end, at the limit it is none', () => {
    const limit = story();
    const at = (frames: number) => {
      const planned = makePlan({
        facts: facts({ frames }),
        sha256: sum,
        placement: limit,
        framing: heldFraming(),
      });
      return troublesOf(planned, limit);
    };
    expect(at(375).some((t) => t.severity === 'fault')).toBe(false);
    const [over] = at(376);
    expect(over).toMatchObject({ code: 'too-long', severity: 'fault', span: { from: 375, to: 376 } });
    expect(over!.sentence).toContain('1 frame must go');
    expect(refusal(at(376))?.code).toBe('too-long');
    expect(refusal(at(375))).toBeUndefined();
  });
  test('each trouble is found', () => {
    expect(codes({ facts: facts({}, { audio: null, audioStreams: 0 }) })).toContain('no-sound');
    expect(codes({ placement: story({ duration: { minSeconds: 60 } }) })).toContain('too-short');
    expect(codes({ placement: story({ duration: {}, maxBytes: 500_000 }) })).toContain('size-floor');
    expect(codes({ placement: story({ duration: {}, maxBytes: 15_000_000 }) })).toContain('rate-lowered');
    expect(codes({ placement: story({ duration: {}, frameRate: { allowed: ['30'] } }) })).toContain(
      'rate-uneven',
    );
    expect(codes({ facts: facts({ rateVaries: true }) })).toContain('conformed');
    expect(codes()).toEqual(['enlarged']);
  });
});

describe('standing', () => {
  const base = {
    refused: false,
    faulty: false,
    job: undefined,
    file: undefined,
    current: 'x',
  };
  const good = { fingerprint: 'x', passed: true, onDisk: 'intact' as const };
  test.each([
    [{}, 'to-make'],
    [{ refused: true }, 'blocked'],
    [{ faulty: true }, 'at-fault'],
    [{ faulty: true, file: good }, 'at-fault'],
    [{ faulty: true, file: good, current: 'y' }, 'at-fault'],
    [{ faulty: true, file: { ...good, passed: false } }, 'failed-check'],
    [{ faulty: true, refused: true }, 'blocked'],
    [{ faulty: true, job: 'running' as const }, 'making'],
    [{ job: 'queued' as const }, 'queued'],
    [{ job: 'running' as const }, 'making'],
    [{ job: 'failed' as const }, 'failed'],
    [{ job: 'failed' as const, file: good }, 'failed'],
    [{ file: { fingerprint: 'x', passed: true, onDisk: 'intact' as const } }, 'passed'],
    [{ file: { fingerprint: 'x', passed: false, onDisk: 'intact' as const } }, 'failed-check'],
    [{ file: { fingerprint: 'y', passed: true, onDisk: 'intact' as const } }, 'behind'],
    [{ file: { fingerprint: 'y', passed: true, onDisk: 'intact' as const }, current: undefined }, 'passed'],
    [{ file: { fingerprint: 'x', passed: true, onDisk: 'changed' as const } }, 'changed-on-disk'],
    [{ file: { fingerprint: 'x', passed: true, onDisk: 'comparing' as const } }, 'comparing'],
    [
      { refused: true, file: { fingerprint: 'y', passed: true, onDisk: 'changed' as const } },
      'changed-on-disk',
    ],
    [
      { job: 'running' as const, file: { fingerprint: 'x', passed: true, onDisk: 'changed' as const } },
      'making',
    ],
  ])('%j is %s', (over, standing) => expect(standingOf({ ...base, ...over })).toBe(standing));
  test('what changed is named', () => {
    const made = plan().plan;
    expect(behindReasons(made, plan({ framing: heldFraming({ x: 0.3, y: 0.5, zoom: 1 }) }).plan)).toEqual([
      'the framing was moved',
    ]);
    expect(behindReasons(made, plan({ sha256: 'b'.repeat(64) }).plan)).toEqual(['the master was replaced']);
    expect(behindReasons(made, made)).toEqual(['it was made by an earlier release of Mivvy']);
  });
});
