import type { Cue } from '../interchange/captions.ts';

/** A cue as it is edited; one whose times were worked out says how sure they are. */
export type EditedCue = Cue & { sure?: number | undefined };

/** A cue is never shorter than this while it is edited, seconds. */
const shortest = 0.04;
/** A new one stands for so long where nothing follows, seconds. */
const usual = 2;

const thousandth = (seconds: number) => Math.round(seconds * 1000) / 1000;

/** Times that a person has set are sure. */
function bySomebody({ sure: _sure, ...cue }: EditedCue): EditedCue {
  return cue;
}

/** All cues later by so much, seconds, or earlier below zero; what would come to lie before the film is left out. */
export function shiftCues(cues: readonly EditedCue[], by: number): EditedCue[] {
  return cues
    .map((cue) => ({
      ...cue,
      from: thousandth(Math.max(0, cue.from + by)),
      to: thousandth(cue.to + by),
    }))
    .filter((cue) => cue.to > cue.from);
}

/** All cues drawn out or together so that the first still begins where it does and the last ends at a time, seconds. */
export function stretchCues(cues: readonly EditedCue[], end: number): EditedCue[] {
  const [first, last] = [cues[0], cues.at(-1)];
  if (!first || !last || end <= first.from) return [...cues];
  const k = (end - first.from) / (last.to - first.from);
  const at = (seconds: number) => thousandth(first.from + (seconds - first.from) * k);
  return cues.map((cue) => ({ ...cue, from: at(cue.from), to: at(cue.to) }));
}

/** A cue begun or ended elsewhere, never over its neighbours. */
export function retimeCue(
  cues: readonly EditedCue[],
  index: number,
  times: { from?: number; to?: number },
): EditedCue[] {
  const cue = cues[index];
  if (!cue) return [...cues];
  const low = cues[index - 1]?.to ?? 0;
  const high = cues[index + 1]?.from ?? Infinity;
  const from = Math.min(Math.max(times.from ?? cue.from, low), high - shortest);
  const to = Math.min(Math.max(times.to ?? cue.to, from + shortest), high);
  return cues.with(index, { ...bySomebody(cue), from: thousandth(from), to: thousandth(to) });
}

/** A cue parted at a time, its words by the share of it that lies before; unchanged where the time is not inside it. */
export function splitCue(cues: readonly EditedCue[], index: number, at: number): EditedCue[] {
  const cue = cues[index];
  if (!cue || at <= cue.from + shortest || at >= cue.to - shortest) return [...cues];
  const words = cue.lines.join(' ').split(/\s+/).filter(Boolean);
  if (words.length < 2) return [...cues];
  const share = (at - cue.from) / (cue.to - cue.from);
  const all = words.join(' ').length;
  let count = 1;
  while (count < words.length - 1 && words.slice(0, count + 1).join(' ').length <= share * all) count++;
  const time = thousandth(at);
  return [
    ...cues.slice(0, index),
    { ...cue, to: time, lines: [words.slice(0, count).join(' ')] },
    { ...cue, from: time, lines: [words.slice(count).join(' ')] },
    ...cues.slice(index + 1),
  ];
}

/** A cue and the one after it as one. */
export function joinCues(cues: readonly EditedCue[], index: number): EditedCue[] {
  const [cue, next] = [cues[index], cues[index + 1]];
  if (!cue || !next) return [...cues];
  const lines = [[...cue.lines, ...next.lines].join(' ')];
  return [...cues.slice(0, index), { ...bySomebody(cue), to: next.to, lines }, ...cues.slice(index + 2)];
}

/** A new cue from a time on, as long as there is room; null where a cue is shown there already. */
export function addCue(
  cues: readonly EditedCue[],
  at: number,
  filmEnd: number,
): { cues: EditedCue[]; index: number } | null {
  const after = cues.findIndex((cue) => cue.from > at);
  const index = after < 0 ? cues.length : after;
  const before = cues[index - 1];
  if (before && before.to > at + 1e-6) return null;
  const to = Math.min(at + usual, cues[index]?.from ?? Infinity, filmEnd);
  if (to - at < shortest) return null;
  const cue = { from: thousandth(at), to: thousandth(to), lines: ['…'] };
  return { cues: [...cues.slice(0, index), cue, ...cues.slice(index)], index };
}

/** Words replaced in all cues, whatever the case that they are written in; and how many were. */
export function replaceInCues(
  cues: readonly EditedCue[],
  find: string,
  replacement: string,
): { cues: EditedCue[]; count: number } {
  if (!find) return { cues: [...cues], count: 0 };
  const pattern = new RegExp(find.replace(/[.*+?^${}()|[\]\\]/g, '\\$&'), 'giu');
  let count = 0;
  const changed = cues.map((cue) => {
    const lines = cue.lines.map((line) =>
      line.replace(pattern, () => {
        count++;
        return replacement;
      }),
    );
    return lines.some((line, i) => line !== cue.lines[i]) ? { ...cue, lines } : cue;
  });
  return { cues: changed, count };
}
