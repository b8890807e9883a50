import * as z from 'zod';
import { frameSpanSchema, type FrameSpan } from '../time/span.ts';

/** A line of the check report: what it is called, and what to do when it is not as wanted. */
interface LineKind {
  name: string;
  mend: string;
}

const again = 'Export it again.';
const editor = 'Save it again with the setting that is wanted, or export it here.';

/** Every line that a check report can have, by its id; ids are the same in every report, answer and file. */
export const checkLineKinds = {
  'master-size': { name: 'Master’s size', mend: 'Bring in a master of a size that is taken here.' },
  'frame-size': { name: 'Frame size', mend: editor },
  pixels: { name: 'Pixels', mend: 'Save it with square pixels, standing upright.' },
  length: { name: 'Length', mend: 'Export it again from the whole cut, or shorten the cut.' },
  'frame-rate': { name: 'Frame rate', mend: 'Save it at one steady rate that is taken here.' },
  codec: { name: 'Codec', mend: editor },
  profile: { name: 'Profile', mend: editor },
  level: {
    name: 'Level',
    mend: 'Save it with the level that its size, rate and bitrate need, and no other.',
  },
  colour: { name: 'Colour', mend: 'Save it in BT.709, 8 bit, and let the file say so.' },
  keyframes: { name: 'Keyframes', mend: 'Save it with keyframes no further apart.' },
  'b-frames': { name: 'B-frames', mend: editor },
  gop: { name: 'Groups of pictures', mend: 'Save it with closed groups of pictures.' },
  'bitrate-average': { name: 'Bitrate, average', mend: 'Lower the target and export it again.' },
  'bitrate-ceiling': {
    name: 'Bitrate, ceiling',
    mend: 'Export it again with the ceiling and a buffer of a second.',
  },
  'file-size': { name: 'File size', mend: 'Shorten the film or lower the bitrate.' },
  faststart: {
    name: 'Starts before it is all loaded',
    mend: 'Write the file again with its tables in front; the picture need not be made anew.',
  },
  container: { name: 'Container', mend: 'Save it in the container that is wanted, and copy it whole.' },
  sound: {
    name: 'Sound',
    mend: 'Look for the sound in the master and in the export’s settings, then export again.',
  },
  'sound-length': { name: 'Sound, length', mend: 'Let the sound run from the first picture to the last.' },
  /** Earlier releases had a line of its own for it; now the sound's own line says it. */
  'sound-heard': { name: 'Sound, heard', mend: again },
  loudness: { name: 'Loudness', mend: 'Bring it to the loudness that is wanted and export again.' },
  'true-peak': { name: 'True peak', mend: 'Limit its peaks, or make it quieter.' },
  sync: { name: 'Sound in step', mend: 'Move the sound by as much, or export it again from the master.' },
  'sound-alike': {
    name: 'Sound, as in the master',
    mend: 'Listen to it there; where the master is heard as it should be, export it again.',
  },
  black: { name: 'Black', mend: 'Look at these frames; where the master shows a picture, export again.' },
  frozen: { name: 'Standing still', mend: 'Look at these frames; where the master moves, export again.' },
  repeated: { name: 'Repeated frames', mend: again },
  missing: { name: 'Missing frames', mend: again },
  bars: { name: 'Bars', mend: 'Frame it so that the picture fills the frame, or ask for bars.' },
  picture: { name: 'Picture', mend: 'See whether it is this film and this cut; if it is, export it again.' },
  overlay: {
    name: 'Over the picture',
    mend: 'See what lies there; where it is not meant to, export it again from the master.',
  },
  crop: { name: 'Window', mend: 'Export it again from its framing.' },
  captions: { name: 'Captions', mend: 'Export it again with its captions.' },
  cover: { name: 'Cover', mend: 'Export it again with its cover.' },
} as const satisfies Record<string, LineKind>;
export type CheckLineId = keyof typeof checkLineKinds;

/** One line of a check report: what was wanted beside what was measured. */
export const checkLineSchema = z.object({
  /** A {@link CheckLineId}, or one of another release. */
  id: z.string(),
  name: z.string(),
  expected: z.string(),
  measured: z.string(),
  ok: z.boolean(),
  /** Where in the checked file it is not as wanted, frames. */
  spans: z.array(frameSpanSchema).optional(),
  /** What to do about it. */
  mend: z.string().optional(),
});
export type CheckLine = z.infer<typeof checkLineSchema>;

/** A line of a report; `spans` say where it fails. */
export function checkLine(
  id: CheckLineId,
  expected: string,
  measured: string,
  ok: boolean,
  spans: readonly FrameSpan[] = [],
): CheckLine {
  const { name, mend } = checkLineKinds[id];
  return {
    id,
    name,
    expected,
    measured,
    ok,
    ...(ok ? {} : { ...(spans.length ? { spans: [...spans] } : {}), mend }),
  };
}

/** The id of a line that was written before lines had one; its name where no line is called so any more. */
export function lineIdOf(name: string): string {
  return Object.entries(checkLineKinds).find(([, kind]) => kind.name === name)?.[0] ?? name;
}
