import { letterWeights, type ShippedFace } from './face.ts';

/** A file of letters that ships: as its package in the registry names it. */
export interface FontFile {
  /** What it is asked for by, at the server. */
  name: string;
  package: string;
  family: ShippedFace['family'] | 'any';
  weight: number | 'any';
}

/** Families that can be chosen, by package, with the scripts that come with each. */
const chosen: readonly { package: string; family: ShippedFace['family']; scripts: readonly string[] }[] = [
  {
    package: 'noto-sans',
    family: 'Noto Sans',
    scripts: [
      'latin',
      'latin-ext',
      'greek',
      'greek-ext',
      'cyrillic',
      'cyrillic-ext',
      'vietnamese',
      'devanagari',
    ],
  },
  { package: 'archivo', family: 'Archivo', scripts: ['latin', 'latin-ext', 'vietnamese'] },
  {
    package: 'noto-serif',
    family: 'Noto Serif',
    scripts: ['latin', 'latin-ext', 'greek', 'cyrillic', 'vietnamese'],
  },
];

/** Scripts that no chosen family has; whichever is asked for, these are taken for their letters. */
const further: readonly { package: string; scripts: readonly string[] }[] = [
  { package: 'noto-sans-hebrew', scripts: ['hebrew'] },
  { package: 'noto-sans-arabic', scripts: ['arabic'] },
];

const fileOf = (from: string, script: string, weight: number) => ({
  package: `@fontsource/${from}`,
  name: `${from}-${script}-${weight}-normal.woff2`,
});

/** Every file of letters that ships, the first that has a letter draws it. */
export const fontFiles: readonly FontFile[] = [
  ...chosen.flatMap(({ package: from, family, scripts }) =>
    letterWeights.flatMap((weight) =>
      scripts.map((script) => ({ ...fileOf(from, script, weight), family, weight })),
    ),
  ),
  ...further.flatMap(({ package: from, scripts }) =>
    letterWeights.flatMap((weight) =>
      scripts.map((script) => ({ ...fileOf(from, script, weight), family: 'any' as const, weight })),
    ),
  ),
  { ...fileOf('noto-emoji', 'emoji', 600), family: 'any', weight: 'any' },
];
