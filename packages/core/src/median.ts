import quickselect from 'quickselect';

/**
 * The median of some numbers; of an even count the upper one of the two in the middle.
 * Undefined for none.
 */
export function median(numbers: Iterable<number> | ArrayLike<number>): number | undefined {
  const all = Array.from(numbers);
  const at = all.length >> 1;
  if (all.length > 1) quickselect(all, at);
  return all[at];
}
