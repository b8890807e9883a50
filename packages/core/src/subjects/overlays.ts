import { median } from '../median.ts';
import type { Size } from '../picture/geometry.ts';
import { movePoint } from './camera.ts';
import { cameraFromTo, type CameraPath } from './ground.ts';
import type { LookBox, LookPicture } from './picture.ts';

const { abs, ceil, floor, hypot, max, min } = Math;

/** Something that lies over the picture and does not move with it: a title, a logo, a lower third. Look pixels; samples. */
export interface RawOverlay {
  box: LookBox;
  from: number;
  to: number;
}

/** The picture is gone through in cells of so many pixels. */
const cell = 5;

/**
 * Finds what lies still over a picture. A cell belongs to an overlay while its content stays the same although the
 * camera moves on behind it, or while it is full of edges that came all at once and stayed. Cells beside each other
 * that come and go together are one overlay.
 */
export function overlaysIn(
  pictures: readonly LookPicture[],
  path: CameraPath,
  size: Size,
  perSecond: number,
): RawOverlay[] {
  const { width, height } = size;
  const [across, down] = [floor(width / cell), floor(height / cell)];
  const count = pictures.length;
  if (count < perSecond * 0.8) return [];
  const corner = pictures.map((_, i) => movePoint(path[i]!, width / 2, height / 2, size));
  const runs: { x: number; y: number; from: number; to: number }[] = [];
  const cells = across * down;
  // For every picture and cell: how full of edges it is, and how much it differs from the picture before; levels a pixel.
  const allBusy = new Float32Array(count * cells);
  const allChange = new Float32Array(count * cells);
  for (let i = 0; i < count; i++) {
    const now = pictures[i]!;
    const before = pictures[max(0, i - 1)]!;
    for (let y = 0; y < down * cell; y++) {
      const row = i * cells + floor(y / cell) * across;
      const below = y + 1 < height ? width : 0;
      for (let x = 0; x < across * cell; x++) {
        const at = y * width + x;
        const value = now[at]!;
        const to = row + ((x / cell) | 0);
        const right = now[at + 1]! - value;
        const under = now[at + below]! - value;
        const off = value - before[at]!;
        allBusy[to]! += (right < 0 ? -right : right) + (under < 0 ? -under : under);
        allChange[to]! += off < 0 ? -off : off;
      }
    }
  }
  const busy = new Float32Array(count);
  const change = new Float32Array(count);
  for (let cy = 0; cy < down; cy++) {
    for (let cx = 0; cx < across; cx++) {
      for (let i = 0; i < count; i++) {
        busy[i] = allBusy[i * cells + cy * across + cx]! / (cell * cell);
        change[i] = allChange[i * cells + cy * across + cx]! / (cell * cell);
      }
      // Runs of pictures through which the cell is full of edges and hardly changes.
      for (let i = 0; i < count;) {
        if (busy[i]! < 9) {
          i++;
          continue;
        }
        let end = i + 1;
        while (end < count && change[end]! < 3.2 && busy[end]! >= 8) end++;
        if (
          end - i >= perSecond * 0.8 &&
          cellOff(pictures[i + 1 < end ? i + 1 : i]!, pictures[end - 1]!, cx, cy, width) < 5
        ) {
          const middle = busy[floor((i + end) / 2)]!;
          const moved =
            hypot(corner[end - 1]!.x - corner[i]!.x, corner[end - 1]!.y - corner[i]!.y) > cell * 1.6;
          // Fading in and out takes a few pictures. The ground before it came, or after it went, lies still too: what a
          // passing subject uncovers does not.
          const [before, after] = [i - ceil(perSecond * 0.5), end + ceil(perSecond * 0.5)];
          const calm = (from: number) =>
            from >= 0 && from + 3 < count && max(change[from]!, change[from + 1]!, change[from + 2]!) < 2.6;
          const came = calm(before - 2) && busy[before]! < middle * 0.6 && middle > 11;
          const went = calm(after) && busy[after]! < middle * 0.6 && middle > 11;
          if (moved || came || went) runs.push({ x: cx, y: cy, from: i, to: end });
        }
        i = end;
      }
    }
  }
  return grouped(runs, cell, perSecond, size).filter(
    (o) => o.box.width * o.box.height < width * height * 0.5 && !movesWithCamera(o, path, size),
  );
}

/** How much a cell differs between two pictures, levels a pixel. */
function cellOff(a: LookPicture, b: LookPicture, cx: number, cy: number, width: number): number {
  let off = 0;
  for (let y = cy * cell; y < cy * cell + cell; y++)
    for (let x = cx * cell; x < cx * cell + cell; x++) off += abs(a[y * width + x]! - b[y * width + x]!);
  return off / (cell * cell);
}

/** Cells beside each other (titles have gaps) with about the same times, as boxes. */
function grouped(
  runs: readonly { x: number; y: number; from: number; to: number }[],
  side: number,
  perSecond: number,
  size: Size,
): RawOverlay[] {
  const left = new Set(runs);
  const found: RawOverlay[] = [];
  for (const seed of runs) {
    if (!left.delete(seed)) continue;
    const group = [seed];
    for (let i = 0; i < group.length; i++) {
      const one = group[i]!;
      for (const other of [...left]) {
        const near = abs(other.x - one.x) <= 3 && abs(other.y - one.y) <= 2;
        const together =
          abs(other.from - seed.from) < perSecond * 0.35 && abs(other.to - seed.to) < perSecond * 0.35;
        if (near && together) {
          left.delete(other);
          group.push(other);
        }
      }
    }
    if (group.length < 5) continue;
    const xs = group.map((g) => g.x);
    const ys = group.map((g) => g.y);
    const x = min(...xs) * side;
    const y = min(...ys) * side;
    found.push({
      box: {
        x,
        y,
        width: min(size.width, (max(...xs) + 1) * side) - x,
        height: min(size.height, (max(...ys) + 1) * side) - y,
      },
      from: median(group.map((g) => g.from))!,
      to: median(group.map((g) => g.to))!,
    });
  }
  return found;
}

/** A camera that turns about a point leaves that point still; a small still place there is no overlay. */
function movesWithCamera(o: RawOverlay, path: CameraPath, size: Size): boolean {
  const camera = cameraFromTo(path, o.from, max(o.from, o.to - 1));
  const [x, y] = [o.box.x + o.box.width / 2, o.box.y + o.box.height / 2];
  const to = movePoint(camera, x, y, size);
  const zooms = abs(hypot(camera.a, camera.b) - 1) > 0.05;
  return zooms && hypot(to.x - x, to.y - y) < 3;
}
