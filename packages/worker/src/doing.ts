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
