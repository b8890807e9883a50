/** A curve at several levels of detail: each holds the greatest of every two values of the one before it. */
export interface LevelsOfDetail {
  readonly levels: readonly (readonly number[])[];
}

/** Makes a curve's levels of detail: done once, so that it can be drawn at any zoom by reading what is drawn. */
export function levelsOfDetail(values: readonly number[]): LevelsOfDetail {
  const levels: (readonly number[])[] = [values];
  for (let last = values; last.length > 1; last = levels.at(-1)!) {
    const half: number[] = [];
    for (let i = 0; i < last.length; i += 2) half.push(Math.max(last[i]!, last[i + 1] ?? -Infinity));
    levels.push(half);
  }
  return { levels };
}

/**
 * The curve between two places, at the level that has about as many points as are wanted, never fewer than half of them
 * where there are so many.
 *
 * @returns points with the place, in values from the start, at which each begins
 */
export function curveBetween(
  { levels }: LevelsOfDetail,
  from: number,
  to: number,
  points: number,
): { at: number; value: number }[] {
  const wanted = (to - from) / Math.max(1, points);
  const level = Math.max(0, Math.min(levels.length - 1, Math.floor(Math.log2(Math.max(1, wanted)))));
  const [values, each] = [levels[level]!, 2 ** level];
  const first = Math.max(0, Math.floor(from / each));
  const last = Math.min(values.length, Math.ceil(to / each) + 1);
  return values.slice(first, last).map((value, i) => ({ at: (first + i) * each, value }));
}
