import type { FrameSpan } from '../time/span.ts';

/** Shots that are drawn as one: too narrow to be told apart. `first` is the index of the first of them. */
export interface ShotGroup extends FrameSpan {
  first: number;
  count: number;
}

/**
 * Joins neighbours that are narrower than so many frames until the group is as wide; whoever is wide enough stands
 * alone. Every shot is in one group, in order.
 */
export function groupNarrow(spans: readonly FrameSpan[], least: number): ShotGroup[] {
  const groups: ShotGroup[] = [];
  let open = false;
  spans.forEach(({ from, to }, i) => {
    const last = groups.at(-1);
    if (to - from >= least) {
      groups.push({ from, to, first: i, count: 1 });
      open = false;
      return;
    }
    if (open && last && last.to - last.from < least) {
      last.to = to;
      last.count++;
      return;
    }
    groups.push({ from, to, first: i, count: 1 });
    open = true;
  });
  return groups;
}
