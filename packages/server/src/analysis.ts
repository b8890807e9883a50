import { readFile } from 'node:fs/promises';
import { join } from 'node:path';
import * as z from 'zod';
import writeFileAtomic from 'write-file-atomic';
import { shotsSchema, type Thumbnails } from '@mivvy/core';
import type { FoundShots } from '@mivvy/media';
import type { Storage } from './storage.ts';

const storedSchema = z.object({
  version: z.literal(1),
  every: z.number().int().positive(),
  shots: shotsSchema,
});

const files = (storage: Storage, sha256: string) => ({
  shots: join(storage.analysis, `${sha256}.json`),
  looks: join(storage.analysis, `${sha256}.looks`),
});

/** What was found in a film earlier, by the sum of its bytes: the same bytes are never looked at twice. */
export async function readAnalysis(storage: Storage, sha256: string): Promise<FoundShots | undefined> {
  const at = files(storage, sha256);
  const text = await readFile(at.shots, 'utf8').catch(() => undefined);
  const stored = text === undefined ? undefined : storedSchema.safeParse(JSON.parse(text));
  const data = stored?.success ? await readFile(at.looks).catch(() => undefined) : undefined;
  return stored?.success && data
    ? { shots: stored.data.shots, looks: { every: stored.data.every, data } }
    : undefined;
}

/** Keeps what was found. The small pictures are in place before the file that names them. */
export async function writeAnalysis(storage: Storage, sha256: string, found: FoundShots): Promise<void> {
  const at = files(storage, sha256);
  await writeFileAtomic(at.looks, Buffer.from(found.looks.data));
  await writeFileAtomic(
    at.shots,
    JSON.stringify({ version: 1, every: found.looks.every, shots: found.shots }),
  );
}

/** The small pictures of a film, if it has been looked at. */
export async function readThumbnails(
  storage: Storage,
  sha256: string | null,
): Promise<Thumbnails | undefined> {
  return sha256 === null ? undefined : (await readAnalysis(storage, sha256))?.looks;
}
