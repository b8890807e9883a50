import fc from 'fast-check';
import { describe, expect, test } from '@jest/globals';
import { facts, story } from '../testing/samples.ts';
import { heldFraming } from '../framing/framing.ts';
import { makePlan, planFingerprint } from '../render/plan.ts';
import { troublesOf } from '../checks/troubles.ts';
import { bookChanges, movedPlacement } from './book-changes.ts';
import { differenceWords, placementDifferences } from './differences.ts';
import { isStale, neededAfter, revisionInForce, revisionsToCome } from './revisions.ts';
import { unmeetableIn } from './rules/rules.ts';
import { placementSchema, type Placement, type SpecBook } from './schema.ts';

const h264 = (video: Partial<Placement['video']>): Placement['video'] => ({ ...story().video, ...video });

describe('which revision holds', () => {
  const revision = fc.record({
    number: fc.integer({ min: 1, max: 40 }),
    effectiveOn: fc.constantFrom('2026-10-01', '2026-11-01', '2026-11-20', '2026-12-01'),
  });
  const history = fc.uniqueArray(revision, { minLength: 1, selector: (r) => r.number });
  test('the one that took effect last and no later than today; the first before any has', () =>
    fc.assert(
      fc.property(
        history,
        fc.constantFrom('2026-09-01', '2026-11-01', '2026-11-25', '2027-01-01'),
        (all, today) => {
          const found = revisionInForce(all, today)!;
          const begun = all.filter((r) => r.effectiveOn <= today);
          if (begun.length === 0) return expect(found.number).toBe(Math.min(...all.map((r) => r.number)));
          expect(begun).toContain(found);
          for (const r of begun)
            expect(
              r.effectiveOn < found.effectiveOn ||
                (r.effectiveOn === found.effectiveOn && r.number <= found.number),
            ).toBe(true);
        },
      ),
    ));
  test('those to come are what has not taken effect, soonest first', () =>
    fc.assert(
      fc.property(history, (all) => {
        const coming = revisionsToCome(all, '2026-11-01');
        expect(coming.length).toBe(all.filter((r) => r.effectiveOn > '2026-11-01').length);
        expect(coming).toEqual(
          [...coming].sort((a, b) => a.effectiveOn.localeCompare(b.effectiveOn) || a.number - b.number),
        );
      }),
    ));
  test('numbers are stale after 90 days, not at 90, and when they were never checked', () => {
    expect(isStale('2026-08-27', '2026-11-25')).toBe(false);
    expect(isStale('2026-08-26', '2026-11-25')).toBe(true);
    expect(isStale(undefined, '2026-11-25')).toBe(true);
  });
});

describe('what is different', () => {
  const say = (before: Placement, after: Placement) =>
    placementDifferences(before, after).map(differenceWords);
  test('each change is one line, with its unit', () => {
    expect(say(story(), story({ duration: { maxSeconds: 20 } }))).toEqual(['longest length 15 s → 20 s']);
    expect(
      say(story(), story({ video: h264({ rate: { mode: 'two-pass', targetKbps: 3500, maxKbps: 5000 } }) })),
    ).toEqual(['highest bitrate 4000 kbit/s → 5000 kbit/s']);
    expect(say(story(), story({ audio: null }))[0]).toBe('sound some → none');
    expect(say(story({ maxBytes: 5 }), story({ maxBytes: undefined }))).toEqual([
      'largest file no longer said (was 5 bytes)',
    ]);
  });
  test('blocked areas are told by their names, also two of one name', () => {
    const area = (x: number) => ({ name: 'buttons', x, y: 0, width: 0.1, height: 0.1 });
    expect(say(story({ blocked: [area(0), area(0.5)] }), story({ blocked: [area(0), area(0.6)] }))).toEqual([
      'blocked area “buttons 2” 10 % × 10 % at 50 %, 0 % → 10 % × 10 % at 60 %, 0 %',
    ]);
  });
  test('when it was checked is no difference of the rules', () =>
    expect(say(story({ verifiedOn: '2026-01-01' }), story({ verifiedOn: '2026-02-02' }))).toEqual([]));
  test('a placement differs from itself in nothing, and what differs is found both ways', () => {
    const some = fc.constantFrom(
      story(),
      story({ audio: null }),
      story({ captions: 'burned' }),
      story({ duration: undefined }),
      story({ frame: { width: 1080, height: 1080 }, largerFrame: undefined }),
    );
    fc.assert(
      fc.property(some, some, (a, b) => {
        const paths = (x: Placement, y: Placement) =>
          placementDifferences(x, y)
            .map((d) => d.path)
            .sort();
        expect(paths(a, b)).toEqual(paths(b, a));
        expect(paths(a, b).length === 0).toBe(JSON.stringify(a) === JSON.stringify(b));
      }),
    );
  });
});

