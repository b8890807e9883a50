import type { Layer } from './layer.ts';

/** The id of the layer that says that a file is a draft. */
export const draftLayerId = 'draft-mark';

/** Says across the picture that a file is a draft, through all of it. */
export const draftLayer = (frames: number): Layer => ({
  id: draftLayerId,
  name: 'Draft',
  what: {
    kind: 'words',
    text: 'DRAFT',
    style: {
      name: 'draft',
      face: { family: 'Archivo', weight: 800 },
      size: 0.09,
      colour: '#ffffff',
      plate: { colour: '#14181c', opacity: 0.45 },
      shadow: false,
      align: 'middle',
    },
  },
  span: { from: 0, to: frames },
  fadeIn: 0,
  fadeOut: 0,
  place: { anchor: 'middle', across: 0, down: 0, width: 1 },
  otherwise: {},
});
