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

/** What a file says it is, and whether all of it is there. */
interface Statement {
  /** The major brand of an MP4 or MOV (ISO/IEC 14496-12), the document type of a WebM or Matroska (RFC 8794); null for others. */
  brand: string | null;
  whole: boolean;
}

/** The id of the document type in a file's first element (RFC 8794), and how far in it is looked for, bytes. */
const documentType = Buffer.from([0x42, 0x82]);
const headerBytes = 64;

/** Reads what a file states of itself at its start. */
export async function readStatement(path: string): Promise<Statement> {
  const file = await open(path, 'r');
  const header = Buffer.alloc(headerBytes);
  try {
    await file.read(header, 0, headerBytes, 0);
  } finally {
    await file.close();
  }
  const type = header.toString('latin1', 4, 8);
  if (type === 'ftyp')
    return { brand: header.toString('latin1', 8, 12), whole: (await readTopLevel(path)).whole };
  const at = header.indexOf(documentType);
  if (header.readUInt32BE(0) !== 0x1a45dfa3 || at < 0)
    // Old films of the second kind begin without a brand.
    return { brand: ['moov', 'mdat', 'wide', 'free'].includes(type) ? 'qt  ' : null, whole: true };
  const length = header[at + 2]! & 0x7f;
  return { brand: header.toString('latin1', at + 3, at + 3 + length), whole: true };
}