describe('taking a file in', () => {
  const book = (...placements: Placement[]): SpecBook => ({
    format: 'mivvy-spec-book',
    version: 1,
    outlets: [{ id: 'harbour', name: 'Harbour', placements }],
  });
  test('says of each placement whether it is new, changed, checked or the same', () => {
    const known = book(story(), story({ id: 'b' }), story({ id: 'c', verifiedOn: '2026-01-01' })).outlets;
    const file = book(
      story(),
      story({ id: 'b', maxBytes: 9_000_000 }),
      story({ id: 'c', verifiedOn: '2026-11-01' }),
      story({ id: 'd' }),
    );
    expect(bookChanges(known, file).map((c) => [c.placementId, c.kind, c.differences.length])).toEqual([
      ['story', 'same', 0],
      ['b', 'changed', 1],
      ['c', 'checked', 0],
      ['d', 'new', 0],
    ]);
  });
  test('a placement does not move to another outlet', () => {
    const file = { ...book(story()), outlets: [{ id: 'other', name: 'Other', placements: [story()] }] };
    expect(movedPlacement(book(story()).outlets, file)).toMatch(/already in the book, under Harbour/);
    expect(movedPlacement(book(story()).outlets, book(story()))).toBeUndefined();
  });
});

describe('what versions need after a change', () => {
  const planned = (placement: Placement) => {
    const { plan } = makePlan({ facts: facts(), sha256: 'a'.repeat(64), placement, framing: heldFraming() });
    return { plan, fingerprint: planFingerprint(plan) };
  };
  test.each<[string, Partial<Placement>, string]>([
    ['another name', { name: 'Tale' }, 'nothing'],
    ['a longer length', { duration: { maxSeconds: 90 } }, 'nothing'],
    [
      'another bitrate',
      { video: h264({ rate: { mode: 'two-pass', targetKbps: 3000, maxKbps: 4000 } }) },
      'export',
    ],
    [
      'a smaller frame of the same shape',
      { frame: { width: 720, height: 1280 }, largerFrame: undefined },
      'export',
    ],
    ['another shape', { frame: { width: 1080, height: 1080 }, largerFrame: undefined }, 'framing'],
  ])('%s', (_what, change, needs) =>
    expect(neededAfter(planned(story()), planned(story(change)))).toBe(needs),
  );
});

