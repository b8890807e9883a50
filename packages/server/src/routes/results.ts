import type { RequestHandler } from 'express';
import { FileStore } from '@tus/file-store';
import { Server } from '@tus/server';
import { bytesLabel } from '@mivvy/core';
import { machineBy } from '../machines/machines.ts';
import { heldJob } from '../machines/remote-jobs.ts';
import type { Workspace } from '../workspace.ts';

/** Room left free on the disk when results are taken, bytes. */
const reserveBytes = 200_000_000;
/** What was brought back and is asked for by nothing is kept so long, milliseconds. */
const keptMs = 24 * 3600_000;

const refusal = (status: number, code: string, sentence: string, mend = '') => ({
  status_code: status,
  body: JSON.stringify({ code, sentence, mend }),
});

/** What render machines bring back, by the open tus protocol: only for a job that they hold. */
export function resultRoutes(ws: Workspace): RequestHandler {
  const server = new Server({
    path: '/api/machines/results',
    relativeLocation: true,
    allowedOrigins: () => false,
    datastore: new FileStore({ directory: ws.storage.results, expirationPeriodInMilliseconds: keptMs }),
    onUploadCreate: async (_request, upload) => {
      const { machine = '', session = '', job = '' } = upload.metadata ?? {};
      const asking = await machineBy(ws.db, machine ?? '', session ?? '');
      if (!asking.ok) throw refusal(410, asking.problem.code, asking.problem.sentence, asking.problem.mend);
      if (!(await heldJob(ws, asking.value, job ?? '')))
        throw refusal(409, 'not-yours', 'That job is not this machine’s any more.');
      const free = await ws.freeBytes();
      if (free < (upload.size ?? 0) + reserveBytes) {
        ws.disk.met();
        throw refusal(
          507,
          'disk-full',
          `The file is ${bytesLabel(upload.size ?? 0)} and the server’s disk has ${bytesLabel(free)} free.`,
          'Free some space on the server; it goes on by itself.',
        );
      }
      return {};
    },
  });
  const sweeping = setInterval(() => void server.cleanUpExpiredUploads().catch(() => undefined), keptMs / 24);
  sweeping.unref();
  return (request, response) => server.handle(request, response);
}
