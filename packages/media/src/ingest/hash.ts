import { createHash } from 'node:crypto';
import { createReadStream } from 'node:fs';

/** SHA-256 of a file's bytes, lower-case hexadecimal. Memory stays flat. */
export async function sha256File(path: string, signal?: AbortSignal): Promise<string> {
  const hash = createHash('sha256');
  for await (const chunk of createReadStream(path, { highWaterMark: 1 << 20, signal }))
    hash.update(chunk as Buffer);
  return hash.digest('hex');
}
