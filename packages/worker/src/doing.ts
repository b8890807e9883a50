import type { MachineProgress } from '@mivvy/api';
import type { FilmCache } from './film-cache.ts';
import type { ServerClient } from './server-client.ts';

/** What a job is done with on this machine. */
export interface Doing {
  server: ServerClient;
  cache: FilmCache;
  /** A folder for this job alone; it is gone afterwards. */
  folder: string;
  signal: AbortSignal;
  progress: (progress: MachineProgress) => void;
}
