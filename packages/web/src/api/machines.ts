import { useQuery } from '@tanstack/react-query';
import { machineSchema, machinesSchema } from '@mivvy/api';
import { useChange } from './changes.ts';
import { getJson, remove, sendJson } from './client.ts';
import { keys } from './keys.ts';

/** What makes exports, asked again so often while it is shown, milliseconds: what each does moves on all the time. */
const askEveryMs = 2000;

export const useMachines = (shown = true) =>
  useQuery({
    queryKey: keys.machines,
    queryFn: ({ signal }) => getJson(machinesSchema, '/machines', signal),
    enabled: shown,
    refetchInterval: askEveryMs,
  });

export const useMachineChange = () =>
  useChange(
    ({ id, ...change }: { id: string; draining?: boolean; atOnce?: number | null }) =>
      sendJson(machineSchema, 'PATCH', `/machines/${id}`, change),
    (client) => client.invalidateQueries({ queryKey: keys.machines }),
  );

export const useRemoveMachine = () =>
  useChange(
    (id: string) => remove(`/machines/${id}`),
    (client) => client.invalidateQueries({ queryKey: keys.machines }),
  );
