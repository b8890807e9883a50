import type { FrameFraction, Margins } from './geometry.ts';

/** A published safe area, usable wherever a placement states none. */
export interface PublishedMargin {
  id: 'ebu-r95-action' | 'ebu-r95-graphics' | 'smpte-2046-action' | 'smpte-2046-title';
  name: string;
  source: string;
  margins: Margins;
}

const even = (fraction: number): Margins => ({
  top: fraction,
  right: fraction,
  bottom: fraction,
  left: fraction,
});

/** Published safe areas (values from memory of the named documents). */
export const publishedMargins: readonly PublishedMargin[] = [
  { id: 'ebu-r95-action', name: 'EBU action', source: 'EBU R 95, 16:9 (from memory)', margins: even(0.035) },
  {
    id: 'ebu-r95-graphics',
    name: 'EBU graphics',
    source: 'EBU R 95, 16:9 (from memory)',
    margins: even(0.05),
  },
  {
    id: 'smpte-2046-action',
    name: 'SMPTE action',
    source: 'SMPTE ST 2046-1 (from memory)',
    margins: even(0.035),
  },
  {
    id: 'smpte-2046-title',
    name: 'SMPTE title',
    source: 'SMPTE ST 2046-1 (from memory)',
    margins: even(0.05),
  },
];

/** The rectangle inside the margins, in fractions of the frame. */
export function insideMargins(margins: Margins): FrameFraction {
  return {
    x: margins.left,
    y: margins.top,
    width: 1 - margins.left - margins.right,
    height: 1 - margins.top - margins.bottom,
  };
}
