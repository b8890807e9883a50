import { readFile, stat } from 'node:fs/promises';
import { basename } from 'node:path';
import chardet from 'chardet';
import iconv from 'iconv-lite';
import { fail, readCaptions, type ReadCaptions, type Result } from '@mivvy/core';

/** A caption file of hours has a few hundred kilobytes; a larger one is something else. */
const mostBytes = 20_000_000;
/** Of older text with a letter for each byte, the one that is met most (common practice). */
const usualOfOneByte = 'windows-1252';

/** So many bytes at the start of a text are looked at to see how wide its letters are. */
const looked = 400;

/** Which of the encodings with two bytes for each letter a text has; null for none. */
function wideEncoding(bytes: Buffer): string | null {
  if (bytes[0] === 0xff && bytes[1] === 0xfe) return 'utf-16le';
  if (bytes[0] === 0xfe && bytes[1] === 0xff) return 'utf-16be';
  // Without a mark: of letters of the Latin script every other byte is nothing.
  const start = bytes.subarray(0, looked);
  const nothings = (odd: number) => start.filter((b, i) => i % 2 === odd && b === 0).length;
  if (nothings(1) > start.length / 4) return 'utf-16le';
  return nothings(0) > start.length / 4 ? 'utf-16be' : null;
}

/** The encoding of a text that is neither wide nor UTF-8, by how often its bytes come. */
function narrowEncoding(bytes: Buffer): string {
  const found = chardet.detect(bytes);
  return found && !/^(ISO-8859-1|UTF-|ASCII)/i.test(found) && iconv.encodingExists(found)
    ? found
    : usualOfOneByte;
}

/** A text's letters, and what its encoding was where that was not UTF-8. */
function decoded(bytes: Buffer): { text: string; encoding: string | null } {
  const wide = wideEncoding(bytes);
  if (wide) return { text: iconv.decode(bytes, wide), encoding: wide };
  try {
    return { text: new TextDecoder('utf-8', { fatal: true }).decode(bytes), encoding: null };
  } catch {
    const encoding = narrowEncoding(bytes);
    return { text: iconv.decode(bytes, encoding), encoding };
  }
}

/** Reads captions from a file's bytes, in any usual encoding. What was put right in it is said in `words`. */
export function readCaptionBytes(bytes: Buffer, name: string): Result<ReadCaptions> {
  if (bytes.length > mostBytes)
    return fail('no-captions', `${name} is too large to be a caption file.`, 'Give a SubRip or WebVTT file.');
  const { text, encoding } = decoded(bytes);
  const read = readCaptions(text, name);
  if (!read.ok || encoding === null) return read;
  return {
    ok: true,
    value: {
      ...read.value,
      words: [
        `${name}: its letters were read as ${encoding}; save it as UTF-8 to be sure.`,
        ...read.value.words,
      ],
    },
  };
}

/** Reads a caption file. */
export async function readCaptionFile(path: string): Promise<Result<ReadCaptions>> {
  const name = basename(path);
  const there = await stat(path).catch(() => null);
  if (!there?.isFile()) return fail('no-captions', `There is no caption file at ${path}.`, 'Check the path.');
  if (there.size > mostBytes)
    return fail('no-captions', `${name} is too large to be a caption file.`, 'Give a SubRip or WebVTT file.');
  return readCaptionBytes(await readFile(path), name);
}
