import { lstat, mkdir, readlink, realpath, rmdir, stat, symlink } from 'node:fs/promises';
import { join, resolve } from 'node:path';

/** What of the data folder can lie on a disk of its own; what files are moved between lies on the same one. */
const movedTogether = {
  originals: ['originals', 'uploads'],
  exports: ['exports', 'work', 'results'],
  cache: ['proxies', 'stills', 'analysis'],
} as const;
export type OwnDisk = keyof typeof movedTogether;

/** A data folder cannot be laid out as it was asked for; the message says why and what to do. */
export class NotLaidOut extends Error {}

/**
 * Lays folders of a data folder onto other disks: a link stands in the place of each, so that everything that works with
 * the data folder, such as a backup, finds them, and so does a start that does not name the disks again.
 *
 * @param disks a folder for each, which is there already: one that is made might lie where a disk is not mounted
 */
export async function layOut(
  dataDir: string,
  disks: Readonly<Partial<Record<OwnDisk, string | undefined>>>,
): Promise<void> {
  for (const [disk, names] of Object.entries(movedTogether)) {
    const wanted = disks[disk as OwnDisk];
    if (wanted !== undefined && !(await stat(wanted).catch(() => null))?.isDirectory())
      throw new NotLaidOut(`The folder ${wanted} is not there. Make it, or mount its disk, and start again.`);
    for (const name of names) {
      const link = join(dataDir, name);
      if (wanted !== undefined) await layOnto(link, join(resolve(wanted), name));
      await mustLead(link);
    }
  }
}

async function layOnto(link: string, to: string): Promise<void> {
  const there = await lstat(link).catch(() => null);
  if (there?.isSymbolicLink()) {
    const leads = resolve(link, '..', await readlink(link));
    if (leads === to || (await realpath(link).catch(() => leads)) === (await realpath(to).catch(() => to)))
      return;
    throw new NotLaidOut(
      `${link} leads to ${leads}, and not to ${to}. Move what lies there to ${to}, remove the link, and start again.`,
    );
  }
  if (there)
    await rmdir(link).catch((error: NodeJS.ErrnoException) => {
      if (error.code !== 'ENOTEMPTY' && error.code !== 'EEXIST') throw error;
      throw new NotLaidOut(
        `There is something in ${link} already. Move the folder to ${to} while nothing runs, and start again.`,
      );
    });
  await mkdir(to, { recursive: true });
  await symlink(to, link);
}

/** Throws where a folder leads to a disk that is not there: making it anew would hide what lies on it. */
async function mustLead(link: string): Promise<void> {
  const there = await lstat(link).catch(() => null);
  if (there?.isSymbolicLink() && !(await stat(link).catch(() => null)))
    throw new NotLaidOut(
      `${link} leads to ${await readlink(link)}, which is not there. Mount its disk, and start again.`,
    );
}
