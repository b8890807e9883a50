import type { Lying, MachineProgress } from '@mivvy/api';
import type { Cached, FilmCache } from './film-cache.ts';
import type { ServerClient } from './server-client.ts';
import type { SharedFolder } from './shared-folder.ts';

/** What a job is done with on this machine. */
export interface Doing {
  server: ServerClient;
  cache: FilmCache;
  /** The workspace's data folder, where it is seen from here. */
  shared: SharedFolder | null;
  /** A folder for this job alone; it is gone afterwards. */
  folder: string;
  signal: AbortSignal;
  progress: (progress: MachineProgress) => void;
}

/** A file that a job needs: where it lies if that is seen from here, else from the cache, fetched where it is not there. */
export async function fileFor({ shared, cache, server, signal }: Doing, what: Lying): Promise<Cached> {
  const path = await shared?.find(what);
  if (path) return { path, letGo: () => undefined };
  return cache.get(what.sha256, (into, until) => server.fetchInto(what.address, into, until), signal);
}

/** Works with files of the server's, by their paths here; none of them goes from the cache before that has ended. */
export async function withFiles<T>(
  doing: Doing,
  work: (here: (what: Lying) => Promise<string>) => Promise<T>,
): Promise<T> {
  const inUse: Cached[] = [];
  try {
    return await work(async (what) => {
      const file = await fileFor(doing, what);
      inUse.push(file);
      return file.path;
    });
  } finally {
    for (const file of inUse) file.letGo();
  }
}
