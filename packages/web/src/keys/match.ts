/**
 * A key as the table writes it: `mod+`, `shift+`, and then either the name of a key that types nothing (`space`, `left`,
 * `f8`, `escape`) or the character that a key produces (`n`, `[`, `?`). `mod` is ctrl, and cmd on a Mac.
 */
export type KeySpec = string;

/** What of a keyboard event tells which key it was. */
export interface KeyPress {
  key: string;
  shiftKey: boolean;
  ctrlKey: boolean;
  metaKey: boolean;
  altKey: boolean;
  isComposing?: boolean;
  getModifierState?: (name: string) => boolean;
}

/** Names of keys that type nothing, as events call them. */
const named: Readonly<Record<string, string>> = {
  space: ' ',
  left: 'arrowleft',
  right: 'arrowright',
  up: 'arrowup',
  down: 'arrowdown',
};

const isLetter = (key: string): boolean => key.length === 1 && key.toLowerCase() !== key.toUpperCase();

/**
 * Whether a press is the key that is written. Characters are told by what the keyboard types, whichever keys that takes
 * on its layout: `[` is AltGr with 8 on a German one, and `?` is shift with another key on each. So shift is asked for
 * only where it does not choose the character: with letters, and with keys that type nothing.
 */
export function matches(press: KeyPress, spec: KeySpec): boolean {
  if (press.isComposing) return false;
  // The plus key itself stands after the last plus.
  const parts = spec === '+' ? ['+'] : spec.replace(/\+\+$/, '+plus').split('+');
  const wanted = parts.at(-1)!.replace(/^plus$/, '+');
  const [mod, shift] = [parts.includes('mod'), parts.includes('shift')];
  const typed = press.key.toLowerCase();
  if (typed !== (named[wanted] ?? wanted)) return false;
  const typesSign = wanted.length === 1 && !isLetter(wanted);
  // Windows tells of AltGr as ctrl and alt together.
  const altGr = press.getModifierState?.('AltGraph') === true || (press.ctrlKey && press.altKey);
  if (typesSign && !mod && altGr) return true;
  if (press.altKey) return false;
  if (mod !== (press.ctrlKey || press.metaKey)) return false;
  return typesSign || shift === press.shiftKey;
}
