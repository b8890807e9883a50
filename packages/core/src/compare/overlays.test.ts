import { describe, expect, test } from '@jest/globals';
import type { MasterRect, Size } from '../picture/geometry.ts';
import { dice } from '../testing/pictures.ts';
import { edgeLines } from './edge-lines.ts';
import { foreignParts } from './foreign.ts';
import { drawPart, type Grid } from './grid.ts';
import { partsApart } from './parts-apart.ts';

// Taken once: looked up in the inner loops, a test runner's sandbox makes them a hundred times slower.
const { sin, cos, floor } = Math;

const masterSize: Size = { width: 1280, height: 720 };
const frame: Size = { width: 540, height: 960 };
const window: MasterRect = { x: 437.5, y: 0, width: 405, height: 720 };
const into: MasterRect = { x: 0, y: 0, ...frame };

/** A picture of waves, hard edges and fine detail, a little on at each frame. */
function masterAt(frameNumber: number): Grid {
  const [width, height] = [640, 360];
  const data = Float32Array.from({ length: width * height }, (_, i) => {
    const [x, y] = [i % width, floor(i / width)];
    const waves = 110 + 40 * sin((x + frameNumber * 3) / 23) * cos(y / 17);
    const wall = (x + frameNumber) % 90 < 30 && y > 150 ? 45 : 0;
    return waves + wall + 12 * sin(x * 1.9) * sin(y * 2.3);
  });
  return { width, height, data };
}

/** What a file shows of it: its window, with noise of coding, and what is laid over it. */
function fileOf(master: Grid, at: number, over: (x: number, y: number, v: number) => number): Grid {
  const [width, height] = [360, 640];
  const scale = master.width / masterSize.width;
  const drawn = drawPart(
    master,
    { x: window.x * scale, y: 0, width: window.width * scale, height: master.height },
    { width, height },
  );
  const roll = dice(at + 1);
  return {
    width,
    height,
    data: drawn.map((v, i) => over(i % width, floor(i / width), v) + 6 * (roll() - 0.5)),
  };
}

const frames = [0, 20, 40, 60, 80, 100, 120];
const lookedAt = (
  over: (x: number, y: number, v: number, at: number) => number,
  planned: MasterRect[] = [],
) =>
  frames.map((at) => {
    const master = masterAt(at);
    const file = fileOf(master, at, (x, y, v) => over(x, y, v, at));
    const sizes = { frame, master: masterSize };
    const grey = (plane: Grid) => ({ ...plane, data: plane.data.map(() => 128) });
    const planes = (plane: Grid) => [plane, grey(plane), grey(plane)] as const;
    return { at, apart: partsApart(planes(file), planes(master), [{ into, window }], planned, sizes) };
  });
/** A box in the file's picture, in its samples, that lets some of the picture through. */
const box =
  (left: number, top: number, width: number, height: number, level: number, strength = 1) =>
  (x: number, y: number, v: number) =>
    x >= left && x < left + width && y >= top && y < top + height ? v + (level - v) * strength : v;

