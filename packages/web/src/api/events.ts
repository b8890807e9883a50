import { useQueryClient, type QueryClient } from '@tanstack/react-query';
import { useEffect } from 'react';
import { masterSchema, serverEventSchema, versionSchema, type ServerEvent } from '@mivvy/api';
import { putJob, putMaster, putVersion } from './cache.ts';
import { getJson, RequestProblem, thisWindow } from './client.ts';
import { keys } from './keys.ts';

/** Asks for one thing again and puts it in its place. One that has gone since is told of by another event. */
async function refetch(work: () => Promise<unknown>): Promise<void> {
  try {
    await work();
  } catch (error) {
    if (!(error instanceof RequestProblem)) throw error;
  }
}

/** Does what an event asks for, and no more: what it does not name is neither asked for nor drawn again. */
function hear(client: QueryClient, event: ServerEvent): void {
  const stale = (queryKey: readonly unknown[]) => void client.invalidateQueries({ queryKey });
  /** The home screen sums all productions up; it asks when it is shown. */
  const cards = () => {
    stale(keys.productions);
    stale(keys.attention);
    stale(keys.ledger);
  };
  /** What happened outside a version's framing: notes, answers, dispatches. */
  const outside = (productionId: string) => {
    stale(keys.allHistories);
    stale(keys.reviewLinks(productionId));
    stale(keys.dispatches(productionId));
    stale(keys.happenings(productionId));
  };
  switch (event.kind) {
    case 'production':
      cards();
      // The window that asked for a change takes what belongs to it by itself.
      if (event.by === thisWindow) return;
      outside(event.id);
      return stale(keys.production(event.id));
    case 'master':
      cards();
      if (event.by !== thisWindow && client.getQueryData(keys.production(event.productionId)))
        void refetch(async () => putMaster(client, await getJson(masterSchema, `/masters/${event.id}`)));
      return;
    case 'version':
      cards();
      if (event.by === thisWindow) return;
      outside(event.productionId);
      stale(keys.deliverables(event.productionId));
      if (client.getQueryData(keys.production(event.productionId)))
        void refetch(async () => putVersion(client, await getJson(versionSchema, `/versions/${event.id}`)));
      return;
    case 'productions':
      return cards();
    case 'look':
      return event.by === thisWindow ? undefined : stale(keys.look(event.id));
    case 'job':
      return putJob(client, event.job);
    case 'spec-book':
      stale(keys.specBook);
      stale(keys.allProductions);
      return cards();
    case 'typefaces':
      return stale(keys.typefaces);
    case 'machines':
      return stale(keys.machines);
    case 'workspace':
      stale(keys.placeSets);
      stale(keys.ledgerViews);
      return stale(keys.preferences);
    case 'disk':
      return void client.setQueryData(keys.disk, event.disk);
  }
}

/** Listens to the server for as long as the page is open, and keeps the cache in step. */
export function useServerEvents(): void {
  const client = useQueryClient();
  useEffect(() => {
    const source = new EventSource('/api/events');
    let opened = false;
    source.addEventListener('open', () => {
      // After a break, whatever happened meanwhile is asked for.
      if (opened) void client.invalidateQueries();
      opened = true;
    });
    source.addEventListener('change', (message) => {
      const event = serverEventSchema.safeParse(JSON.parse((message as MessageEvent<string>).data));
      if (event.success) hear(client, event.data);
    });
    // Refused rather than out of reach: whoever was signed in is so no more.
    source.addEventListener('error', () => {
      if (source.readyState === EventSource.CLOSED) void client.invalidateQueries({ queryKey: keys.me });
    });
    return () => source.close();
  }, [client]);
}
