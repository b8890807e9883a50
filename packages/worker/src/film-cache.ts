import { mkdir, readdir, rename, rm, stat, utimes } from 'node:fs/promises';
import { join } from 'node:path';
import { sha256File } from '@mivvy/media';

/** How a file comes here: whatever of it lies at the path already is kept, and the rest written behind it. */
export type Fetch = (path: string, signal: AbortSignal) => Promise<void>;

/** A file of the cache that is in use until it is let go. */
export interface Cached {
  path: string;
  letGo: () => void;
}

/** What was fetched is not what was asked for; asking again would not help. */
export class AnotherFilm extends Error {}

const sumName = /^[0-9a-f]{64}$/;

/**
 * Films by the sum of their bytes, on a disk of this machine. It grows up to its limit; then those go that were not used
 * for longest, and never one that is in use.
 */
export class FilmCache {
  private readonly inUse = new Map<string, number>();
  /** What is on its way, by its sum: whoever wants it meanwhile waits for the same. */
  private readonly coming = new Map<string, Promise<void>>();

  /** @param limitBytes what lies here together at most, as far as it is not in use */
  constructor(
    private readonly dir: string,
    readonly limitBytes: number,
  ) {}

  /** A file by its sum, fetched where it is not here. Throws where what came is another. */
  async get(sha256: string, fetch: Fetch, signal: AbortSignal): Promise<Cached> {
    if (!sumName.test(sha256)) throw new Error('that is no sum');
    await mkdir(this.dir, { recursive: true });
    const path = join(this.dir, sha256);
    this.inUse.set(sha256, (this.inUse.get(sha256) ?? 0) + 1);
    const letGo = () => {
      const users = this.inUse.get(sha256)! - 1;
      if (users > 0) this.inUse.set(sha256, users);
      else this.inUse.delete(sha256);
    };
    try {
      await this.bringHere(sha256, path, fetch, signal);
      await this.markUsed(path);
      await this.shrink();
      return { path, letGo };
    } catch (error) {
      letGo();
      throw error;
    }
  }

  /** What lies here, bytes. */
  async bytes(): Promise<number> {
    return (await this.files()).reduce((sum, { size }) => sum + size, 0);
  }

  private async bringHere(sha256: string, path: string, fetch: Fetch, signal: AbortSignal): Promise<void> {
    if (await stat(path).catch(() => null)) return;
    const known = this.coming.get(sha256);
    if (known) return known;
    const coming = this.fetchWhole(sha256, path, fetch, signal).finally(() => this.coming.delete(sha256));
    this.coming.set(sha256, coming);
    await coming;
  }

  private async fetchWhole(sha256: string, path: string, fetch: Fetch, signal: AbortSignal): Promise<void> {
    const part = `${path}.part`;
    await fetch(part, signal);
    if ((await sha256File(part, signal)) !== sha256) {
      await rm(part, { force: true });
      throw new AnotherFilm('What came is not the film that was asked for: its sum is another.');
    }
    await rename(part, path);
  }

  /**
   * Used now: those that were not for longest go first. When it was written stays as it was: whoever makes something of it
   * meanwhile would take it for another film.
   */
  private async markUsed(path: string): Promise<void> {
    const { mtime } = await stat(path);
    await utimes(path, new Date(), mtime);
  }

  private async files(): Promise<{ name: string; size: number; used: number }[]> {
    const names = await readdir(this.dir).catch(() => []);
    const found = await Promise.all(
      names.map(async (name) => {
        const info = await stat(join(this.dir, name)).catch(() => null);
        return info ? [{ name, size: info.size, used: info.atimeMs }] : [];
      }),
    );
    return found.flat();
  }

  /** Lets those go that were not used for longest, until the rest is within the limit. */
  private async shrink(): Promise<void> {
    const files = (await this.files()).sort((a, b) => a.used - b.used);
    let sum = files.reduce((all, { size }) => all + size, 0);
    for (const { name, size } of files) {
      if (sum <= this.limitBytes) return;
      const sha256 = name.replace(/\.part$/, '');
      if (this.inUse.has(sha256)) continue;
      await rm(join(this.dir, name), { force: true });
      sum -= size;
    }
  }
}
