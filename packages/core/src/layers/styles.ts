import type { WordStyle } from './layer.ts';

/** Styles that a production starts with. */
export const startStyles: readonly WordStyle[] = [
  {
    name: 'plain',
    face: { family: 'Archivo', weight: 800 },
    size: 0.07,
    colour: '#ffffff',
    plate: null,
    shadow: true,
    align: 'left',
  },
  {
    name: 'plate',
    face: { family: 'Archivo', weight: 600 },
    size: 0.05,
    colour: '#ffffff',
    plate: { colour: '#14181c', opacity: 0.78 },
    shadow: false,
    align: 'left',
  },
  {
    name: 'paper',
    face: { family: 'Noto Serif', weight: 600 },
    size: 0.055,
    colour: '#1d2226',
    plate: { colour: '#f7f3e8', opacity: 0.94 },
    shadow: false,
    align: 'left',
  },
  {
    name: 'large',
    face: { family: 'Archivo', weight: 800 },
    size: 0.12,
    colour: '#ffffff',
    plate: null,
    shadow: true,
    align: 'middle',
  },
];
