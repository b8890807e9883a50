import { readdir, readFile } from 'node:fs/promises';
import { join } from 'node:path';
import * as z from 'zod';

const sum = z.string().regex(/^[0-9a-f]{64}$/);

/** A file of a workspace as it was when it was backed up. */
const backedUpFileSchema = z.object({
  /** Relative to the data folder; absolute for films that are used where they lie, outside it. */
  path: z.string().min(1),
  bytes: z.number().int().nonnegative(),
  /** Of its last change, milliseconds since 1970. */
  modified: z.number(),
  sha256: sum,
});
export type BackedUpFile = z.infer<typeof backedUpFileSchema>;

/** One backup: the database as it was at one moment, and every file that it speaks of. */
export const manifestSchema = z.object({
  format: z.literal('mivvy-backup'),
  version: z.literal(1),
  madeAt: z.iso.datetime(),
  /** Of the database's copy. */
  database: sum,
  files: z.array(backedUpFileSchema),
});
export type Manifest = z.infer<typeof manifestSchema>;

/** Where the bytes of a sum lie in a backup folder: each once, whatever it is called and however often. */
export const bytesPath = (folder: string, sha256: string): string =>
  join(folder, 'files', sha256.slice(0, 2), sha256);

/** Where the manifests lie: their names sort by the time that they were made. */
export const manifestFolder = (folder: string): string => join(folder, 'backups');

/** The newest backup in a folder; null where there is none that was finished. */
export async function newestManifest(folder: string): Promise<Manifest | null> {
  const names = await readdir(manifestFolder(folder)).catch((): string[] => []);
  for (const name of names
    .filter((n) => n.endsWith('.json'))
    .sort()
    .reverse()) {
    const read = manifestSchema.safeParse(
      JSON.parse(await readFile(join(manifestFolder(folder), name), 'utf8').catch(() => 'null')),
    );
    if (read.success) return read.data;
  }
  return null;
}
