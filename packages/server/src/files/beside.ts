import { createHash } from 'node:crypto';
import { readFile } from 'node:fs/promises';
import { sidecarText, type Result } from '@mivvy/core';
import { sidecarName } from '@mivvy/media';
import type { deliverables } from '../db/schema.ts';
import type { Workspace } from '../workspace.ts';
import type { BesideFile } from './beside-file.ts';
import { changedCover, coverOf } from './cover-file.ts';

type Row = Pick<typeof deliverables.$inferSelect, 'path' | 'fileName' | 'plan' | 'coverSha256'>;

const captionsOf = ({ sidecar }: Row['plan']) => {
  if (!sidecar) return null;
  const content = Buffer.from(sidecarText(sidecar));
  return { content, sha256: createHash('sha256').update(content).digest('hex') };
};

/** The sums of what goes with a deliverable's film, without looking at the disk. */
export const besideSums = (row: Row): string[] =>
  [captionsOf(row.plan)?.sha256, row.coverSha256].filter((sum) => typeof sum === 'string');

/** What goes with a deliverable's film; a problem where a cover is not the one that was checked. */
export async function besideFilm(ws: Pick<Workspace, 'storage'>, row: Row): Promise<Result<BesideFile[]>> {
  const beside: BesideFile[] = [];
  const captions = captionsOf(row.plan);
  if (captions)
    beside.push({ kind: 'captions', name: sidecarName(row.fileName, row.plan.sidecar!), ...captions });
  const cover = await coverOf(ws, row);
  if (cover) {
    if (!cover.intact) return { ok: false, problem: changedCover };
    const { name, sha256 } = cover;
    beside.push({ kind: 'cover', name, content: await readFile(cover.path), sha256 });
  }
  return { ok: true, value: beside };
}
