import { placeAt, type Track, type TrackedBox } from './look.ts';

const { max, min } = Math;

/**
 * How far a head reaches beyond the box of its face, which the detector draws from the brows to the chin and from cheek to
 * cheek; shares of the box's sides. Measured by eye on 22 faces of photographs.
 */
const beyond = { above: 0.45, below: 0.15, beside: 0.2 };

/** The head of a face, with hair, chin and ears, as far as the picture shows it. */
export function headOf<Box extends Pick<TrackedBox, 'x' | 'y' | 'w' | 'h'>>(face: Box): Box {
  const left = max(0, face.x - beyond.beside * face.w);
  const top = max(0, face.y - beyond.above * face.h);
  return {
    ...face,
    x: left,
    y: top,
    w: min(1, face.x + (1 + beyond.beside) * face.w) - left,
    h: min(1, face.y + (1 + beyond.below) * face.h) - top,
  };
}

/** True for a face that is inside the person in most frames that show both. */
export function belongs(face: Track, person: Track): boolean {
  let [inside, both] = [0, 0];
  for (const p of face.places) {
    const q = placeAt(person, p.at);
    if (!q) continue;
    both++;
    const [x, y] = [p.x + p.w / 2, p.y + p.h / 2];
    if (x > q.x && x < q.x + q.w && y > q.y - q.h * 0.1 && y < q.y + q.h * 0.7) inside++;
  }
  return both > 0 && inside > both * 0.7;
}
