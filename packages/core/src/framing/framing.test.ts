import { describe, expect, test } from '@jest/globals';
import fc from 'fast-check';
import { framingSchema, heldFraming, stretchAt, windowAt } from './framing.ts';
import { maxZoom, poseAt, clampPose, windowOf, zoomAbout } from './pose.ts';
import { resamplePlan } from '../render/resample.ts';
import { commonArea } from './common-area.ts';

const side = fc.integer({ min: 64, max: 4096 });
const size = fc.record({ width: side, height: side });
const unit = fc.double({ min: 0, max: 1, noNaN: true });
const pose = fc.record({ x: unit, y: unit, zoom: fc.double({ min: 1, max: maxZoom, noNaN: true }) });

describe('windows', () => {
  test('a window never leaves the master and never changes shape', () => {
    fc.assert(
      fc.property(size, size, pose, (master, frame, p) => {
        const w = windowOf(p, master, frame);
        expect(w.x).toBeGreaterThanOrEqual(-1e-9);
        expect(w.y).toBeGreaterThanOrEqual(-1e-9);
        expect(w.x + w.width).toBeLessThanOrEqual(master.width + 1e-6);
        expect(w.y + w.height).toBeLessThanOrEqual(master.height + 1e-6);
        expect(w.width / w.height / (frame.width / frame.height)).toBeCloseTo(1, 9);
      }),
    );
  });

  test('settling a pose changes nothing that is seen, and settles at once', () => {
    fc.assert(
      fc.property(size, size, pose, (master, frame, p) => {
        const settled = clampPose(p, master, frame);
        const [a, b] = [windowOf(p, master, frame), windowOf(settled, master, frame)];
        expect(b.x).toBeCloseTo(a.x, 6);
        expect(b.y).toBeCloseTo(a.y, 6);
        expect(clampPose(settled, master, frame).x).toBeCloseTo(settled.x, 9);
      }),
    );
  });

  test('an edge that is typed is the edge that is shown, clamped into the master', () => {
    fc.assert(
      fc.property(
        size,
        size,
        fc.double({ min: -5000, max: 5000, noNaN: true }),
        fc.double({ min: -5000, max: 5000, noNaN: true }),
        fc.double({ min: 1, max: maxZoom, noNaN: true }),
        (master, frame, left, top, zoom) => {
          const w = windowOf(poseAt(left, top, zoom, master, frame), master, frame);
          expect(w.x).toBeCloseTo(Math.max(0, Math.min(master.width - w.width, left)), 5);
          expect(w.y).toBeCloseTo(Math.max(0, Math.min(master.height - w.height, top)), 5);
        },
      ),
    );
  });

  test('zooming in about a point keeps that point where it is in the frame', () => {
    fc.assert(
      fc.property(size, size, pose, unit, unit, (master, frame, p, fx, fy) => {
        const before = windowOf(p, master, frame);
        const [u, v] = [
          (before.x + fx * before.width) / master.width,
          (before.y + fy * before.height) / master.height,
        ];
        const after = windowOf(
          zoomAbout(p, Math.min(maxZoom, p.zoom * 1.3), u, v, master, frame),
          master,
          frame,
        );
        expect((u * master.width - after.x) / after.width).toBeCloseTo(fx, 5);
        expect((v * master.height - after.y) / after.height).toBeCloseTo(fy, 5);
      }),
    );
  });
});

describe('framings', () => {
  const framing = {
    version: 1 as const,
    stretches: [0, 40, 90].map((from, i) => ({
      from,
      move: { kind: 'hold' as const, pose: { x: 0.2 + i * 0.3, y: 0.5, zoom: 1 } },
    })),
  };
  test('each frame belongs to the stretch that started last', () => {
    expect([0, 39, 40, 89, 90, 9999].map((f) => stretchAt(framing, f).from)).toEqual([0, 0, 40, 40, 90, 90]);
    const master = { width: 1920, height: 1080 };
    expect(windowAt(framing, 60, master, { width: 1080, height: 1920 }).x).toBeCloseTo(
      0.5 * 1920 - 303.75,
      6,
    );
  });
  test('a framing that does not start at 0, or goes back, is refused', () => {
    expect(framingSchema.safeParse(heldFraming()).success).toBe(true);
    expect(framingSchema.safeParse({ version: 1, stretches: [{ ...framing.stretches[1] }] }).success).toBe(
      false,
    );
    expect(
      framingSchema.safeParse({
        version: 1,
        stretches: [framing.stretches[0], framing.stretches[2], framing.stretches[1]],
      }).success,
    ).toBe(false);
    expect(framingSchema.safeParse(heldFraming({ x: 0.5, y: 0.5, zoom: 0.9 })).success).toBe(false);
  });
});

