/**
 * Stands between a button in a sentence and the sign after it: without it a line may break there, and leave a full stop
 * alone on the next (CSS Text Level 3, 5.1: atomic inlines; a word joiner is of class WJ).
 */
export const joined = '\u2060';

const units = /(\d) (s|min|h|fps|px|frames?|shots?|kbit\/s|Mbit\/s|kHz|kB|MB|GB|dB|LUFS|dBTP|%)(?![\w/])/g;

/** A sentence whose numbers stay on one line with their units. */
export const unbroken = (sentence: string): string => sentence.replace(units, '$1\u00a0$2');
