import type { Planes, Size } from '@mivvy/core';
import { eachPiece, startChild } from '../workers/child.ts';
import type { CompareJob } from './compare-job.ts';
import type { Decode } from './decodes.ts';

/** Who takes the pictures of a decoding, in order: those of every frame small, those of some frames larger. */
export interface TakesPictures {
  /** Luma alone; the bytes are used again for the next picture. `index` counts the small ones, from 0. */
  small: (bytes: Uint8Array, index: number) => void;
  /** A copy. `index` counts the larger ones, from 0. */
  large: (planes: Planes, index: number) => void;
}

/** How a decoding ended. */
export interface Decoded {
  /** Whether it came to its end. */
  ok: boolean;
  /** What the tool said. */
  words: string;
}

/** Runs one decoding to its end and hands over what it gives. */
export async function decodePictures(
  { args, small, large }: Decode,
  { ffmpeg, nice }: Pick<CompareJob, 'ffmpeg' | 'nice'>,
  take: TakesPictures,
): Promise<Decoded> {
  const child = startChild(ffmpeg, args, { nice, stdin: 'ignore', stdout: 'pipe', more: 'pipe' });
  const [smallBytes, largeBytes] = [small.width * small.height, (large.width * large.height * 3) / 2];
  const larger = child.child.stdio[3] as unknown as AsyncIterable<Buffer>;
  let [smalls, larges] = [0, 0];
  await Promise.all([
    eachPiece(child.child.stdout!, smallBytes, (bytes) => take.small(bytes, smalls++)),
    eachPiece(larger, largeBytes, (bytes) => take.large(planesOf(bytes, large), larges++)),
  ]);
  const code = await child.ended;
  return { ok: code === 0, words: child.words() };
}

/** The three planes of a picture in 4:2:0, copied. */
function planesOf(bytes: Uint8Array, { width, height }: Size): Planes {
  const half = { width: width / 2, height: height / 2 };
  const [luma, colour] = [width * height, half.width * half.height];
  const plane = (size: Size, from: number, length: number) => ({
    ...size,
    bytes: bytes.slice(from, from + length),
  });
  return {
    luma: plane({ width, height }, 0, luma),
    cb: plane(half, luma, colour),
    cr: plane(half, luma + colour, colour),
  };
}
