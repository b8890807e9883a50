import { keepAt, type Keep } from '../checks/keeps.ts';
import type { Dressing, Layer } from './layer.ts';
import { startStyles } from './styles.ts';

/** How a burned-in title is hidden in one version, and said again. */
export interface SaidAnew {
  /** Marks the title in the film. */
  keep: Keep;
  versionId: string;
  /** What it says; nothing is said where it is empty, and the title is only hidden. */
  text: string;
  /** Of the patch over it. */
  colour: string;
  /** For the layers, where there are none for this keep yet; 4 to 24 letters and digits. */
  id: string;
}

/** The layer that says it again goes with the patch. */
const wordsOf = (patchId: string): string => `${patchId}-says`;

/** The side of the clear area on which the words stand: that on which they stood in the film. */
function anchorOf(keep: Keep): Layer['place']['anchor'] {
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
export function sayAnew(dressing: Dressing, { keep, versionId, text, colour, id }: SaidAnew): Dressing {
  const known = dressing.layers.find(({ what }) => what.kind === 'patch' && what.keepId === keep.id);
  if (known) {
    const both = [known.id, wordsOf(known.id)];
    return {
      ...dressing,
      layers: dressing.layers.map((layer) => (both.includes(layer.id) ? alsoIn(layer, versionId) : layer)),
    };
  }
  const common = { span: keep.span, fadeIn: 0, fadeOut: 0, only: [versionId], otherwise: {} };
  const place: Layer['place'] = { anchor: anchorOf(keep), across: 0, down: 0, width: 0.9 };
  const patch: Layer = {
    id,
    name: `Over ${keep.name}`.slice(0, 60),
    what: { kind: 'patch', keepId: keep.id, colour },
    place,
    ...common,
  };
  const words: Layer = {
    id: wordsOf(id),
    name: keep.name,
    what: { kind: 'words', text, style: startStyles[1]! },
    place,
    ...common,
  };
  return {
    ...dressing,
    layers: [...(text.trim() ? [words] : []), ...dressing.layers, patch],
  };
}
