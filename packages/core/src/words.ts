/** The interface speaks British English: no comma before the last “and”. */
const lists = new Intl.ListFormat('en-GB', { type: 'conjunction' });
const plurals = new Intl.PluralRules('en-GB');

/** Words as a list: `a, b and c`. */
export function listWords(words: readonly string[]): string {
  return lists.format(words);
}

/** The form of a noun for a number of things; `many` where it is not made with an s. */
export function nounFor(count: number, one: string, many = `${one}s`): string {
  return plurals.select(count) === 'one' ? one : many;
}

/** A number of things: `1 shot`, `3 shots`. */
export function countWords(count: number, one: string, many?: string): string {
  return `${count} ${nounFor(count, one, many)}`;
}
