import { createHash } from 'node:crypto';
import { createReadStream } from 'node:fs';
import { copyFile, readdir, rename, rm, writeFile } from 'node:fs/promises';
import { dirname, isAbsolute, join } from 'node:path';
import { Transform } from 'node:stream';
import { pipeline } from 'node:stream/promises';
import { create as contentDisposition } from 'content-disposition';
import { format } from 'date-fns';
import { Router, type Request, type Response } from 'express';
import { nanoid } from 'nanoid';
import { ZipFile } from 'yazl';
import * as z from 'zod';
import { freeName, nameKey, slug } from '@mivvy/core';
import { sha256File } from '@mivvy/media';
import { packageFolderSchema } from '@mivvy/api';
import { isDiskFull } from '../disk/full.ts';
import { refuseOwnFolder } from './own-folder.ts';
import { happened } from '../happenings.ts';
import { bodyOf, param, refuse, route, whoOf } from '../http/problems.ts';
import { packageEntries, type PackageEntry } from '../package-entries.ts';
import { makeFolder } from '../storage.ts';
import type { Workspace } from '../workspace.ts';
import { findProduction } from './find.ts';

/** Routes that put files together with their evidence: as one archive, or into a folder. */
export function packageRoutes(ws: Workspace): Router {
  const router = Router();
  router.get(
    '/productions/:id/package',
    route((req, res) => sendArchive(ws, req, res)),
  );
  router.post(
    '/productions/:id/package',
    route((req, res) => writeFolder(ws, req, res)),
  );
  return router;
}

const idsSchema = z
  .string()
  .transform((text) => text.split(',').filter(Boolean))
  .pipe(z.array(z.string().max(40)).min(1).max(500));

/** What a package is called, without an ending. */
const packageName = (production: { name: string }): string =>
  `${slug(production.name)}_${format(new Date(), 'yyyy-MM-dd')}`;

const packed = (ws: Workspace, req: Request, productionId: string, files: number) =>
  ws.db.transaction((tx) =>
    happened(tx, [{ by: whoOf(req), productionId, what: { kind: 'packed', files } }]),
  );

/** A film's bytes, summed as they go by: one that is not what was checked breaks the archive off. */
function checkedStream(entry: { path: string; sha256: string }): NodeJS.ReadableStream {
  const sum = createHash('sha256');
  const check = new Transform({
    transform(chunk: Buffer, _encoding, done) {
      sum.update(chunk);
      done(null, chunk);
    },
    flush(done) {
      done(sum.digest('hex') === entry.sha256 ? null : new Error('a file was changed while it was packed'));
    },
  });
  createReadStream(entry.path)
    .on('error', (error) => check.destroy(error))
    .pipe(check);
  return check;
}

/** Streams an archive: nothing of it is kept in memory or on the disk. Films are compressed already and stored as they are. */
async function sendArchive(ws: Workspace, req: Request, res: Response): Promise<void> {
  const production = await findProduction(ws.db, param(req));
  const ids = idsSchema.safeParse(req.query.files);
  if (!ids.success) refuse(400, 'bad-request', 'The address names no files.');
  const entries = await packageEntries(ws, production.id, ids.data);
  const name = packageName(production);
  const zip = new ZipFile();
  for (const entry of entries) {
    const inside = `${name}/${entry.name}`;
    if ('content' in entry) zip.addBuffer(entry.content, inside);
    else
      zip.addReadStreamLazy(inside, { compress: false, size: entry.bytes }, (done) =>
        done(null, checkedStream(entry)),
      );
  }
  zip.end();
  res.type('zip').set('Content-Disposition', contentDisposition(`${name}.zip`));
  zip.on('error', (error: Error) => res.destroy(error));
  try {
    await pipeline(zip.outputStream, res);
    await packed(ws, req, production.id, ids.data.length);
  } catch (error) {
    // Whoever fetched it has gone, or has an archive that no program opens: nothing wrong was handed over.
    ws.log.warn({ err: error }, 'a package was broken off');
    res.destroy();
  }
}

/** Writes a package into a folder, under a hidden name until all of it is there and its films' sums are right. */
async function writeFolder(ws: Workspace, req: Request, res: Response): Promise<void> {
  const production = await findProduction(ws.db, param(req));
  const { folder, deliverableIds } = bodyOf(packageFolderSchema, req);
  if (!isAbsolute(folder))
    refuse(400, 'bad-folder', 'The folder’s whole path is needed.', 'Write it from its root on.');
  const entries = await packageEntries(ws, production.id, deliverableIds);
  refuseOwnFolder(ws, folder);
  // A name of its own: two that are written at the same time do not meet.
  const hidden = join(folder, `.${packageName(production)}.${nanoid(6)}.part`);
  let path: string;
  try {
    for (const entry of entries) await writeEntry(hidden, entry);
    path = await placeFolder(hidden, folder, packageName(production));
  } catch (error) {
    await rm(hidden, { recursive: true, force: true }).catch(() => undefined);
    if (isDiskFull(error))
      refuse(
        507,
        'disk-full',
        `The disk of ${folder} is full.`,
        'Free some space there; nothing half-written was left.',
      );
    refuse(
      409,
      'folder-unwritable',
      `The package could not be written into ${folder}: ${(error as Error).message}.`,
      'Check that the folder can be written to.',
    );
  }
  await packed(ws, req, production.id, deliverableIds.length);
  res.json({ path });
}

/** Gives a finished folder the first free name; one that is taken at the same moment is not written over. */
async function placeFolder(hidden: string, folder: string, wished: string): Promise<string> {
  for (;;) {
    const taken = new Set((await readdir(folder)).map(nameKey));
    const path = join(folder, freeName(wished, taken));
    try {
      await rename(hidden, path);
      return path;
    } catch (error) {
      const { code } = error as NodeJS.ErrnoException;
      if (code !== 'ENOTEMPTY' && code !== 'EEXIST') throw error;
    }
  }
}

async function writeEntry(root: string, entry: PackageEntry): Promise<void> {
  const path = join(root, entry.name);
  await makeFolder(dirname(path));
  if ('content' in entry) return writeFile(path, entry.content);
  await copyFile(entry.path, path);
  if ((await sha256File(path)) !== entry.sha256)
    throw new Error(`${entry.name} was changed while it was packed`);
}
