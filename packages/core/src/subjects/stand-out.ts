import type { Size } from '../picture/geometry.ts';
import { partsOf, type Part } from './ground.ts';
import { sharedArea, type LookBox, type LookPicture } from './picture.ts';
import { saliencyOf } from './salient.ts';

const { hypot, sqrt } = Math;

/** From this on a pixel catches the eye; what belongs to it catches it less, and still does. */
const standsOutFrom = 120;
const belongsFrom = 72;

/** So large, and so wide, what stands out is no single thing but the scenery. */
const isNoScenery = (p: LookBox, size: Size): boolean =>
  p.width * p.height < size.width * size.height * 0.3 && p.width < size.width * 0.6;

/**
 * What stands out is seldom the whole of a thing: of a creature's fur it is the reddest patch. Each part is given the
 * box of the fainter part that it lies in, as long as that is no scenery.
 */
function wholeParts(map: Uint8Array, picture: LookPicture, size: Size): (part: Part) => Part {
  const faint = partsOf(map, belongsFrom, size, picture, size.width * size.height * 0.0012, 1).filter((p) =>
    isNoScenery(p, size),
  );
  return (part) => {
    const around = faint.find((f) => sharedArea(f, part) > 0.9 * part.width * part.height);
    return around ? { ...part, x: around.x, y: around.y, width: around.width, height: around.height } : part;
  };
}

/** Places of a picture that catch the eye by colour and contrast, the most striking first; each as whole as it can be told. */
export function standingOut(picture: LookPicture, size: Size): Part[] {
  const map = saliencyOf(picture, size);
  const whole = wholeParts(map, picture, size);
  const weight = (p: Part) => {
    const off = hypot((p.x + p.width / 2) / size.width - 0.5, (p.y + p.height / 2) / size.height - 0.5);
    return p.strength * sqrt(sqrt(p.area)) * (1.15 - off);
  };
  return partsOf(map, standsOutFrom, size, picture, size.width * size.height * 0.0012, 1)
    .map(whole)
    .filter((p) => isNoScenery(p, size))
    .sort((a, b) => weight(b) - weight(a));
}
