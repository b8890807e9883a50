import { createHash } from 'node:crypto';
import { fail, ok, type OwnFace, type Result } from '@mivvy/core';
import { nameOfTypeface } from '@mivvy/core/letters';

/** A typeface file at most, bytes: far more than any that is meant for titles. */
const mostBytes = 24_000_000;

/** First bytes of the files that are read: TrueType and OpenType outlines, as they are or packed for the web. */
const kinds = ['\x00\x01\x00\x00', 'OTTO', 'true', 'wOFF', 'wOF2'];
/** Several typefaces in one file. */
const collection = 'ttcf';

/** Reads a typeface that somebody brings in; one that no letters can be set in is refused with the reason. */
export function readTypeface(bytes: Uint8Array, fileName: string): Result<OwnFace> {
  const begins = Buffer.from(bytes.subarray(0, 4)).toString('latin1');
  if (begins === collection)
    return fail(
      'several-typefaces',
      `${fileName} holds several typefaces.`,
      'Bring in the one that is wanted, as a file of its own.',
    );
  if (!kinds.includes(begins))
    return fail(
      'no-typeface',
      `${fileName} is not a typeface.`,
      'Give a TrueType, OpenType, WOFF or WOFF2 file.',
    );
  if (bytes.length > mostBytes)
    return fail(
      'typeface-too-large',
      `${fileName} is larger than ${mostBytes / 1_000_000} MB.`,
      'Give a file with fewer letters.',
    );
  const name = nameOfTypeface(bytes);
  if (name === null)
    return fail(
      'broken-typeface',
      `${fileName} cannot be read as a typeface: it is damaged, or has no outlines.`,
      'Export it again from where it came.',
    );
  const own = createHash('sha256').update(bytes).digest('hex');
  return ok({ own, name: (name || fileName.replace(/\.[^.]*$/, '') || 'Typeface').slice(0, 120) });
}
