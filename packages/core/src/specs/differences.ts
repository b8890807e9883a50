import type { Placement } from './schema.ts';

/** One number or word of a placement that is not what it was. */
export interface PlacementDifference {
  /** Where it stands in the file, e.g. `video.rate.maxKbps`. */
  path: string;
  /** The field in words, e.g. “highest bitrate”. */
  field: string;
  /** As it was and as it is, with units; null where it says nothing. */
  before: string | null;
  after: string | null;
}

type Show = (value: unknown) => string;
interface Field {
  name: string;
  show: Show;
}

const plain: Show = (value) => String(value);
const unit =
  (word: string): Show =>
  (value) =>
    `${String(value)} ${word}`;
const percent: Show = (value) => `${Number((Number(value) * 100).toFixed(2))} %`;
const yesNo: Show = (value) => (value ? 'yes' : 'no');

/** What the fields of a placement are called, in the order in which differences are listed. */
const fields: Record<string, Field> = {
  name: { name: 'name', show: plain },
  source: { name: 'source', show: plain },
  'frame.width': { name: 'frame width', show: unit('px') },
  'frame.height': { name: 'frame height', show: unit('px') },
  'largerFrame.width': { name: 'larger frame, width', show: unit('px') },
  'largerFrame.height': { name: 'larger frame, height', show: unit('px') },
  'minFrame.width': { name: 'smallest master, width', show: unit('px') },
  'minFrame.height': { name: 'smallest master, height', show: unit('px') },
  'maxFrame.width': { name: 'largest master, width', show: unit('px') },
  'maxFrame.height': { name: 'largest master, height', show: unit('px') },
  'duration.minSeconds': { name: 'shortest length', show: unit('s') },
  'duration.maxSeconds': { name: 'longest length', show: unit('s') },
  'frameRate.max': { name: 'highest frame rate', show: unit('/ s') },
  'frameRate.allowed': {
    name: 'frame rates',
    show: (value) => (Array.isArray(value) ? value.join(', ') : String(value)),
  },
  container: { name: 'container', show: plain },
  cover: { name: 'cover still', show: (value) => (value ? 'one' : 'none') },
  'cover.width': { name: 'cover, width', show: unit('px') },
  'cover.height': { name: 'cover, height', show: unit('px') },
  'cover.format': { name: 'cover’s format', show: plain },
  maxBytes: { name: 'largest file', show: unit('bytes') },
  'video.codec': { name: 'codec', show: plain },
  'video.rate.mode': { name: 'way of encoding', show: plain },
  'video.rate.targetKbps': { name: 'target bitrate', show: unit('kbit/s') },
  'video.rate.maxKbps': { name: 'highest bitrate', show: unit('kbit/s') },
  'video.rate.crf': { name: 'quality', show: plain },
  'video.keyframeSeconds': { name: 'longest way between keyframes', show: unit('s') },
  'video.profile': { name: 'profile', show: plain },
  'video.maxLevel': { name: 'highest level', show: plain },
  'video.bFrames': { name: 'B-frames in a row', show: plain },
  'video.closedGop': { name: 'closed groups of pictures', show: yesNo },
  audio: { name: 'sound', show: (value) => (value === null ? 'none' : 'some') },
  'audio.codec': { name: 'sound’s codec', show: plain },
  'audio.kbps': { name: 'sound’s bitrate', show: unit('kbit/s') },
  'audio.sampleRate': { name: 'sound’s sample rate', show: unit('Hz') },
  'audio.channels': { name: 'sound’s channels', show: plain },
  'audio.required': { name: 'sound is required', show: yesNo },
  'audio.loudness.integratedLufs': { name: 'loudness', show: unit('LUFS') },
  'audio.loudness.truePeakDbtp': { name: 'true peak', show: unit('dBTP') },
  'safeMargin.top': { name: 'margin at the top', show: percent },
  'safeMargin.right': { name: 'margin at the right', show: percent },
  'safeMargin.bottom': { name: 'margin at the bottom', show: percent },
  'safeMargin.left': { name: 'margin at the left', show: percent },
  captions: { name: 'captions', show: plain },
  captionFormat: { name: 'caption file', show: plain },
  captionLanguage: { name: 'captions’ language', show: plain },
  fileNames: { name: 'file names', show: plain },
};
const order = Object.keys(fields);

/** What is not a rule: who it is, and when it was looked at. */
const apart = new Set(['id', 'verifiedOn']);

const isRecord = (value: unknown): value is Record<string, unknown> =>
  typeof value === 'object' && value !== null && !Array.isArray(value);

/** Every value of a placement by its path; blocked areas by their names. */
function leaves(placement: Placement): Map<string, unknown> {
  const found = new Map<string, unknown>();
  const walk = (value: unknown, path: string) => {
    if (value === undefined) return;
    if (path === 'blocked' && Array.isArray(value)) {
      const seen = new Map<string, number>();
      for (const area of value as NonNullable<Placement['blocked']>) {
        const nth = (seen.get(area.name) ?? 0) + 1;
        seen.set(area.name, nth);
        found.set(`blocked.${area.name}${nth > 1 ? ` ${nth}` : ''}`, area);
      }
    } else if (isRecord(value)) {
      for (const [key, inner] of Object.entries(value)) walk(inner, path ? `${path}.${key}` : key);
      // Where sound comes or goes, that alone is said first.
      if (path === 'audio') found.set('audio', 'some');
    } else found.set(path, value);
  };
  for (const [key, value] of Object.entries(placement)) if (!apart.has(key)) walk(value, key);
  return found;
}

function areaText(area: unknown): string {
  const { x, y, width, height } = area as { x: number; y: number; width: number; height: number };
  return `${percent(width)} × ${percent(height)} at ${percent(x)}, ${percent(y)}`;
}

function fieldOf(path: string): Field {
  const known = fields[path];
  if (known) return known;
  if (path.startsWith('blocked.'))
    return { name: `blocked area “${path.slice('blocked.'.length)}”`, show: areaText };
  return { name: path, show: (value) => JSON.stringify(value) };
}

/** What of one placement is different in another, line by line; empty where all rules are the same. */
export function placementDifferences(before: Placement, after: Placement): PlacementDifference[] {
  const [old, now] = [leaves(before), leaves(after)];
  const place = (path: string) => {
    const at = order.indexOf(path);
    return at < 0 ? order.length : at;
  };
  return [...new Set([...old.keys(), ...now.keys()])]
    .filter((path) => JSON.stringify(old.get(path)) !== JSON.stringify(now.get(path)))
    .sort((a, b) => place(a) - place(b))
    .map((path) => {
      const { name, show } = fieldOf(path);
      const text = (values: Map<string, unknown>) => (values.has(path) ? show(values.get(path)) : null);
      return { path, field: name, before: text(old), after: text(now) };
    });
}

/** A difference as a sentence's part: “highest bitrate 4000 kbit/s → 5000 kbit/s”. */
export function differenceWords({ field, before, after }: PlacementDifference): string {
  if (before === null) return `${field} ${after}, not said before`;
  return after === null ? `${field} no longer said (was ${before})` : `${field} ${before} → ${after}`;
}
