import { createRequire } from 'node:module';
import { createCanvas, GlobalFonts, type SKRSContext2D } from '@napi-rs/canvas';

/** Parts of the captions' typeface that ship, by script; letters of other scripts come from what the machine has. */
const scripts = [
  'latin',
  'latin-ext',
  'greek',
  'greek-ext',
  'cyrillic',
  'cyrillic-ext',
  'vietnamese',
  'devanagari',
];
const weight = 600;

let family: string | undefined;

/** The typeface's parts as a list of families, the first that has a letter draws it. */
function typeface(): string {
  if (family !== undefined) return family;
  const from = createRequire(import.meta.url);
  const names = scripts.flatMap((script) => {
    const name = `Mivvy captions ${script}`;
    const file = from.resolve(`@fontsource/noto-sans/files/noto-sans-${script}-${weight}-normal.woff2`);
    return GlobalFonts.registerFromPath(file, name) ? [`"${name}"`] : [];
  });
  family = [...names, 'sans-serif'].join(',');
  return family;
}

/** Sets a context's letters to the captions' at a size, pixels. */
export function setLetters(context: SKRSContext2D, size: number): void {
  context.font = `${weight} ${size}px ${typeface()}`;
}

let measuring: SKRSContext2D | undefined;

/** Width of a text in captions' letters, pixels. */
export function captionWidth(text: string, size: number): number {
  measuring ??= createCanvas(8, 8).getContext('2d');
  setLetters(measuring, size);
  return measuring.measureText(text).width;
}
