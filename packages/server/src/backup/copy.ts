import { createHash } from 'node:crypto';
import { createReadStream, createWriteStream } from 'node:fs';
import { rename, rm } from 'node:fs/promises';
import { Transform } from 'node:stream';
import { pipeline } from 'node:stream/promises';
import { nanoid } from 'nanoid';

/**
 * Copies a file to a place that depends on the sum of its bytes, in one reading: whole or not at all. The sum is the
 * answer.
 *
 * @param near a path beside which the copy is written, on the same disk
 * @param placeFor where it goes; null where it is not wanted after all
 */
export async function copyWhole(
  from: string,
  near: string,
  placeFor: (sha256: string) => Promise<string | null>,
): Promise<string> {
  const unfinished = `${near}.${nanoid(8)}.part`;
  const hash = createHash('sha256');
  const summed = new Transform({
    transform(chunk: Buffer, _encoding, done) {
      hash.update(chunk);
      done(null, chunk);
    },
  });
  try {
    await pipeline(createReadStream(from), summed, createWriteStream(unfinished));
    const sha256 = hash.digest('hex');
    const place = await placeFor(sha256);
    if (place !== null) await rename(unfinished, place);
    return sha256;
  } finally {
    await rm(unfinished, { force: true });
  }
}
