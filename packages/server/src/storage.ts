import { layOut } from './disk/own-disks.ts';
import { mkdir, readdir, stat, statfs } from 'node:fs/promises';
import { basename, dirname, extname, isAbsolute, join, relative, resolve } from 'node:path';
import type { ShownGraphic } from '@mivvy/core';

/** Where everything lies. All paths are below one data folder, so that it can be moved and backed up as one. */
export interface Storage {
  root: string;
  database: string;
  uploads: string;
  originals: string;
  proxies: string;
  stills: string;
  /** What was found in films by looking at them, by the sum of their bytes. */
  analysis: string;
  exports: string;
  /** Pictures that layers show, by the sum of their bytes. */
  graphics: string;
  /** Working folders of running jobs; whatever lies here belongs to a job or is rubbish. */
  work: string;
  /** What render machines bring back, until it counts. */
  results: string;
  logs: string;
  specs: string;
  /** What the stand-ins for outlets have taken. */
  standIns: string;
  /** Folders whose films may be brought in without copying. */
  inboxes: string[];
}

/**
 * Makes a folder and the ones that it lies in, one by one: Node's own recursive way never ends on file systems that
 * refuse new folders as if their parent were missing.
 */
export async function makeFolder(path: string): Promise<void> {
  const parent = dirname(path);
  if (parent !== path && !(await stat(parent).catch(() => null))) await makeFolder(parent);
  await mkdir(path).catch((error: NodeJS.ErrnoException) => {
    if (error.code !== 'EEXIST') throw error;
  });
}

/** Makes the data folder and its parts, some of them on disks of their own. Throws `NotLaidOut`. */
export async function openStorage(
  root: string,
  inboxes: string[],
  disks: Parameters<typeof layOut>[1] = {},
): Promise<Storage> {
  await mkdir(root, { recursive: true });
  await layOut(root, disks);
  const at = (name: string) => join(root, name);
  const storage: Storage = {
    root,
    database: at('mivvy.sqlite'),
    uploads: at('uploads'),
    originals: at('originals'),
    proxies: at('proxies'),
    stills: at('stills'),
    analysis: at('analysis'),
    exports: at('exports'),
    graphics: at('graphics'),
    work: at('work'),
    results: at('results'),
    logs: at('logs'),
    specs: at('specs'),
    standIns: at('stand-ins'),
    inboxes: inboxes.length ? inboxes : [at('inbox')],
  };
  const { uploads, originals, proxies, stills, analysis, exports, graphics, work, results, logs, specs } =
    storage;
  for (const dir of [
    uploads,
    originals,
    proxies,
    stills,
    analysis,
    exports,
    graphics,
    work,
    results,
    logs,
    specs,
  ])
    await mkdir(dir, { recursive: true });
  if (!inboxes.length) await mkdir(at('inbox'), { recursive: true });
  return storage;
}

/** A path as it is kept in the database: relative inside the data folder. */
export function toStored(storage: Storage, path: string): string {
  const inside = relative(storage.root, path);
  return inside.startsWith('..') || isAbsolute(inside) ? path : inside;
}

/** The real path of a stored one. */
export function fromStored(storage: Storage, path: string): string {
  return resolve(storage.root, path);
}

export const proxyPath = (storage: Storage, masterId: string) => join(storage.proxies, `${masterId}.mp4`);
export const posterPath = (storage: Storage, masterId: string) =>
  join(storage.stills, `${masterId}.poster.jpg`);
/** Where one small frame of a master lies once it has been drawn. */
export const stillPath = (
  storage: Storage,
  masterId: string,
  fileGeneration: number,
  frame: number,
  size: 'small' | 'large' = 'small',
) => join(storage.stills, masterId, `${fileGeneration}-${frame}${size === 'large' ? '-large' : ''}.jpg`);
/** The picture that a placement's areas were traced from. */
export const evidencePath = (storage: Storage, placementId: string) =>
  join(storage.specs, 'evidence', `${placementId}.jpg`);
const graphicEndings: Record<ShownGraphic['kind'], string> = {
  picture: 'png',
  film: 'film',
  typeface: 'font',
};
/** Where a picture or a film lies that layers show, or a typeface that their words are set in. */
export const graphicPath = (storage: Storage, { kind, sha256 }: ShownGraphic) =>
  join(storage.graphics, `${sha256}.${graphicEndings[kind]}`);
/** Where what browsers play of such a film lies. */
export const graphicPreview = (storage: Storage, sha256: string) => join(storage.graphics, `${sha256}.webm`);
export const logPath = (storage: Storage, jobId: string) => join(storage.logs, `${jobId}.log`);

/** Bytes free on the disk of the data folder; where parts of it lie on others, on the one that has the least. */
export async function freeBytes({ root, originals, exports, proxies }: Storage): Promise<number> {
  const disks = await Promise.all([root, originals, exports, proxies].map((folder) => statfs(folder)));
  return Math.min(...disks.map(({ bavail, bsize }) => bavail * bsize));
}

const filmEndings = new Set([
  '.mp4',
  '.mov',
  '.m4v',
  '.mkv',
  '.webm',
  '.mxf',
  '.avi',
  '.mpg',
  '.mpeg',
  '.ts',
  '.mts',
  '.m2ts',
  '.3gp',
  '.wmv',
  '.ogv',
  '.flv',
]);

/** A film that lies in an inbox. */
export interface InboxEntry {
  path: string;
  name: string;
  bytes: number;
  changedAt: string;
}

/** The films in the inbox folders, newest first. A folder that cannot be read counts as empty. */
export async function listInbox(storage: Storage): Promise<InboxEntry[]> {
  const found: InboxEntry[] = [];
  for (const dir of storage.inboxes) {
    for (const entry of await readdir(dir, { withFileTypes: true }).catch(() => [])) {
      if (!entry.isFile() || !filmEndings.has(extname(entry.name).toLowerCase())) continue;
      const path = join(dir, entry.name);
      const info = await stat(path).catch(() => null);
      if (info) found.push({ path, name: entry.name, bytes: info.size, changedAt: info.mtime.toISOString() });
    }
  }
  return found.sort((a, b) => b.changedAt.localeCompare(a.changedAt) || a.name.localeCompare(b.name));
}

/** Everything that was made for a master, and the film itself where we own it. */
export function masterFiles(storage: Storage, masterId: string): string[] {
  return [
    proxyPath(storage, masterId),
    posterPath(storage, masterId),
    join(storage.stills, masterId),
    join(storage.originals, masterId),
  ];
}

/** Where a deliverable lies: a place of its own, whatever it and the others are called. */
export const deliverablePath = (storage: Storage, productionId: string, id: string, container: string) =>
  join(storage.exports, productionId, `${id}.${container}`);

/** A film that was exported, and where a still beside it would lie. */
export const filesOfExport = (film: string): string[] => {
  const bare = film.slice(0, film.length - extname(film).length);
  return [film, `${bare}.jpg`, `${bare}.png`];
};

/** A film's name without its ending, made readable: `kite_weekend_final.mp4` becomes “kite weekend final”. */
export function filmName(fileName: string): string {
  const bare = basename(fileName, extname(fileName))
    .replace(/[_\s]+/g, ' ')
    .trim();
  return bare.slice(0, 120) || 'Untitled film';
}
