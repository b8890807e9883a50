import { join } from 'node:path';
import { rm } from 'node:fs/promises';
import { FileStore } from '@tus/file-store';
import { Server } from '@tus/server';
import { eq } from 'drizzle-orm';
import { bytesLabel } from '@mivvy/core';
import { productions } from '../db/schema.ts';
import { NotReplaced, takeMaster } from '../masters.ts';
import type { Workspace } from '../workspace.ts';

/** Room left free on the disk when uploads are taken, bytes. */
const reserveBytes = 500_000_000;
/** Unfinished uploads are kept this long, so that they can go on after a break. */
const keepUnfinishedMs = 7 * 24 * 3600 * 1000;

/** A problem in the shape that the tus server sends. */
function uploadProblem(status: number, code: string, sentence: string, mend: string) {
  return { status_code: status, body: JSON.stringify({ code, sentence, mend }) };
}

/** Resumable uploads by the open tus protocol. The last piece of a film turns it into a master. */
export function uploadServer(ws: Workspace): Server {
  const server = new Server({
    path: '/api/uploads',
    relativeLocation: true,
    datastore: new FileStore({ directory: ws.storage.uploads, expirationPeriodInMilliseconds: keepUnfinishedMs }),
    onUploadCreate: async (_request, upload) => {
      const { productionId = '', filename = '' } = upload.metadata ?? {};
      if (!filename) throw uploadProblem(400, 'bad-request', 'The upload does not name its file.', '');
      const [production] = await ws.db.select({ id: productions.id }).from(productions).where(eq(productions.id, productionId ?? ''));
      if (!production) throw uploadProblem(404, 'not-found', 'That production is not here any more.', 'Open another and drop the film there.');
      const free = await ws.freeBytes();
      const size = upload.size ?? 0;
      if (free < size + reserveBytes) {
        throw uploadProblem(507, 'disk-full', `The film is ${bytesLabel(size)} and the disk has ${bytesLabel(free)} free.`, 'Free some space on the server and drop it again.');
      }
      return {};
    },
    onUploadFinish: async (_request, upload) => {
      const { productionId = '', filename = 'film', replaces } = upload.metadata ?? {};
      const path = join(ws.storage.uploads, upload.id);
      const [production] = await ws.db.select({ id: productions.id }).from(productions).where(eq(productions.id, productionId ?? ''));
      if (!production) throw uploadProblem(404, 'not-found', 'That production was removed meanwhile.', 'Drop the film on another.');
      const master = await takeMaster(ws, { productionId: production.id, fileName: filename ?? 'film', origin: 'upload', path, replaces: replaces ?? undefined }).catch(async (error: unknown) => {
        if (!(error instanceof NotReplaced)) throw error;
        for (const left of [path, `${path}.json`]) await rm(left, { force: true });
        throw uploadProblem(422, error.problem.code, error.problem.sentence, error.problem.mend);
      });
      await rm(`${path}.json`, { force: true }); // the store's own note about the upload
      return { status_code: 200, headers: { 'Content-Type': 'application/json' }, body: JSON.stringify(master) };
    },
  });
  return server;
}
