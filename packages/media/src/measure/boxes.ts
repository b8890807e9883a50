import { open } from 'node:fs/promises';

/** The top-level boxes of an ISO base media file (ISO/IEC 14496-12). */
interface TopLevel {
  /** Their types, in order, up to the first header that makes no sense. */
  types: string[];
  /** Every box lies in the file whole. */
  whole: boolean;
}

/** Reads the headers of a file's top-level boxes, and nothing else. */
export async function readTopLevel(path: string): Promise<TopLevel> {
  const file = await open(path, 'r');
  try {
    const { size } = await file.stat();
    const header = Buffer.alloc(16);
    const types: string[] = [];
    let at = 0;
    while (at + 8 <= size) {
      await file.read(header, 0, 16, at);
      let length = header.readUInt32BE(0);
      const type = header.toString('latin1', 4, 8);
      if (length === 1) length = Number(header.readBigUInt64BE(8)); // a 64-bit length follows
      if (length === 0) length = size - at; // up to the end of the file
      if (length < 8 || !/^[\x20-\x7e]{4}$/.test(type)) break;
      types.push(type);
      at += length;
    }
    return { types, whole: at === size };
  } finally {
    await file.close();
  }
}

/** The types of a file's top-level boxes, in order. */
export const topLevelBoxes = async (path: string): Promise<string[]> => (await readTopLevel(path)).types;

/** True when a player finds the index before the pictures; null for files without either box. */
export function moovComesFirst(types: readonly string[]): boolean | null {
  const moov = types.indexOf('moov');
  const mdat = types.indexOf('mdat');
  return moov < 0 || mdat < 0 ? null : moov < mdat;
}
