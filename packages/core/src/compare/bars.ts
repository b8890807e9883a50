import type { Size } from '../picture/geometry.ts';

/** Depth of flat bands along a picture's edges, in its samples. */
export interface Edges {
  top: number;
  right: number;
  bottom: number;
  left: number;
}

/** A line is flat when its values spread no more than this, and goes on a bar when its mean differs no more. */
const flat = 3;
const same = 3;
/** Where the plan's own line spreads so little, or lies so near the bar's brightness, nothing can be told. */
const plain = 6;

interface Line {
  mean: number;
  spread: number;
}

function line(data: ArrayLike<number>, start: number, by: number, count: number): Line {
  let [sum, squares] = [0, 0];
  for (let i = 0; i < count; i++) {
    const v = data[start + i * by]!;
    sum += v;
    squares += v * v;
  }
  const mean = sum / count;
  return { mean, spread: Math.sqrt(Math.max(0, squares / count - mean * mean)) };
}

/** Whether a line is flat from end to end, as the outermost one of a bar is. */
export const isFlat = (values: ArrayLike<number>): boolean =>
  line(values, 0, 1, values.length).spread <= flat;

function depth(file: readonly Line[], plan: readonly Line[]): number {
  const first = file[0]!;
  let reach = 0;
  let told = 0;
  for (; reach < file.length; reach++) {
    const here = file[reach]!;
    if (here.spread > flat || Math.abs(here.mean - first.mean) > same) break;
    if (plan[reach]!.spread > plain || Math.abs(plan[reach]!.mean - here.mean) > plain * 2) told++;
  }
  // The picture is flat from edge to edge, or what is flat there is flat in the plan.
  return reach > file.length / 2 || told * 2 < reach ? 0 : reach;
}

/** Flat bands at the edges of a file's picture where the plan has a picture: bars that were not asked for. */
export function barsOf(file: ArrayLike<number>, plan: ArrayLike<number>, { width, height }: Size): Edges {
  const rows = (data: ArrayLike<number>) =>
    Array.from({ length: height }, (_, y) => line(data, y * width, 1, width));
  const columns = (data: ArrayLike<number>) =>
    Array.from({ length: width }, (_, x) => line(data, x, width, height));
  const [fileRows, planRows, fileColumns, planColumns] = [
    rows(file),
    rows(plan),
    columns(file),
    columns(plan),
  ];
  return {
    top: depth(fileRows, planRows),
    bottom: depth(fileRows.toReversed(), planRows.toReversed()),
    left: depth(fileColumns, planColumns),
    right: depth(fileColumns.toReversed(), planColumns.toReversed()),
  };
}
