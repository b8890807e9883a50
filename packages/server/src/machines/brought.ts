import { readdir, readFile, rm, stat } from 'node:fs/promises';
import { basename, join } from 'node:path';
import * as z from 'zod';
import { fail, ok, type Result } from '@mivvy/core';
import { sha256File } from '@mivvy/media';
import type { Brought } from '@mivvy/api';
import { moveFile } from '../files/move-file.ts';
import type { Workspace } from '../workspace.ts';

type Ws = Pick<Workspace, 'storage'>;

/** The problem of a machine whose file is not what was asked for. */
export const broughtWrong = 'brought-wrong';

/** Where something lies that a machine has brought, until it counts. */
export const uploadPath = ({ storage }: Ws, { upload }: Pick<Brought, 'upload'>): string =>
  join(storage.results, basename(upload));

/** Whether every byte that a machine says it brought is here. */
export async function isWhole(ws: Ws, all: readonly Brought[]): Promise<Result<void>> {
  for (const brought of all) {
    const path = uploadPath(ws, brought);
    const there = await stat(path).catch(() => null);
    const same = there?.size === brought.bytes && (await sha256File(path)) === brought.sha256;
    if (!same)
      return fail(
        broughtWrong,
        'It brought back a file that is not the one whose sum it named, so the file was thrown away.',
        'Look at its disk and its network. Once that is mended, let it take work again.',
      );
  }
  return ok(undefined);
}

/** Puts something that was brought into its place. */
export const putInPlace = (ws: Ws, brought: Brought, path: string): Promise<void> =>
  moveFile(uploadPath(ws, brought), path);

/** Removes what a machine has brought, whatever became of it. */
export async function dropBrought(ws: Ws, all: readonly Pick<Brought, 'upload'>[]): Promise<void> {
  for (const brought of all)
    for (const path of [uploadPath(ws, brought), `${uploadPath(ws, brought)}.json`])
      await rm(path, { force: true });
}

/** What the uploads tell of themselves, as much of it as is read here. */
const uploadSchema = z.object({ metadata: z.object({ job: z.string() }) });

/** Removes what other machines have begun to bring for a job that is made: they lost it on the way, and nothing asks for it. */
export async function dropBegun(ws: Ws, jobId: string): Promise<void> {
  for (const name of await readdir(ws.storage.results)) {
    if (!name.endsWith('.json')) continue;
    const text = await readFile(join(ws.storage.results, name), 'utf8').catch(() => '{}');
    const read = uploadSchema.safeParse(parsed(text));
    if (read.success && read.data.metadata.job === jobId)
      await dropBrought(ws, [{ upload: basename(name, '.json') }]);
  }
}

/** JSON, or nothing where it was being written. */
function parsed(text: string): unknown {
  try {
    return JSON.parse(text);
  } catch {
    return undefined;
  }
}
