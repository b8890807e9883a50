import { fail, ok, type Result } from '../problem.ts';
import { countWords } from '../words.ts';

/** Words that are read or heard, and when: seconds from the film's first picture. */
export interface Cue {
  from: number;
  to: number;
  /** Lines of plain text. */
  lines: string[];
}

/** The formats that captions are read from and written to. */
export type CaptionFormat = 'srt' | 'vtt';

/** What was read from a caption file. */
export interface ReadCaptions {
  cues: Cue[];
  /** What was wrong in it and has been put right, in sentences. */
  words: string[];
}

/** A cue that ends before it starts is shown for so long, seconds: the shortest that is usual (common practice). */
const shortest = 5 / 6;

/** `-00:01:02,345`, `01:02.345`, with the faults that are met: a dot for a comma, blanks, fewer or more digits. */
const time = String.raw`(-?)\s*(?:(\d{1,3})\s*:\s*)?(\d{1,3})\s*:\s*(\d{1,2})(?:\s*[.,:]\s*(\d{1,6}))?`;
const timeLine = new RegExp(String.raw`^\s*${time}\s*-{1,3}\s*>\s*${time}(?:\s+.*)?$`);

function secondsOf(parts: readonly (string | undefined)[]): number {
  const [sign, hours = '0', minutes = '0', seconds = '0', fraction = '0'] = parts;
  const at = Number(hours) * 3600 + Number(minutes) * 60 + Number(seconds) + Number(`0.${fraction}`);
  return sign === '-' ? -at : at;
}

/** What stands for other letters in WebVTT (W3C WebVTT, cue text). */
const entities: Record<string, string> = {
  amp: '&',
  lt: '<',
  gt: '>',
  nbsp: '\u00a0',
  lrm: '\u200e',
  rlm: '\u200f',
};

/** Styles and positions as they are met in SubRip files. */
const subRipTag = /<\/?(?:i|b|u|s|font|c|v|ruby|rt|span|br|p|div)(?:[\s.][^<>]*)?\/?>|\{\\[^{}]*\}/gi;

/** A line of a cue's text without its marks. */
function plainLine(line: string, format: CaptionFormat): string {
  const bare =
    format === 'vtt'
      ? line
          .replace(/<[^<>]*>/g, '')
          .replace(/&(amp|lt|gt|nbsp|lrm|rlm);/g, (_, name: string) => entities[name]!)
          .replace(/&#(\d{1,7});/g, (whole, code: string) =>
            Number(code) > 0 && Number(code) < 0x110000 ? String.fromCodePoint(Number(code)) : whole,
          )
      : line.replace(subRipTag, '').replace(/\\h/g, '\u00a0');
  return bare.replace(/[^\P{Cc}\t]/gu, '').trim();
}

/** Counts of what was put right, said at the end in one sentence each. */
const repairs = {
  styles: (n: number) =>
    `Styles and positions of ${countWords(n, 'cue')} were left out: captions get a style of their own here.`,
  order: (n: number) =>
    `${countWords(n, 'cue')} stood out of order and ${n === 1 ? 'was' : 'were'} sorted in.`,
  negative: (n: number) =>
    `${countWords(n, 'cue')} began before the film and ${n === 1 ? 'begins' : 'begin'} with it now.`,
  before: (n: number) =>
    `${countWords(n, 'cue')} lay wholly before the film and ${n === 1 ? 'was' : 'were'} left out.`,
  backwards: (n: number) =>
    `${countWords(n, 'cue')} ended before ${n === 1 ? 'it' : 'they'} began; ${n === 1 ? 'it is' : 'they are'} shown for ${shortest.toFixed(2)} s now.`,
  empty: (n: number) => `${countWords(n, 'cue')} held no words and ${n === 1 ? 'was' : 'were'} left out.`,
  overlap: (n: number) =>
    `${countWords(n, 'cue')} reached into the next one and ${n === 1 ? 'ends' : 'end'} where that begins.`,
  together: (n: number) =>
    `${countWords(n, 'cue')} began together with another and ${n === 1 ? 'is' : 'are'} shown with it.`,
} satisfies Record<string, (n: number) => string>;
type Repair = keyof typeof repairs;

const isNumberLine = (line: string | undefined) => line !== undefined && /^\s*\d+\s*$/.test(line);

/** Splits a file into cues as they stand in it. Whatever is not between a time line and the next is passed over. */
function rawCues(rows: readonly string[], format: CaptionFormat): { cue: Cue; styled: boolean }[] {
  const found: { cue: Cue; styled: boolean }[] = [];
  const timesAt = rows.flatMap((row, i) => (timeLine.test(row) ? [i] : []));
  timesAt.forEach((at, n) => {
    const match = timeLine.exec(rows[at]!)!;
    const settings =
      rows[at]!.slice(rows[at]!.indexOf('>') + 1)
        .trim()
        .split(/\s+/).length > 1;
    let end = timesAt[n + 1] ?? rows.length;
    // The line above the next times is its number or its name, not this cue's words.
    if (n + 1 < timesAt.length) {
      if (isNumberLine(rows[end - 1]) && end - 1 > at) end--;
      else if (format === 'vtt' && end - 2 > at && rows[end - 1]!.trim() && !rows[end - 2]!.trim()) end--;
    }
    const text = rows.slice(at + 1, end);
    // A blank line ends a cue; one that stands inside a SubRip cue by mistake is closed up.
    const blank = text.findIndex((row) => !row.trim());
    const kept = format === 'vtt' && blank >= 0 ? text.slice(0, blank) : text;
    const lines = kept
      .flatMap((row) => row.split(/\\N|<br\s*\/?>/i))
      .map((row) => plainLine(row, format))
      .filter(Boolean);
    const marked = format === 'vtt' ? /<[^<>]*>/ : new RegExp(subRipTag.source, 'i');
    found.push({
      cue: { from: secondsOf(match.slice(1, 6)), to: secondsOf(match.slice(6, 11)), lines },
      styled: settings || kept.some((row) => marked.test(row)),
    });
  });
  return found;
}

