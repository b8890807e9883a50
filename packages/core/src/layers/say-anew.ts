import { keepAt, type Keep } from '../checks/keeps.ts';
import type { Dressing, Layer } from './layer.ts';
import { startStyles } from './styles.ts';

/** A burned-in title, drawn as a keep or seen. */
export type BurnedIn = Pick<Keep, 'id' | 'name' | 'span' | 'keys'>;

/** How a burned-in title is said again in one version. */
export interface SaidAgain {
  /** Marks the title in the film. */
  keep: BurnedIn;
  versionId: string;
  /** What it says; nothing is said where it is empty. */
  text: string;
  /** For the layers, where there are none for this keep yet; 4 to 24 letters and digits. */
  id: string;
}

/** How it is hidden besides. */
export interface SaidAnew extends SaidAgain {
  /** Of the patch over it. */
  colour: string;
  /** The patch shows the film's own soft picture in place of the colour. */
  soft: boolean;
}

/** The layer that says it again goes with the patch. */
const wordsOf = (patchId: string): string => `${patchId}-says`;

/** The side of the clear area on which the words stand: that on which they stood in the film. */
function anchorOf(keep: BurnedIn): Layer['place']['anchor'] {
  const box = keepAt(keep, keep.span.from);
  const [x, y] = [box.x + box.width / 2, box.y + box.height / 2];
  const down = y < 1 / 3 ? 'top' : y > 2 / 3 ? 'bottom' : '';
  const across = x < 1 / 3 ? 'left' : x > 2 / 3 ? 'right' : '';
  return ([down, across].filter(Boolean).join(' ') || 'middle') as Layer['place']['anchor'];
}

/** The same layer in one version more. */
const alsoIn = (layer: Layer, versionId: string): Layer => {
  const { [versionId]: _own, ...otherwise } = layer.otherwise;
  return layer.only
    ? { ...layer, only: [...new Set([...layer.only, versionId])], otherwise }
    : { ...layer, otherwise };
};

/**
 * Hides a burned-in title of a film under a patch in one version, and says the same as a layer in its clear area. Where
 * that was done in another version already, this one shows the same layers.
 */
export function sayAnew(dressing: Dressing, { keep, versionId, text, colour, soft, id }: SaidAnew): Dressing {
  const known = dressing.layers.find(({ what }) => what.kind === 'patch' && what.keepId === keep.id);
  if (known) {
    const both = [known.id, wordsOf(known.id)];
    return {
      ...dressing,
      layers: dressing.layers.map((layer) => (both.includes(layer.id) ? alsoIn(layer, versionId) : layer)),
    };
  }
  const patch: Layer = {
    ...layerFor(keep, versionId),
    id,
    name: `Over ${keep.name}`.slice(0, 60),
    what: { kind: 'patch', keepId: keep.id, colour, ...(soft ? { soft } : {}) },
  };
  return {
    ...dressing,
    layers: [...wordsFor({ keep, versionId, text, id }), ...dressing.layers, patch],
  };
}

/** A layer of one version, on the side of its clear area on which a title stood in the film, for as long as that did. */
const layerFor = (keep: BurnedIn, versionId: string): Omit<Layer, 'id' | 'name' | 'what'> => ({
  place: { anchor: anchorOf(keep), across: 0, down: 0, width: 0.9 },
  span: keep.span,
  fadeIn: 0,
  fadeOut: 0,
  only: [versionId],
  otherwise: {},
});

const wordsFor = ({ keep, versionId, text, id }: SaidAgain): Layer[] =>
  text.trim()
    ? [
        {
          ...layerFor(keep, versionId),
          id: wordsOf(id),
          name: keep.name,
          what: { kind: 'words', text, style: startStyles[1]! },
        },
      ]
    : [];

/** The words that were said again for a title in some version, whether under a patch or over a textless master. */
export const saidAgain = (dressing: Dressing, { name, span }: BurnedIn): Layer | undefined =>
  dressing.layers.find(
    (layer) =>
      layer.id === wordsOf(layer.id.replace(/-says$/, '')) &&
      layer.name === name &&
      layer.span.from === span.from &&
      layer.span.to === span.to,
  );

/**
 * Says a burned-in title again as a layer in one version's clear area, where the film that it is drawn from does not
 * have it. Where that was done in another version already, this one shows the same words.
 */
export function sayAgain(dressing: Dressing, said: SaidAgain): Dressing {
  const known = saidAgain(dressing, said.keep);
  return {
    ...dressing,
    layers: known
      ? dressing.layers.map((layer) => (layer === known ? alsoIn(layer, said.versionId) : layer))
      : [...wordsFor(said), ...dressing.layers],
  };
}
