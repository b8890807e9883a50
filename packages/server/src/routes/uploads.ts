import { rm } from 'node:fs/promises';
import { join } from 'node:path';
import type { RequestHandler } from 'express';
import { FileStore } from '@tus/file-store';
import { Server, Upload } from '@tus/server';
import { eq } from 'drizzle-orm';
import { bytesLabel, type Problem } from '@mivvy/core';
import { arrivals, productions } from '../db/schema.ts';
import { diskFullProblem, isDiskFull } from '../disk/full.ts';
import { keepUnfinishedMs, endUpload } from '../files/put-right.ts';
import { refuse } from '../http/problems.ts';
import { NotReplaced, takeUpload } from '../masters.ts';
import { fileNameSchema } from '@mivvy/api';
import { masterView } from '../views/masters.ts';
import type { Workspace } from '../workspace.ts';

/** Room left free on the disk when uploads are taken, bytes. */
const reserveBytes = 200_000_000;

/** A problem in the shape that the tus server sends. */
function uploadProblem(status: number, { code, sentence, mend }: Problem) {
  return { status_code: status, body: JSON.stringify({ code, sentence, mend }) };
}
const problem = (status: number, code: string, sentence: string, mend = '') =>
  uploadProblem(status, { code, sentence, mend });

/** Uploads that are under way, with what each has still to bring: their room is promised. */
class PromisedRoom {
  private readonly sizes = new Map<string, number>();
  promise(id: string, bytes: number): void {
    this.sizes.set(id, bytes);
  }
  release(id: string): void {
    this.sizes.delete(id);
  }
  async missing(bytesThere: (id: string) => Promise<number | null>): Promise<number> {
    let sum = 0;
    for (const [id, size] of this.sizes) {
      const there = await bytesThere(id);
      if (there === null) this.sizes.delete(id);
      else sum += Math.max(0, size - there);
    }
    return sum;
  }
}

/** Uploads as files; one whose film has arrived is whole, though its file has moved on. */
class ArrivalStore extends FileStore {
  constructor(
    options: ConstructorParameters<typeof FileStore>[0],
    private readonly arrived: (id: string) => Promise<{ bytes: number } | undefined>,
  ) {
    super(options);
  }
  override async getUpload(id: string): Promise<Upload> {
    try {
      return await super.getUpload(id);
    } catch (error) {
      const film = await this.arrived(id);
      if (!film) throw error;
      return new Upload({ id, size: film.bytes, offset: film.bytes });
    }
  }
}

