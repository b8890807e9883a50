import type { SubjectKind } from './tracks.ts';

const { atan2, hypot } = Math;

/** Hues of the two colour differences, degrees from the blue axis towards red, and what they are called. */
const hues: readonly [number, string][] = [
  [-20, 'blue'],
  [40, 'violet'],
  [75, 'pink'],
  [102, 'red'],
  [128, 'orange'],
  [160, 'yellow'],
  [205, 'green'],
  [262, 'green'],
  [272, 'teal'],
  [312, 'blue'],
];

/** A plain word for a colour of luma and two colour differences. Common names; the bounds are ours. */
export function colourWord([luma, u, v]: readonly number[]): string {
  const [cb, cr] = [u! - 128, v! - 128];
  if (hypot(cb, cr) < 13) return luma! > 175 ? 'white' : luma! > 120 ? 'pale' : luma! > 60 ? 'grey' : 'dark';
  const angle = ((atan2(cr, cb) * 180) / Math.PI + 360) % 360;
  let word = 'blue';
  for (const [from, name] of hues) if (angle >= from) word = name;
  return word === 'orange' && luma! < 95 ? 'brown' : word;
}

/** What a subject is called while nobody has given it a name. */
export function plainName(kind: SubjectKind, what: string, colour: readonly number[]): string {
  switch (kind) {
    case 'person':
      return 'person';
    case 'face':
      return 'face';
    case 'drawn':
      return 'your choice';
    case 'animal':
    case 'vehicle':
      return what || kind;
    case 'thing':
    case 'mover':
      return `${colourWord(colour)} ${what || 'thing'}`;
  }
}

const ordinal = (n: number) =>
  `${n}${n % 10 === 1 && n !== 11 ? 'st' : n % 10 === 2 && n !== 12 ? 'nd' : n % 10 === 3 && n !== 13 ? 'rd' : 'th'}`;

/** One of two alike that is so many times as large as the other is told by that: it is seen at once. */
const farLarger = 3;

/** Large or small beside another of its name; undefined where that does not tell them apart, or is not said of it. */
function sizeWord(of: Named, other: Named): string | undefined {
  if (of.name === 'person' || of.name === 'face') return undefined;
  if (of.area >= farLarger * other.area) return 'large';
  return other.area >= farLarger * of.area ? 'small' : undefined;
}

/** A subject to be told from others. */
interface Named {
  name: string;
  /** Its left edge and its size in the picture, shares of it. */
  x: number;
  area: number;
}

/** Names that are told apart: of two alike by their sizes where these differ much, else from left to right. */
export function tellApart(named: readonly Named[]): string[] {
  return named.map((one) => {
    const { name, x } = one;
    const alike = named.filter((n) => n.name === name).sort((a, b) => a.x - b.x);
    if (alike.length === 1) return name;
    const size =
      alike.length === 2 &&
      sizeWord(
        one,
        alike.find((n) => n !== one)!,
      );
    if (size) return `${size} ${name}`;
    const place = alike.findIndex((n) => n.x === x);
    if (alike.length === 2) return `${name} at ${place === 0 ? 'left' : 'right'}`;
    if (alike.length === 3) return `${name} ${['at left', 'in the middle', 'at right'][place]}`;
    return `${place === 0 ? 'leftmost' : place === alike.length - 1 ? 'rightmost' : ordinal(place + 1)} ${name}${place === 0 || place === alike.length - 1 ? '' : ' from left'}`;
  });
}
