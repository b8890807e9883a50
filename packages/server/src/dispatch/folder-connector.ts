import { copyFile, rename, rm, stat } from 'node:fs/promises';
import { join } from 'node:path';
import { sha256File } from '@mivvy/media';
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
      if (await stat(path).catch(() => null))
        return {
          kind: 'refused',
          problem: {
            code: 'name-taken',
            sentence: `The folder already has another ${of.fileName}.`,
            mend: 'Move that one away, or change the naming.',
          },
        };
      await copyFile(of.path, hidden);
      const sha256 = await sha256File(hidden);
      await rename(hidden, path);
      return { kind: 'arrived', receipt: receiptAt(path, sha256) };
    } catch (error) {
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
      ? { kind: 'there', receipt: receiptAt(path, sha256), state: 'waiting' }
      : { kind: 'nothing' };
  },
  async takeBack(of: Consignment) {
    await rm(join(of.destination, of.fileName), { force: true });
  },
};

const receiptAt = (path: string, sha256: string) => ({
  receipt: path,
  address: null,
  sha256,
  at: new Date().toISOString(),
});