/** Resumable uploads by the open tus protocol. The last piece of a film turns it into a master. */
export function uploadRoutes(ws: Workspace): RequestHandler {
  /** What became of an upload that is no longer the store's: its film has arrived. */
  const arrived = async (id: string) =>
    (await ws.db.select().from(arrivals).where(eq(arrivals.uploadId, id)))[0];
  const store = new ArrivalStore(
    { directory: ws.storage.uploads, expirationPeriodInMilliseconds: keepUnfinishedMs },
    arrived,
  );
  const promised = new PromisedRoom();
  const bytesThere = (id: string) =>
    store.getUpload(id).then(
      (upload) => upload.offset,
      () => null,
    );
  const productionThere = async (id: string) =>
    (await ws.db.select({ id: productions.id }).from(productions).where(eq(productions.id, id))).length > 0;
  const removeUpload = async (id: string) => {
    promised.release(id);
    for (const name of [id, `${id}.json`]) await rm(join(ws.storage.uploads, name), { force: true });
  };

  const server = new Server({
    path: '/api/uploads',
    relativeLocation: true,
    // Only our own page talks to these addresses from a browser, and it needs no leave to.
    allowedOrigins: () => false,
    datastore: store,
    onUploadCreate: async (_request, upload) => {
      const { productionId, filename } = upload.metadata ?? {};
      const named = fileNameSchema.safeParse(filename ?? '');
      if (!named.success)
        throw problem(
          400,
          'bad-request',
          filename
            ? `The film’s name cannot be used: ${named.error.issues[0]!.message}.`
            : 'The upload does not name its file.',
        );
      if (upload.size === undefined)
        throw problem(
          400,
          'bad-request',
          'The upload does not say how long it is.',
          'Send Upload-Length with the request that begins it.',
        );
      if (upload.size === 0)
        throw problem(
          422,
          'empty-file',
          'The file is empty: it holds no bytes at all.',
          'Copy it again from where it was made.',
        );
      if (!(await productionThere(productionId ?? '')))
        throw problem(
          404,
          'not-found',
          'That production is not here any more.',
          'Open another and drop the film there.',
        );
      const free = await ws.freeBytes();
      const spoken = await promised.missing(bytesThere);
      if (free - spoken < upload.size + reserveBytes) {
        const others = spoken > 0 ? ` (${bytesLabel(spoken)} of it for other films on their way)` : '';
        throw problem(
          507,
          'disk-full',
          `The film is ${bytesLabel(upload.size)} and the disk has ${bytesLabel(free)} free${others}.`,
          'Free some space on the server and drop it again.',
        );
      }
      promised.promise(upload.id, upload.size);
      return {};
    },
    onUploadFinish: async (_request, upload) => {
      const { productionId, filename, replaces } = upload.metadata ?? {};
      const path = join(ws.storage.uploads, upload.id);
      if (!(await productionThere(productionId ?? ''))) {
        await removeUpload(upload.id);
        throw problem(
          404,
          'not-found',
          'That production was removed meanwhile.',
          'Drop the film on another.',
        );
      }
      try {
        const master = await takeUpload(ws, {
          id: upload.id,
          path,
          productionId: productionId!,
          fileName: filename ?? 'film',
          bytes: upload.size ?? upload.offset,
          replaces: replaces ?? undefined,
        });
        await removeUpload(upload.id); // the store's own note about the upload; its bytes have moved
        return {
          status_code: 200,
          headers: { 'Content-Type': 'application/json' },
          body: JSON.stringify(master),
        };
      } catch (error) {
        if (error instanceof NotReplaced) {
          await removeUpload(upload.id);
          throw uploadProblem(422, error.problem);
        }
        throw error;
      }
    },
    onResponseError: async (_request, error) => {
      if ('status_code' in error && error.body.startsWith('{')) return undefined;
      // The store says of every failed write the same; whether the disk is full has to be asked.
      await ws.disk.look();
      if (isDiskFull(error) || ws.disk.state.full) return uploadProblem(507, diskFullProblem);
      const status = 'status_code' in error ? error.status_code : 500;
      if (status >= 500) ws.log.error({ err: error }, 'an upload failed');
      return status === 404 || status === 410
        ? problem(status, 'not-found', 'That upload is not here any more.', 'Drop the film again.')
        : problem(
            status,
            'upload-refused',
            status >= 500
              ? 'Mivvy failed while the film came in; this is a fault in Mivvy.'
              : `The upload was refused: ${'body' in error ? error.body.trim() : error.message}.`,
            'Drop the film again: it goes on where it stopped.',
          );
    },
  });

  return async (request, response) => {
    const id = /^\/api\/uploads\/([\w-]+)$/.exec(request.path)?.[1];
    if (id && (request.method === 'HEAD' || request.method === 'PATCH')) {
      const upload = await store.getUpload(id).catch(() => null);
      // The server died, or could write no row, after the last byte had come: the film is taken now.
      if (upload && upload.size !== undefined && upload.size > 0 && upload.offset === upload.size) {
        await endUpload(ws, id, upload.metadata ?? {}, upload.size).catch(async (error: unknown) => {
          if (error instanceof NotReplaced) {
            await removeUpload(id);
            refuse(422, error.problem.code, error.problem.sentence, error.problem.mend);
          }
          throw error;
        });
      }
      const film = await arrived(id);
      if (film) {
        const master = await masterView(ws, film.masterId);
        response.set({
          'Tus-Resumable': '1.0.0',
          'Upload-Offset': String(film.bytes),
          'Upload-Length': String(film.bytes),
          'Cache-Control': 'no-store',
        });
        return void response.status(200).json(master ?? null);
      }
    }
    await server.handle(request, response);
  };
}
