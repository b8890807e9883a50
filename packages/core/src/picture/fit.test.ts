import { describe, expect, test } from '@jest/globals';
import fc from 'fast-check';
import { enlargement, evenWindow, fitWhole, frameForMaster, largestWindowSize } from './fit.ts';
import { aspectLabel, overlaps, shapeWord } from './geometry.ts';
import { insideMargins, publishedMargins } from './safe.ts';
import { centredPose, windowOf } from '../framing/pose.ts';

const hd = { width: 1920, height: 1080 };
const uhd = { width: 3840, height: 2160 };
const tall = { width: 1080, height: 1920 };

describe('windows and fits (common practice; arithmetic)', () => {
  test('tallest 9:16 window in 1920 × 1080 is 607.5 × 1080 at 656.25; even pixels: 608 × 1080 at 656', () => {
    const window = windowOf(centredPose, hd, tall);
    expect(window).toEqual({ x: 656.25, y: 0, width: 607.5, height: 1080 });
    expect(evenWindow(window, hd)).toEqual({ x: 656, y: 0, width: 608, height: 1080 });
  });
  test.each([
    ['4:5', { width: 1080, height: 1350 }, hd, { x: 528, y: 0, width: 864, height: 1080 }],
    ['1:1', { width: 1080, height: 1080 }, hd, { x: 420, y: 0, width: 1080, height: 1080 }],
    ['9:16 in 4K', tall, uhd, { x: 1312.5, y: 0, width: 1215, height: 2160 }],
    ['9:16 in 4:3', tall, { width: 1440, height: 1080 }, { x: 416.25, y: 0, width: 607.5, height: 1080 }],
    ['3:1', { width: 1500, height: 500 }, hd, { x: 0, y: 220, width: 1920, height: 640 }],
  ])('%s window', (_name, frame, master, window) => {
    expect(windowOf(centredPose, master, frame)).toEqual(window);
  });
  test('9:16 shows 42.2 % of the width of a 4:3 master', () => {
    const { width } = largestWindowSize({ width: 1440, height: 1080 }, tall);
    expect((width / 1440) * 100).toBeCloseTo(42.2, 1);
  });
  test('1920 × 1080 whole in 1080 × 1080: 1080 × 607.5, bars of 236.25, filled at 177.8 %', () => {
    const fit = fitWhole(hd, { width: 1080, height: 1080 });
    expect(fit).toMatchObject({ width: 1080, height: 607.5, barTopBottom: 236.25, barSides: 0 });
    expect(fit.fillFactor * 100).toBeCloseTo(177.8, 1);
  });
  test('1920 × 1080 whole in 1080 × 1920: bars of 656.25 above and below', () => {
    expect(fitWhole(hd, tall).barTopBottom).toBe(656.25);
  });
  test('a 4K master earns 2160 × 3840, an HD one stays at 1080 × 1920', () => {
    const larger = { width: 2160, height: 3840 };
    expect(frameForMaster(uhd, tall, larger)).toBe(larger);
    expect(frameForMaster({ width: 2160, height: 3840 }, tall, larger)).toBe(larger);
    expect(frameForMaster(hd, tall, larger)).toBe(tall);
    expect(frameForMaster(uhd, tall, undefined)).toBe(tall);
  });
  test('HD is enlarged 1.78 times in a tall frame', () => {
    expect(enlargement(windowOf(centredPose, hd, tall), tall)).toBeCloseTo(1.778, 3);
  });
});

describe('safe margins', () => {
  test('EBU R 95 (from memory): action 3.5 %, graphics 5 % from each edge', () => {
    expect(publishedMargins.find((m) => m.id === 'ebu-r95-action')?.margins.left).toBe(0.035);
    expect(publishedMargins.find((m) => m.id === 'ebu-r95-graphics')?.margins.top).toBe(0.05);
  });
  test('SMPTE ST 2046-1 (from memory): safe action 93 %, safe title 90 % of width and height', () => {
    const size = (id: string) => insideMargins(publishedMargins.find((m) => m.id === id)!.margins);
    expect(size('smpte-2046-action').width).toBeCloseTo(0.93, 10);
    expect(size('smpte-2046-title').height).toBeCloseTo(0.9, 10);
  });
});

test('shapes are named as practitioners write them', () => {
  expect(
    [
      tall,
      hd,
      { width: 1080, height: 1350 },
      { width: 1500, height: 500 },
      { width: 1000, height: 1500 },
      { width: 1528, height: 800 },
    ].map(aspectLabel),
  ).toEqual(['9:16', '16:9', '4:5', '3:1', '2:3', '1.91:1']);
  expect([shapeWord(tall), shapeWord(hd), shapeWord({ width: 5, height: 5 })]).toEqual([
    'tall',
    'wide',
    'square',
  ]);
});

test('areas overlap when they share more than an edge', () => {
  const a = { x: 0, y: 0, width: 0.5, height: 0.5 };
  expect(overlaps(a, { x: 0.4, y: 0.4, width: 0.2, height: 0.2 })).toBe(true);
  expect(overlaps(a, { x: 0.5, y: 0, width: 0.2, height: 0.2 })).toBe(false);
});

const side = fc.integer({ min: 16, max: 4096 });
const size = fc.record({ width: side, height: side });

test('the largest window has the frame’s shape, fits, and touches the master on two sides', () => {
  fc.assert(
    fc.property(size, size, (master, frame) => {
      const w = largestWindowSize(master, frame);
      expect(w.width / w.height).toBeCloseTo(frame.width / frame.height, 6);
      expect(w.width).toBeLessThanOrEqual(master.width + 1e-9);
      expect(w.height).toBeLessThanOrEqual(master.height + 1e-9);
      expect(Math.abs(w.width - master.width) < 1e-9 || Math.abs(w.height - master.height) < 1e-9).toBe(true);
    }),
  );
});

test('even windows are even, inside, and within a pixel and a half of the true one', () => {
  fc.assert(
    fc.property(
      size,
      size,
      fc.double({ min: 0, max: 1, noNaN: true }),
      fc.double({ min: 0, max: 1, noNaN: true }),
      (master, frame, x, y) => {
        const window = windowOf({ x, y, zoom: 1 }, master, frame);
        const even = evenWindow(window, master);
        for (const n of [even.x, even.y, even.width, even.height]) expect(Math.abs(n) % 2).toBe(0);
        expect(even.x + even.width).toBeLessThanOrEqual(master.width);
        expect(even.y + even.height).toBeLessThanOrEqual(master.height);
        expect(Math.abs(even.width - Math.max(2, window.width))).toBeLessThanOrEqual(2);
      },
    ),
  );
});
