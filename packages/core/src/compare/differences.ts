import type { Size } from '../picture/geometry.ts';
import type { FrameSpan } from '../time/span.ts';

/** Where two films of the same edit do not show the same: a box that holds it, while it lasts. */
export interface Difference {
  span: FrameSpan;
  /** In fractions of the picture. */
  box: { x: number; y: number; width: number; height: number };
}

/** Side of the squares of samples that are held against each other, samples of the small pictures. */
const cellSide = 8;
/** A sample differs by so much before it counts, of 255: more than two encoders make of the same picture at this size. */
const leastDifference = 12;
/** What counts of a cell's samples together, above that, before it is a difference and not noise. */
const leastOfCell = 90;
/** Cells so near to each other are one thing: the words of a line, the lines of a title. */
const nearCells = 3;
/** What is seen in fewer cells than this, over all its frames together, is an encoder's slip and not a thing. */
const leastSeen = 4;
/** A thing that shows nothing for so many frames is over: words fade in unevenly. */
const gapFrames = 12;

/** Cells of the picture, both ends included. */
interface CellBox {
  left: number;
  top: number;
  right: number;
  bottom: number;
}

const near = (a: CellBox, b: CellBox): boolean =>
  a.left <= b.right + nearCells &&
  b.left <= a.right + nearCells &&
  a.top <= b.bottom + nearCells &&
  b.top <= a.bottom + nearCells;

const together = (a: CellBox, b: CellBox): CellBox => ({
  left: Math.min(a.left, b.left),
  top: Math.min(a.top, b.top),
  right: Math.max(a.right, b.right),
  bottom: Math.max(a.bottom, b.bottom),
});

/** A thing that is being followed from picture to picture. */
interface Open extends CellBox {
  from: number;
  last: number;
  /** Cells that it was seen in, over all its frames. */
  seen: number;
}

/**
 * Finds where two films do not show the same, from small pictures of both, three planes of equal size each, frame by
 * frame. What is near in the picture and in time is one thing. Sizes and thresholds are from trials with our own films.
 */
export class DifferenceFinder {
  private readonly columns: number;
  private readonly rows: number;
  private frame = 0;
  private open: Open[] = [];
  private readonly ended: Open[] = [];

  constructor(private readonly size: Size) {
    this.columns = Math.ceil(size.width / cellSide);
    this.rows = Math.ceil(size.height / cellSide);
  }

  /** Takes the next picture of both. Returns the share of the picture that differs, 0 to 1. */
  push(one: Uint8Array, other: Uint8Array): number {
    const cells = this.differing(one, other);
    for (const box of boxesOf(cells)) this.see(box);
    this.frame++;
    this.letGo(gapFrames);
    return cells.length / (this.columns * this.rows);
  }

  /** Everything that was found, in the order in which it begins. */
  finish(): Difference[] {
    this.letGo(-1);
    const { width, height } = this.size;
    return this.ended
      .sort((a, b) => a.from - b.from)
      .map(({ left, top, right, bottom, from, last }) => {
        const [x, y] = [(left * cellSide) / width, (top * cellSide) / height];
        return {
          span: { from, to: last + 1 },
          box: {
            x,
            y,
            width: Math.min(1, ((right + 1) * cellSide) / width) - x,
            height: Math.min(1, ((bottom + 1) * cellSide) / height) - y,
          },
        };
      });
  }

  private differing(one: Uint8Array, other: Uint8Array): CellBox[] {
    const { width, height } = this.size;
    const plane = width * height;
    const sums = new Float64Array(this.columns * this.rows);
    for (let y = 0; y < height; y++) {
      const row = Math.floor(y / cellSide) * this.columns;
      for (let x = 0; x < width; x++) {
        const at = y * width + x;
        const away = Math.max(
          Math.abs(one[at]! - other[at]!),
          Math.abs(one[at + plane]! - other[at + plane]!),
          Math.abs(one[at + 2 * plane]! - other[at + 2 * plane]!),
        );
        if (away > leastDifference) sums[row + Math.floor(x / cellSide)]! += away - leastDifference;
      }
    }
    const cells: CellBox[] = [];
    sums.forEach((sum, i) => {
      if (sum < leastOfCell) return;
      const [left, top] = [i % this.columns, Math.floor(i / this.columns)];
      cells.push({ left, top, right: left, bottom: top });
    });
    return cells;
  }

  /** Adds a box of this picture to the things that it touches, which are one from then on. */
  private see({ cells, ...box }: CellBox & { cells: number }): void {
    const touched = this.open.filter((thing) => near(thing, box));
    const grown = touched.reduce<CellBox>(together, box);
    const from = Math.min(this.frame, ...touched.map((thing) => thing.from));
    const seen = touched.reduce((sum, thing) => sum + thing.seen, cells);
    this.open = [
      ...this.open.filter((thing) => !touched.includes(thing)),
      { ...grown, from, last: this.frame, seen },
    ];
  }

  private letGo(gap: number): void {
    const over = (thing: Open) => this.frame - 1 - thing.last > gap;
    this.ended.push(...this.open.filter((thing) => over(thing) && thing.seen >= leastSeen));
    this.open = this.open.filter((thing) => !over(thing));
  }
}

/** Boxes around cells that lie near each other. */
function boxesOf(found: readonly CellBox[]): (CellBox & { cells: number })[] {
  let boxes: (CellBox & { cells: number })[] = [];
  for (const cell of found) {
    const touched = boxes.filter((box) => near(box, cell));
    const cells = touched.reduce((sum, box) => sum + box.cells, 1);
    boxes = [
      ...boxes.filter((box) => !touched.includes(box)),
      { ...touched.reduce<CellBox>(together, cell), cells },
    ];
  }
  return boxes;
}