test('a still window is cut to within half a delivered pixel, from inside the master, by even crops of even masters', () => {
  const even = fc.integer({ min: 120, max: 1200 }).map((n) => n * 2);
  const master = fc.record({ width: even, height: even });
  const frame = fc
    .constantFrom([1080, 1920], [1080, 1350], [1080, 1080], [1920, 1080], [1000, 1500], [1500, 500])
    .map(([width, height]) => ({ width: width!, height: height! }));
  fc.assert(
    fc.property(
      master,
      frame,
      unit,
      unit,
      fc.double({ min: 1, max: 2.5, noNaN: true }),
      (m, f, x, y, zoom) => {
        const window = windowOf({ x, y, zoom }, m, f);
        const { crop, scaled, offset, error, fullChroma } = resamplePlan(window, m, f);
        expect((crop.x % 2) + (crop.y % 2) + (crop.width % 2) + (crop.height % 2)).toBe(0);
        expect(crop.x + crop.width).toBeLessThanOrEqual(m.width);
        expect(crop.y + crop.height).toBeLessThanOrEqual(m.height);
        expect(offset.x + f.width).toBeLessThanOrEqual(scaled.width);
        expect(offset.y + f.height).toBeLessThanOrEqual(scaled.height);
        if (!fullChroma) expect((offset.x % 2) + (offset.y % 2)).toBe(0);
        // Where the frame's left edge really lies, worked out anew.
        const left = crop.x + (offset.x * crop.width) / scaled.width;
        expect((Math.abs(left - window.x) * f.width) / window.width).toBeLessThanOrEqual(error + 1.01e-4);
        // Small masters enlarged a lot leave few whole pixels to choose from.
        expect(error).toBeLessThan(f.width / window.width > 3 ? 1.5 : 0.75);
      },
    ),
    { numRuns: 200 },
  );
});

describe('the common area', () => {
  const hd = { width: 1920, height: 1080 };
  const centred = (width: number, height: number) =>
    windowOf({ x: 0.5, y: 0.5, zoom: 1 }, hd, { width, height });
  test('of 9:16, 4:5, 1:1 and 16:9 in the middle of HD is the 9:16 window; 3:1 takes its top and bottom (arithmetic)', () => {
    const windows = [centred(1080, 1920), centred(1080, 1350), centred(1080, 1080), centred(1920, 1080)];
    expect(commonArea(windows)).toEqual({ x: 656.25, y: 0, width: 607.5, height: 1080 });
    expect(commonArea([...windows, centred(1500, 500)])).toEqual({
      x: 656.25,
      y: 220,
      width: 607.5,
      height: 640,
    });
  });
  test('windows that only touch, or none at all, have nothing in common', () => {
    expect(commonArea([])).toBeNull();
    expect(
      commonArea([
        { x: 0, y: 0, width: 10, height: 10 },
        { x: 10, y: 0, width: 10, height: 10 },
      ]),
    ).toBeNull();
  });
  test('a point is in the common area exactly when every window shows it', () => {
    const poses = fc.array(pose, { minLength: 1, maxLength: 6 });
    fc.assert(
      fc.property(poses, fc.array(size, { minLength: 6, maxLength: 6 }), unit, unit, (some, frames, u, v) => {
        const windows = some.map((p, i) => windowOf(p, hd, frames[i]!));
        const [x, y] = [u * hd.width, v * hd.height];
        const inside = (w: { x: number; y: number; width: number; height: number }) =>
          x > w.x && y > w.y && x < w.x + w.width && y < w.y + w.height;
        const area = commonArea(windows);
        expect(area !== null && inside(area)).toBe(windows.every(inside));
      }),
    );
  });
});
