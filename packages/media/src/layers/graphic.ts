import { createHash } from 'node:crypto';
import { createCanvas, loadImage, type Image } from '@napi-rs/canvas';
import { fail, ok, type Result } from '@mivvy/core';

/** A picture as it is kept: PNG, whatever it was. */
export interface Graphic {
  sha256: string;
  width: number;
  height: number;
  bytes: Buffer;
}

/** A side of a picture at most, as it comes and as it is kept; pixels. */
const mostSide = 16_000;
const keptSide = 4096;
/** Drawings of lines alone are kept so large: sharp in any frame. */
const drawingSide = 2048;
const mostBytes = 60_000_000;

const kinds: readonly { kind: 'png' | 'webp' | 'jpeg' | 'svg'; is: (bytes: Buffer) => boolean }[] = [
  { kind: 'png', is: (b) => b.subarray(0, 8).equals(Buffer.from([137, 80, 78, 71, 13, 10, 26, 10])) },
  {
    kind: 'webp',
    is: (b) => b.toString('latin1', 0, 4) === 'RIFF' && b.toString('latin1', 8, 12) === 'WEBP',
  },
  { kind: 'jpeg', is: (b) => b[0] === 0xff && b[1] === 0xd8 },
  { kind: 'svg', is: (b) => /<svg[\s>]/i.test(b.toString('utf8', 0, 4096)) },
];

/** Whether a file is a picture of a kind that is taken, by its first bytes. */
export const isPicture = (bytes: Buffer): boolean => kinds.some(({ is }) => is(bytes));

/** What of an SVG reaches outside it or runs: none of it is drawn here, and a picture that needs it is refused. */
const unsafe: readonly { what: string; is: RegExp }[] = [
  { what: 'a script', is: /<script[\s>]|\son\w+\s*=|javascript:/i },
  { what: 'a link to something outside it', is: /(?:href|src)\s*=\s*["']\s*(?!#|data:image\/)[^"'\s]/i },
  { what: 'a link to something outside it', is: /url\(\s*["']?\s*(?!#|data:image\/)[^)"'\s]|@import/i },
  { what: 'a page of another kind', is: /<foreignObject[\s>]|<!ENTITY/i },
];

/** The size that a picture's header states, where it can be read without opening the picture. */
function statedSize(bytes: Buffer, kind: string): { width: number; height: number } | null {
  if (kind === 'png' && bytes.length > 24)
    return { width: bytes.readUInt32BE(16), height: bytes.readUInt32BE(20) };
  return null;
}

/** Takes a picture in: PNG, WebP, JPEG or SVG, as a PNG that is drawn from then on. Nothing in it is run or fetched. */
export async function takeGraphic(bytes: Buffer, name: string): Promise<Result<Graphic>> {
  const refuse = (sentence: string, mend: string) => fail('bad-picture', sentence, mend);
  const found = kinds.find(({ is }) => is(bytes))?.kind;
  if (!found) return refuse(`${name} is no picture that can be used.`, 'Give a PNG, WebP, JPEG or SVG file.');
  if (bytes.length > mostBytes) return refuse(`${name} is larger than 60 MB.`, 'Save it smaller.');
  if (found === 'svg') {
    const text = bytes.toString('utf8');
    const fault = unsafe.find(({ is }) =>
      is.test(text.replace(/\sxmlns(:\w+)?\s*=\s*("[^"]*"|'[^']*')/g, '')),
    );
    if (fault)
      return refuse(`${name} holds ${fault.what}.`, 'Save it with everything inside it and without.');
  }
  const stated = statedSize(bytes, found);
  const tooLarge = (size: { width: number; height: number }) =>
    refuse(
      `${name} is ${size.width} × ${size.height}; a side may have ${mostSide.toLocaleString('en')} pixels at most.`,
      'Save it smaller.',
    );
  if (stated && Math.max(stated.width, stated.height) > mostSide) return tooLarge(stated);
  let image: Image;
  try {
    image = await loadImage(bytes);
  } catch {
    return refuse(`${name} cannot be opened.`, 'Save it again.');
  }
  const { width, height } = image;
  if (!width || !height) return refuse(`${name} has no size.`, 'Give it a width and a height.');
  if (Math.max(width, height) > mostSide) return tooLarge(image);
  const longest = Math.max(width, height);
  const k = found === 'svg' ? drawingSide / longest : Math.min(1, keptSide / longest);
  const size = { width: Math.max(1, Math.round(width * k)), height: Math.max(1, Math.round(height * k)) };
  const canvas = createCanvas(size.width, size.height);
  const pen = canvas.getContext('2d');
  pen.imageSmoothingQuality = 'high';
  pen.drawImage(image, 0, 0, size.width, size.height);
  const png = await canvas.encode('png');
  return ok({ sha256: createHash('sha256').update(png).digest('hex'), ...size, bytes: png });
}