describe('rules of a stream', () => {
  const codes = (placement: Placement, over: Parameters<typeof facts>[0] = {}, rest = {}) => {
    const master = facts({ frames: 250, ...over }, rest);
    const planned = makePlan({ facts: master, sha256: 'a'.repeat(64), placement, framing: heldFraming() });
    return troublesOf(planned, placement)
      .filter((t) => t.severity === 'fault')
      .map((t) => t.code);
  };
  test('a master outside the bounds is refused, at the bounds it is taken', () => {
    expect(codes(story({ minFrame: { width: 1920, height: 1080 } }))).toEqual([]);
    expect(codes(story({ minFrame: { width: 1921, height: 1080 } }))).toEqual(['master-small']);
    expect(codes(story({ maxFrame: { width: 1920, height: 1080 } }))).toEqual([]);
    expect(codes(story({ maxFrame: { width: 1920, height: 1079 } }))).toEqual(['master-large']);
  });
  test('sound that is required and missing is a fault', () => {
    const audio = { ...story().audio!, required: true };
    expect(codes(story({ audio }))).toEqual([]);
    expect(codes(story({ audio }), {}, { audio: null })).toEqual(['sound-required']);
    expect(codes(story(), {}, { audio: null })).toEqual([]);
  });
  test('a level above the highest that is taken: 1080 × 1920 at 25 needs 4.0 (H.264 Table A-1)', () => {
    expect(codes(story({ video: h264({ maxLevel: '4.0' }) }))).toEqual([]);
    expect(codes(story({ video: h264({ maxLevel: '3.2' }) }))).toEqual(['level-above']);
  });
  test('outside the High profile a level holds fewer bits: 20 Mbit/s is 4.0, 22 Mbit/s is not (H.264 Table A-1)', () => {
    const at = (maxKbps: number, profile: 'main' | 'high') =>
      makePlan({
        facts: facts(),
        sha256: 'a'.repeat(64),
        placement: story({ video: h264({ profile, rate: { mode: 'two-pass', targetKbps: 9000, maxKbps } }) }),
        framing: heldFraming(),
      }).plan.video.level;
    expect([at(20_000, 'main'), at(22_000, 'main'), at(22_000, 'high')]).toEqual(['4.0', '4.1', '4.0']);
  });
  test('under a level without a ceiling, the level’s own bitrate is the ceiling', () => {
    const placement = story({ video: h264({ rate: { mode: 'quality', crf: 20 }, maxLevel: '4.0' }) });
    const { plan } = makePlan({ facts: facts(), sha256: 'a'.repeat(64), placement, framing: heldFraming() });
    expect(plan.video).toMatchObject({ level: '4.0', rate: { maxKbps: 25_000 } });
  });
});

describe('rules that contradict each other', () => {
  const refused = (over: Partial<Placement>) => {
    const read = placementSchema.safeParse(story(over));
    return read.success
      ? unmeetableIn(read.data).map((u) => u.message)
      : read.error.issues.map((i) => i.message);
  };
  const area = (x: number, y: number, width: number, height: number) => ({ name: 'x', x, y, width, height });
  test.each<[string, Partial<Placement>, RegExp]>([
    ['shortest above longest', { duration: { minSeconds: 9, maxSeconds: 8 } }, /shortest length is longer/],
    [
      'smallest master above largest',
      { minFrame: { width: 9, height: 9 }, maxFrame: { width: 8, height: 9 } },
      /smallest master is larger/,
    ],
    [
      'a rate that no level holds',
      { frame: { width: 8192, height: 8192 }, largerFrame: undefined, frameRate: { allowed: ['240'] } },
      /no H.264 level holds/,
    ],
    ['a level below what its frame needs', { video: h264({ maxLevel: '3.0' }) }, /needs at least level 4.0/],
    ['a size limit that nothing sensible meets', { maxBytes: 500_000 }, /cannot hold 15 s/],
    [
      'areas that cover everything',
      { blocked: [area(0, 0, 1, 0.6), area(0, 0.5, 1, 0.5)] },
      /leave no clear area/,
    ],
    [
      'areas and a margin that cover everything',
      { safeMargin: { top: 0.2, right: 0, bottom: 0, left: 0 }, blocked: [area(0, 0.2, 1, 0.8)] },
      /leave no clear area/,
    ],
    [
      'B-frames in the baseline profile',
      { video: h264({ profile: 'baseline', bFrames: 2 }) },
      /has no B-frames/,
    ],
    [
      'a profile of another codec',
      { video: h264({ codec: 'hevc', profile: 'high' }) },
      /not made in a profile/,
    ],
  ])('%s', (_what, over, reason) => expect(refused(over).join()).toMatch(reason));
  test('what can be met is not refused', () => {
    expect(refused({})).toEqual([]);
    expect(refused({ blocked: [area(0, 0, 1, 0.5), area(0, 0.52, 1, 0.48)] })).toEqual([]);
    expect(refused({ maxBytes: 60_000_000 })).toEqual([]);
    expect(refused({ video: h264({ maxLevel: '4.0' }) })).toEqual([]);
  });
});
