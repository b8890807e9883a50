import { copyFile, link, rename, rm, stat, writeFile } from 'node:fs/promises';
import { join } from 'node:path';
import { sha256File } from '@mivvy/media';
import type { Receipt } from '@mivvy/api';
import { isDiskFull } from '../disk/full.ts';
import { makeFolder } from '../storage.ts';
import type { Connector, Consignment } from './connector.ts';

/** Puts films into a folder that another program watches: each is written whole under a hidden name, then renamed. */
export const folderConnector: Connector = {
  async send(of) {
    const path = join(of.destination, of.fileName);
    const hidden = join(of.destination, `.${of.key}.part`);
    try {
      await makeFolder(of.destination);
      const taken = await firstTaken(of);
      if (taken !== undefined) return nameTaken(taken);
      // The film comes last: whoever watches for it finds beside it what belongs to it.
      for (const { name, content } of of.beside) {
        await writeFile(hidden, content);
        await place(hidden, join(of.destination, name));
      }
      await copyFile(of.path, hidden);
      const sha256 = await sha256File(hidden);
      await place(hidden, path);
      return { kind: 'arrived', receipt: await receiptAt(of, sha256) };
    } catch (error) {
      if ((error as NodeJS.ErrnoException).code === 'EEXIST') return nameTaken(of.fileName);
      const reason = isDiskFull(error)
        ? 'its disk is full'
        : ((error as NodeJS.ErrnoException).code ?? 'unknown');
      return {
        kind: 'again',
        problem: {
          code: 'folder-unwritable',
          sentence: `The folder ${of.destination} cannot be written to (${reason}).`,
          mend: 'It is tried again by itself.',
        },
      };
    } finally {
      await rm(hidden, { force: true }).catch(() => undefined);
    }
  },
  async look(of) {
    const path = join(of.destination, of.fileName);
    const info = await stat(path).catch(() => null);
    if (!info?.isFile()) return { kind: 'nothing' };
    const sha256 = info.size === of.bytes ? await sha256File(path) : '';
    return sha256 === of.sha256
      ? { kind: 'there', receipt: await receiptAt(of, sha256), state: 'waiting' }
      : { kind: 'nothing' };
  },
  async takeBack(of: Consignment) {
    // Only what is ours: another program may have put something else under the same name since.
    for (const { name, sha256 } of [{ name: of.fileName, sha256: of.sha256 }, ...of.beside]) {
      const path = join(of.destination, name);
      if ((await sumAt(path)) === sha256) await rm(path, { force: true });
    }
  },
};

const nameTaken = (name: string) => ({
  kind: 'refused' as const,
  problem: {
    code: 'name-taken',
    sentence: `The folder already has another ${name}.`,
    mend: 'Move that one away, or change the naming.',
  },
});

/** Puts a finished file in its place, never in that of another: one of the same bytes that is there already is ours. */
async function place(from: string, to: string): Promise<void> {
  try {
    await link(from, to);
  } catch (error) {
    const { code } = error as NodeJS.ErrnoException;
    if (code === 'EEXIST') {
      if ((await sumAt(to)) !== (await sumAt(from))) throw error;
    } else if (code === 'EPERM' || code === 'ENOTSUP' || code === 'EOPNOTSUPP' || code === 'EXDEV') {
      // Some file systems know no second name for a file; there, having looked before is the best that can be had.
      return rename(from, to);
    } else throw error;
  }
  // The hidden name is written to again: it must not be another name of the placed file.
  await rm(from, { force: true });
}

/** The sum of a file; empty where it is not there. */
const sumAt = (path: string): Promise<string> => sha256File(path).catch(() => '');

/** The first of its names that something else has in the folder; undefined where all are free or its own from before. */
async function firstTaken(of: Consignment): Promise<string | undefined> {
  if (await stat(join(of.destination, of.fileName)).catch(() => null)) return of.fileName;
  for (const { name, sha256 } of of.beside) {
    const path = join(of.destination, name);
    if ((await stat(path).catch(() => null)) && (await sumAt(path)) !== sha256) return name;
  }
  return undefined;
}

async function receiptAt(of: Consignment, sha256: string): Promise<Receipt> {
  const beside = [];
  for (const { kind, name } of of.beside)
    beside.push({ kind, name, sha256: await sumAt(join(of.destination, name)) });
  const receipt = join(of.destination, of.fileName);
  return { receipt, address: null, sha256, beside, at: new Date().toISOString() };
}