/**
 * Reads captions: SubRip as commonly practised, or WebVTT (W3C). Small faults are repaired and said; a file without any
 * cue is refused. Cues come out in order, none before the film, none over another.
 */
export function readCaptions(text: string, fileName = 'The caption file'): Result<ReadCaptions> {
  const rows = text
    .replace(/^\uFEFF/, '')
    .replace(/\r\n?/g, '\n')
    .split('\n');
  const format: CaptionFormat = /^\s*WEBVTT/.test(rows[0] ?? '') ? 'vtt' : 'srt';
  const counts = new Map<Repair, number>();
  const count = (what: Repair) => counts.set(what, (counts.get(what) ?? 0) + 1);
  const raw = rawCues(rows, format);
  if (!raw.length)
    return fail(
      'no-captions',
      `${fileName} holds no captions.`,
      'Give a SubRip (.srt) or WebVTT (.vtt) file with at least one cue.',
    );
  const cues: Cue[] = [];
  for (const { cue, styled } of raw) {
    if (!cue.lines.length) {
      count('empty');
      continue;
    }
    if (styled) count('styles');
    if (cue.to <= cue.from) {
      count('backwards');
      cue.to = cue.from + shortest;
    }
    if (cue.to <= 0) {
      count('before');
      continue;
    }
    if (cue.from < 0) {
      count('negative');
      cue.from = 0;
    }
    if (cues.length && cue.from < cues.at(-1)!.from) count('order');
    cues.push(cue);
  }
  if (!cues.length)
    return fail(
      'no-captions',
      `${fileName} holds no captions: none of its cues has words.`,
      'Give one that has.',
    );
  cues.sort((a, b) => a.from - b.from);
  return ok({
    cues: apart(cues, count),
    words: [...counts].map(([what, n]) => `${fileName}: ${repairs[what](n)}`),
  });
}

/** Cues in order, none over another: what begins together is shown together, and what reaches into the next ends there. */
function apart(cues: readonly Cue[], count: (what: Repair) => void): Cue[] {
  const free: Cue[] = [];
  for (const cue of cues) {
    const last = free.at(-1);
    if (last && cue.from - last.from < 0.001) {
      count('together');
      last.lines = [...last.lines, ...cue.lines];
      last.to = Math.max(last.to, cue.to);
      continue;
    }
    if (last && last.to > cue.from) {
      // A thousandth is rounding, and no fault.
      if (last.to - cue.from > 0.0015) count('overlap');
      last.to = cue.from;
    }
    free.push({ ...cue, lines: [...cue.lines] });
  }
  return free;
}

/** A time as captions write it, to the thousandth of a second. */
function timeText(seconds: number, mark: ',' | '.'): string {
  const ms = Math.max(0, Math.round(seconds * 1000));
  const two = (n: number) => String(n).padStart(2, '0');
  const whole = Math.floor(ms / 1000);
  return `${two(Math.floor(whole / 3600))}:${two(Math.floor(whole / 60) % 60)}:${two(whole % 60)}${mark}${String(ms % 1000).padStart(3, '0')}`;
}

/** Writes SubRip: numbers from 1, a comma before the thousandths, lines ended by LF and cues by a blank line. */
export function writeSrt(cues: readonly Cue[]): string {
  return cues
    .map(
      ({ from, to, lines }, i) =>
        `${i + 1}\n${timeText(from, ',')} --> ${timeText(to, ',')}\n${lines.map((l) => l.replaceAll('-->', '→')).join('\n')}\n`,
    )
    .join('\n');
}

/** Writes WebVTT (W3C). */
export function writeVtt(cues: readonly Cue[]): string {
  const escaped = (line: string) =>
    line
      .replaceAll('&', '&amp;')
      .replaceAll('<', '&lt;')
      .replaceAll('>', '&gt;')
      .replaceAll('\u00a0', '&nbsp;')
      .replaceAll('\u200e', '&lrm;')
      .replaceAll('\u200f', '&rlm;');
  return [
    'WEBVTT\n',
    ...cues.map(
      ({ from, to, lines }) =>
        `${timeText(from, '.')} --> ${timeText(to, '.')}\n${lines.map(escaped).join('\n')}\n`,
    ),
  ].join('\n');
}

/** The text of the caption file that goes beside a film. */
export const sidecarText = (sidecar: { cues: readonly Cue[]; format: CaptionFormat }): string =>
  writeCaptions(sidecar.cues, sidecar.format);

/** Writes captions in a format. */
export const writeCaptions = (cues: readonly Cue[], format: CaptionFormat): string =>
  format === 'vtt' ? writeVtt(cues) : writeSrt(cues);
