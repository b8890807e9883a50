import { existsSync } from 'node:fs';
import { readdir, rm, stat } from 'node:fs/promises';
import { dirname, isAbsolute, join, relative, resolve } from 'node:path';
import { pathToFileURL } from 'node:url';
import { createClient } from '@libsql/client';
import writeFileAtomic from 'write-file-atomic';
import { fail, ok, type Result } from '@mivvy/core';
import { sha256File } from '@mivvy/media';
import { makeFolder } from '../storage.ts';
import { copyWhole } from './copy.ts';
import { bytesPath, manifestFolder, newestManifest, type BackedUpFile, type Manifest } from './manifest.ts';

/** Folders of the data folder that are backed up; what is in work, uploads and logs makes sense to a running server alone. */
const kept = ['originals', 'proxies', 'stills', 'analysis', 'exports', 'graphics', 'specs', 'stand-ins'];

/** What a backup came to. */
export interface BackupEnd {
  files: number;
  bytes: number;
  /** Of those, what the folder did not have before. */
  newFiles: number;
  newBytes: number;
  /** What could not be backed up, in sentences. */
  missing: string[];
}

async function filesBelow(folder: string): Promise<string[]> {
  const entries = await readdir(folder, { withFileTypes: true, recursive: true }).catch(() => []);
  return entries
    .filter((entry) => entry.isFile() && !entry.name.includes('.part'))
    .map((entry) => join(entry.parentPath, entry.name))
    .sort();
}

interface Films {
  /** Paths of films, as the database has them. */
  paths: string[];
  /** Sums that the database knows, by path. */
  sums: Map<string, string>;
}

/** A copy of the database as it is at one moment, made while others may write; and the films that it speaks of. */
async function copyDatabase(file: string, to: string): Promise<Films> {
  const client = createClient({ url: pathToFileURL(file).href, timeout: 5000 });
  try {
    await client.execute({ sql: 'VACUUM INTO ?', args: [to] });
  } finally {
    client.close();
  }
  const copy = createClient({ url: pathToFileURL(to).href });
  try {
    const { rows } = await copy.execute(
      'SELECT path, sha256, on_disk FROM masters UNION ALL SELECT path, sha256, on_disk FROM deliverables',
    );
    const own = rows.map((row) => ({
      path: String(row.path),
      sha256: row.sha256 === null ? null : String(row.sha256),
      there: row.on_disk !== 'cleared' && row.on_disk !== 'gone',
    }));
    return {
      paths: own.filter((film) => film.there).map((film) => film.path),
      sums: new Map(own.flatMap(({ path, sha256 }) => (sha256 ? [[path, sha256] as const] : []))),
    };
  } finally {
    copy.close();
  }
}

/**
 * Backs a workspace up into a folder, also while its server runs: the database as it is at one moment, and every file by
 * the sum of its bytes. What the folder has already is not copied again.
 */
export async function backUp(dataDir: string, folder: string): Promise<Result<BackupEnd>> {
  const database = join(dataDir, 'mivvy.sqlite');
  if (!existsSync(database))
    return fail('no-workspace', `There is no workspace in ${dataDir}.`, 'Set MIVVY_DATA to its folder.');
  if (!relative(resolve(dataDir), resolve(folder)).startsWith('..'))
    return fail('inside', 'A backup inside the workspace is none.', 'Name a folder outside it.');
  const before = await newestManifest(folder);
  const knownBefore = new Map((before?.files ?? []).map((file) => [file.path, file]));
  await makeFolder(manifestFolder(folder));
  await makeFolder(join(folder, 'files'));
  const near = join(folder, 'files', 'new');
  const end: BackupEnd = { files: 0, bytes: 0, newFiles: 0, newBytes: 0, missing: [] };
  const copyIn = (path: string) =>
    copyWhole(path, near, async (sha256) => {
      const place = bytesPath(folder, sha256);
      if (existsSync(place)) return null;
      await makeFolder(dirname(place));
      end.newFiles++;
      return place;
    });
  const snapshot = `${near}.${Date.now()}.sqlite.part`;
  try {
    const { paths, sums } = await copyDatabase(database, snapshot);
    const databaseSum = await copyIn(snapshot);
    end.newFiles = 0;
    const lying = (await Promise.all(kept.map((name) => filesBelow(join(dataDir, name))))).flat();
    const wanted = new Set([...lying.map((path) => relative(dataDir, path)), ...paths]);
    const files: BackedUpFile[] = [];
    for (const path of wanted) {
      const full = isAbsolute(path) ? path : join(dataDir, path);
      const found = await stat(full).catch(() => null);
      if (!found) {
        // Only what the database speaks of is missed: the rest was removed meanwhile.
        if (paths.includes(path)) end.missing.push(`${path} is not there.`);
        continue;
      }
      const same = knownBefore.get(path);
      const unchanged =
        same?.bytes === found.size &&
        same.modified === found.mtimeMs &&
        existsSync(bytesPath(folder, same.sha256));
      const count = end.newFiles;
      const sha256 = unchanged ? same.sha256 : await copyIn(full);
      if (end.newFiles > count) end.newBytes += found.size;
      const known = sums.get(path);
      if (known !== undefined && known !== sha256)
        end.missing.push(`${path} is not the file that it was: its sum is another.`);
      files.push({ path, bytes: found.size, modified: found.mtimeMs, sha256 });
      end.files++;
      end.bytes += found.size;
    }
    const madeAt = new Date().toISOString();
    const manifest: Manifest = { format: 'mivvy-backup', version: 1, madeAt, database: databaseSum, files };
    await writeFileAtomic(
      join(manifestFolder(folder), `${madeAt.replace(/[:.]/g, '-')}.json`),
      `${JSON.stringify(manifest)}\n`,
    );
    return ok(end);
  } finally {
    await rm(snapshot, { force: true });
  }
}

/** Whether the bytes of every file of a backup are what they were; what is not, in sentences. */
export async function provedBackup(folder: string, manifest: Manifest): Promise<string[]> {
  const wrong: string[] = [];
  for (const sha256 of new Set([manifest.database, ...manifest.files.map((file) => file.sha256)])) {
    const found = await sha256File(bytesPath(folder, sha256)).catch(() => null);
    if (found !== sha256)
      wrong.push(
        `${manifest.files.find((file) => file.sha256 === sha256)?.path ?? 'The database'} is damaged in the backup.`,
      );
  }
  return wrong;
}
