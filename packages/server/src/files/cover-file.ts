import { dirname, join } from 'node:path';
import type { Problem } from '@mivvy/core';
import { coverName, sha256File } from '@mivvy/media';
import type { deliverables } from '../db/schema.ts';
import { fromStored } from '../storage.ts';
import type { Workspace } from '../workspace.ts';

/** The still beside a deliverable. */
export interface CoverFile {
  path: string;
  /** What it is called outside: as its film, with its own ending. */
  name: string;
  format: 'jpeg' | 'png';
  sha256: string;
  /** Its bytes are those that were checked. */
  intact: boolean;
}

/** What is said where a cover on the disk is not the one that was checked. */
export const changedCover: Problem = {
  code: 'cover-changed',
  sentence: 'The cover on the disk is gone, or not the one that was checked.',
  mend: 'Export the version again.',
};

/** A deliverable's cover, summed; null where it has none. */
export async function coverOf(
  { storage }: Pick<Workspace, 'storage'>,
  row: Pick<typeof deliverables.$inferSelect, 'path' | 'fileName' | 'plan' | 'coverSha256'>,
): Promise<CoverFile | null> {
  const { cover } = row.plan;
  if (!cover || row.coverSha256 === null) return null;
  const film = fromStored(storage, row.path);
  const path = join(dirname(film), coverName(film, cover));
  const sum = await sha256File(path).catch(() => null);
  return {
    path,
    name: coverName(row.fileName, cover),
    format: cover.format,
    sha256: row.coverSha256,
    intact: sum === row.coverSha256,
  };
}
