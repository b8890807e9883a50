import * as z from 'zod';

/** Every line that a check report can have, by its id, with its name; ids are the same in every report, answer and file. */
export const checkLineNames = {
  'frame-size': 'Frame size',
  pixels: 'Pixels',
  length: 'Length',
  'frame-rate': 'Frame rate',
  codec: 'Codec',
  profile: 'Profile',
  level: 'Level',
  colour: 'Colour',
  keyframes: 'Keyframes',
  'bitrate-average': 'Bitrate, average',
  'bitrate-ceiling': 'Bitrate, ceiling',
  'file-size': 'File size',
  faststart: 'Starts before it is all loaded',
  sound: 'Sound',
  'sound-length': 'Sound, length',
  'sound-heard': 'Sound, heard',
  loudness: 'Loudness',
  'true-peak': 'True peak',
} as const;
export type CheckLineId = keyof typeof checkLineNames;

/** One line of a check report: what was wanted beside what was measured. */
export const checkLineSchema = z.object({
  /** A {@link CheckLineId}, or one of another release. */
  id: z.string(),
  name: z.string(),
  expected: z.string(),
  measured: z.string(),
  ok: z.boolean(),
});
export type CheckLine = z.infer<typeof checkLineSchema>;

/** A line of a report. */
export function checkLine(id: CheckLineId, expected: string, measured: string, ok: boolean): CheckLine {
  return { id, name: checkLineNames[id], expected, measured, ok };
}

/** The id of a line that was written before lines had one; its name where no line is called so any more. */
export function lineIdOf(name: string): string {
  return Object.entries(checkLineNames).find(([, called]) => called === name)?.[0] ?? name;
}
