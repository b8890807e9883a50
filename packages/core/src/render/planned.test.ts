import { describe, expect, test } from '@jest/globals';
import { asEdited } from '../edits/cut.ts';
import { heldFraming } from '../framing/framing.ts';
import { facts, story } from '../testing/samples.ts';
import { makePlan, planFingerprint } from './plan.ts';
import { planVersion } from './planned.ts';

const sum = 'a'.repeat(64);

describe('the plan of a version', () => {
  const parts = { facts: facts(), sha256: sum, placement: story(), framing: heldFraming() };

  test('is the plan of its parts, and is worked out once for them', () => {
    const planned = planVersion(parts);
    expect(planned.plan).toEqual(makePlan(parts).plan);
    expect(planned.fingerprint).toBe(planFingerprint(planned.plan));
    expect(planVersion({ ...parts })).toBe(planned);
    expect(planVersion({ ...parts, cut: null })).toBe(planned);
  });

  test.each([
    ['another framing', { framing: heldFraming({ x: 0.2, y: 0.5, zoom: 1 }) }],
    ['other facts', { facts: facts({ frames: 500 }) }],
    ['other bytes', { sha256: 'b'.repeat(64) }],
    ['another placement', { placement: story({ frame: { width: 1080, height: 1080 } }) }],
    ['a cut', { cut: { kept: [{ from: 10, to: 60 }], pace: asEdited, joinMs: 20 } }],
  ])('is another one with %s', (_what, change) => {
    const [before, after] = [planVersion(parts), planVersion({ ...parts, ...change })];
    expect(after).not.toBe(before);
    expect(after.plan).toEqual(
      makePlan({ ...parts, ...change, ...('cut' in change ? change.cut : {}) }).plan,
    );
    expect(after.fingerprint).not.toBe(before.fingerprint);
  });

  test('has no fingerprint while the bytes of its film are being summed', () => {
    expect(planVersion({ ...parts, sha256: null }).fingerprint).toBeUndefined();
  });

  test('a cut that is changed in place of another is planned anew, and the old one is remembered', () => {
    const cut = { kept: [{ from: 0, to: 50 }], pace: asEdited, joinMs: 20 };
    const first = planVersion({ ...parts, cut });
    const second = planVersion({ ...parts, cut: { ...cut, kept: [{ from: 0, to: 40 }] } });
    expect(second.plan.frames).toBe(40);
    expect(planVersion({ ...parts, cut: { ...cut } })).toBe(first);
  });
});
