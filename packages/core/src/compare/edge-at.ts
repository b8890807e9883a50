import type { Size } from '../picture/geometry.ts';

/** The largest difference between a cell of a picture and the ones beside it. */
export function edgeAt(data: ArrayLike<number>, { width, height }: Size, i: number): number {
  const [x, y] = [i % width, Math.floor(i / width)];
  const here = data[i]!;
  return Math.max(
    x > 0 ? Math.abs(here - data[i - 1]!) : 0,
    x + 1 < width ? Math.abs(here - data[i + 1]!) : 0,
    y > 0 ? Math.abs(here - data[i - width]!) : 0,
    y + 1 < height ? Math.abs(here - data[i + width]!) : 0,
  );
}