describe('what lies over a picture', () => {
  test('nothing over a picture that is as planned, lighter as a whole, or coded poorly', () => {
    expect(foreignParts(lookedAt((_x, _y, v) => v))).toEqual([]);
    expect(foreignParts(lookedAt((_x, _y, v) => v + 9))).toEqual([]);
    const poor = lookedAt((x, y, v, at) => v + 20 * sin(floor(x / 8) * 91 + floor(y / 8) * 57 + at));
    expect(foreignParts(poor)).toEqual([]);
  });

  test('a mark of an eighteenth of the width, all through, is found in its place', () => {
    const [thing, ...more] = foreignParts(lookedAt(box(320, 600, 20, 20, 235, 0.6)))!;
    expect(more).toEqual([]);
    expect(thing!.span).toEqual({ from: 0, to: 121 });
    expect(thing!.box.x).toBeCloseTo(320 / 360, 1);
    expect(thing!.box.y).toBeCloseTo(600 / 640, 1);
  });

  test('one that comes and goes is told by the frames that were looked at and show it', () => {
    const mark = box(100, 100, 80, 30, 20, 0.12);
    const [thing] = foreignParts(lookedAt((x, y, v, at) => (at >= 40 && at <= 80 ? mark(x, y, v) : v)))!;
    expect(thing!.span).toEqual({ from: 40, to: 81 });
    // In two of them it may be what coding made of those.
    expect(foreignParts(lookedAt((x, y, v, at) => (at >= 40 && at <= 60 ? mark(x, y, v) : v)))).toEqual([]);
  });

  test('a clear one is told by a single frame', () => {
    const slate = box(60, 200, 120, 80, 16);
    const [thing, ...more] = foreignParts(lookedAt((x, y, v, at) => (at === 60 ? slate(x, y, v) : v)))!;
    expect(more).toEqual([]);
    expect(thing!.span).toEqual({ from: 60, to: 61 });
  });

  test('one that is no lighter than what it lies over is told by its colour', () => {
    const plain = { width: 640, height: 360, data: new Float32Array(640 * 360).fill(128) };
    const red = {
      ...plain,
      width: 360,
      height: 640,
      data: plain.data.map((v, i) => box(80, 80, 40, 40, 190)(i % 360, floor(i / 360), v)),
    };
    const own = { ...red, data: red.data.map(() => 128) };
    const apart = partsApart([own, own, red], [plain, plain, plain], [{ into, window }], [], {
      frame,
      master: masterSize,
    });
    expect(foreignParts(frames.map((at) => ({ at, apart })))).toHaveLength(1);
  });

  test('where the plan shows too few of the master’s pixels, nothing is told', () => {
    const few = { x: 600, y: 300, width: 45, height: 80 };
    const master = masterAt(0);
    const planes = [master, master, master] as const;
    expect(partsApart(planes, planes, [{ into, window: few }], [], { frame, master: masterSize })).toBeNull();
    expect(foreignParts(frames.map((at) => ({ at, apart: null })))).toBeNull();
  });

  test('what the plan lays over the picture is not foreign', () => {
    const planned = { x: 150, y: 150, width: 120, height: 45 };
    expect(foreignParts(lookedAt(box(100, 100, 80, 30, 20)))).toHaveLength(1);
    expect(foreignParts(lookedAt(box(100, 100, 80, 30, 20), [planned]))).toEqual([]);
  });
});

describe('lines along the edges', () => {
  const linesOf = (over: (x: number, y: number, v: number) => number) => {
    const master = masterAt(7);
    return edgeLines(fileOf(master, 7, over), master, window, masterSize);
  };

  test('none of a picture that is as planned', () => {
    expect(linesOf((_x, _y, v) => v)).toEqual({ top: 0, right: 0, bottom: 0, left: 0 });
  });

  test.each([
    ['left', 1, (x: number) => x < 1],
    ['right', 3, (x: number) => x >= 357],
    ['bottom', 5, (_x: number, y: number) => y >= 635],
    ['top', 2, (_x: number, y: number) => y < 2],
  ] as const)('on the %s, %i deep', (side, deep, isLine) => {
    const lines = linesOf((x, y, v) => (isLine(x, y) ? 16 : v));
    expect(lines).toEqual({ top: 0, right: 0, bottom: 0, left: 0, [side]: deep });
  });

  test('a bar is no line', () => {
    expect(linesOf((x, _y, v) => (x < 40 ? 16 : v)).left).toBe(0);
  });

  // A renderer reaches a sample or so beyond its window, and a small window's side may lie just at a hard edge.
  test.each([0.6, 0.9])(
    'a hard edge of the master %d samples beside the window is neither a line nor a part',
    (beside) => {
      const [width, height] = [640, 360];
      const small = { width: 90, height: 160 };
      const at = 219;
      const beyond = masterAt(3).data.map((v, i) => (i % width < at ? 235 : v));
      const master = { width, height, data: beyond };
      const scale = width / masterSize.width;
      const shown = { x: (at + beside) / scale, y: 0, width: 405, height: 720 };
      const drawn = (by: number) => ({
        ...small,
        data: drawPart(master, { x: shown.x * scale - by, y: 0, width: shown.width * scale, height }, small),
      });
      // Drawn by a renderer that reaches on: the line at the edge has some of what lies beyond it.
      const file = drawn(1.2);
      const grey = (plane: Grid) => ({ ...plane, data: plane.data.map(() => 128) });
      expect(edgeLines(file, master, shown, masterSize)).toEqual({ top: 0, right: 0, bottom: 0, left: 0 });
      // Colour has half as many samples each way, and what lies beyond reaches further into it.
      const colour = drawn(0);
      colour.data.forEach((v, i) => (colour.data[i] = i % small.width < 2 ? v + (235 - v) * 0.8 : v));
      const apart = partsApart(
        [file, colour, grey(file)],
        [master, master, grey(master)],
        [{ into: { x: 0, y: 0, ...small }, window: shown }],
        [],
        { frame: small, master: masterSize },
      );
      expect([...apart!.beyond].filter((by) => by !== 0)).toEqual([]);
    },
  );
});
