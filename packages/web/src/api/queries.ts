import { useMutation, useQueries, useQuery, useQueryClient, type QueryClient } from '@tanstack/react-query';
import { useEffect } from 'react';
import { z } from 'zod';
import {
  filmActivitySchema,
  carryAnswerSchema,
  cutReadSchema,
  drawnSchema,
  followAnswerSchema,
  lookViewSchema,
  deliverableSchema,
  healthSchema,
  inboxFileSchema,
  jobSchema,
  masterReadSchema,
  masterSchema,
  productionCardSchema,
  productionDetailSchema,
  productionSchema,
  serverEventSchema,
  specBookViewSchema,
  versionReadSchema,
  versionSchema,
  type Cut,
  type Job,
  type LookView,
  type Master,
  type ProductionDetail,
  type Version,
} from '@mivvy/api';
import type { Framing, FrameSpan, Keep, MarginChoice, Pace, Shot } from '@mivvy/core';
import { ask, remove, tell } from './client.ts';

/** The cache's keys, in one place. */
const keys = {
  productions: ['productions'] as const,
  production: (id: string) => ['production', id] as const,
  jobs: (id: string) => ['production', id, 'jobs'] as const,
  deliverables: (id: string) => ['production', id, 'deliverables'] as const,
  look: (masterId: string) => ['look', masterId] as const,
  along: (masterId: string, take: number, revision: number) => ['along', masterId, take, revision] as const,
  specBook: ['spec-book'] as const,
  inbox: ['inbox'] as const,
  disk: ['disk'] as const,
};

/** Whether the data disk has room; told by events from then on. */
export const useDisk = () =>
  useQuery({
    queryKey: keys.disk,
    queryFn: async ({ signal }) => (await ask(healthSchema, '/health', signal)).disk,
    staleTime: Infinity,
  });
export const useProductions = () =>
  useQuery({
    queryKey: keys.productions,
    queryFn: ({ signal }) => ask(z.array(productionCardSchema), '/productions', signal),
  });
export const useProduction = (id: string) =>
  useQuery({
    queryKey: keys.production(id),
    queryFn: ({ signal }) => ask(productionDetailSchema, `/productions/${id}`, signal),
  });
export const useJobs = (id: string) =>
  useQuery({
    queryKey: keys.jobs(id),
    queryFn: ({ signal }) => ask(z.array(jobSchema), `/productions/${id}/jobs`, signal),
  });
export const useDeliverables = (id: string) =>
  useQuery({
    queryKey: keys.deliverables(id),
    queryFn: ({ signal }) => ask(z.array(deliverableSchema), `/productions/${id}/deliverables`, signal),
  });
const lookQuery = (masterId: string, enabled: boolean) => ({
  queryKey: keys.look(masterId),
  enabled,
  staleTime: 60_000,
  queryFn: ({ signal }: { signal: AbortSignal }) => ask(lookViewSchema, `/masters/${masterId}/look`, signal),
});
/** What was seen in a master, as far as it has been looked at. */
export const useLook = (masterId: string, enabled = true) => useQuery(lookQuery(masterId, enabled));
/** The same for several masters. */
export const useLooks = (masterIds: readonly string[]) =>
  useQueries({
    queries: masterIds.map((id) => lookQuery(id, true)),
    combine: (all) => all.flatMap((q) => q.data ?? []),
  });
export const useSpecBook = () =>
  useQuery({
    queryKey: keys.specBook,
    queryFn: ({ signal }) => ask(specBookViewSchema, '/spec-book', signal),
  });
export const useInbox = (enabled: boolean) =>
  useQuery({
    queryKey: keys.inbox,
    enabled,
    queryFn: ({ signal }) => ask(z.array(inboxFileSchema), '/inbox', signal),
  });

/** A change that refreshes some of the cache; it counts as done when the screens have what it made. */
function useChange<Input, Output>(
  run: (input: Input) => Promise<Output>,
  stale: (client: QueryClient, input: Input, output: Output) => unknown,
) {
  const client = useQueryClient();
  return useMutation({ mutationFn: run, onSuccess: (output, input) => stale(client, input, output) });
}
const staleProduction = (id: string) => (client: QueryClient) =>
  client.invalidateQueries({ queryKey: keys.production(id) });

export const useStartProduction = () =>
  useChange(
    (input: { name: string; client: string }) => tell(productionSchema, 'POST', '/productions', input),
    (client) => client.invalidateQueries({ queryKey: keys.productions }),
  );
export const useRenameProduction = (id: string) =>
  useChange(
    (input: { name?: string; client?: string; margin?: MarginChoice }) =>
      tell(productionSchema, 'PATCH', `/productions/${id}`, input),
    staleProduction(id),
  );
export const useRemoveProduction = () =>
  useChange(
    (id: string) => remove(`/productions/${id}`),
    (client) => client.invalidateQueries({ queryKey: keys.productions }),
  );
export const useTakeFromInbox = (id: string) =>
  useChange(
    (input: { inboxFile: string; replaces?: string | undefined }) =>
      tell(masterSchema, 'POST', `/productions/${id}/masters`, input),
    staleProduction(id),
  );
export const useRemoveMaster = (id: string) =>
  useChange((masterId: string) => remove(`/masters/${masterId}`), staleProduction(id));
/** Reads a master through again, or takes the changed file that lies in its place. */
export const useMendMaster = (id: string) =>
  useChange(
    ({ id: masterId, way }: { id: string; way: 'read' | 'renew' }) =>
      tell(masterSchema, 'POST', `/masters/${masterId}/${way}`),
    staleProduction(id),
  );
export const useAddVersions = (id: string) =>
  useChange(
    (input: { masterId: string; placementIds: string[] }) =>
      tell(z.array(versionSchema), 'POST', `/productions/${id}/versions`, input),
    staleProduction(id),
  );
export const useRemoveVersion = (id: string) =>
  useChange((versionId: string) => remove(`/versions/${versionId}`), staleProduction(id));
export const useExport = (id: string) =>
  useChange(
    (versionIds: string[]) => tell(z.array(jobSchema), 'POST', `/productions/${id}/exports`, { versionIds }),
    staleProduction(id),
  );
export const useJobAction = (id: string) =>
  useChange(
    ({ jobId, action }: { jobId: string; action: 'cancel' | 'retry' }) =>
      tell(jobSchema, 'POST', `/jobs/${jobId}/${action}`),
    staleProduction(id),
  );
export const useAddSpecBook = () =>
  useChange(
    (input: { fileName: string; text: string }) =>
      tell(specBookViewSchema, 'POST', '/spec-book/files', input),
    (client, _input, book) => client.setQueryData(keys.specBook, book),
  );

/** Saves a framing; the answer replaces the version in the cache. */
export async function saveFraming(client: QueryClient, version: Version, framing: Framing): Promise<Version> {
  const saved = await tell(versionSchema, 'PATCH', `/versions/${version.id}`, {
    revision: version.revision,
    framing,
  });
  return putVersion(client, saved);
}

/** Puts a changed version where the screens find it. */
function putVersion(client: QueryClient, saved: Version): Version {
  client.setQueryData(
    keys.production(saved.productionId),
    (old: ProductionDetail | undefined) =>
      old && { ...old, versions: old.versions.map((v) => (v.id === saved.id ? saved : v)) },
  );
  return saved;
}

/** Puts a changed master where the screens find it. */
function putMaster(client: QueryClient, saved: Master): Master {
  client.setQueryData(
    keys.production(saved.productionId),
    (old: ProductionDetail | undefined) =>
      old && { ...old, masters: old.masters.map((m) => (m.id === saved.id ? saved : m)) },
  );
  return saved;
}

/** Takes a version's last change back, or does it again. */
export const stepFraming = async (client: QueryClient, version: Version, direction: 'undo' | 'redo') =>
  putVersion(client, await tell(versionSchema, 'POST', `/versions/${version.id}/${direction}`));

/** Accepts a trouble with a reason, or takes that back. */
export const useAccept = () => {
  const client = useQueryClient();
  return useMutation({
    mutationFn: async ({
      versionId,
      mark,
      reason,
    }: {
      versionId: string;
      mark: string;
      reason: string | null;
    }) =>
      putVersion(
        client,
        reason === null
          ? await tell(versionSchema, 'POST', `/versions/${versionId}/acceptances/withdraw`, { mark })
          : await tell(versionSchema, 'POST', `/versions/${versionId}/acceptances`, { mark, reason }),
      ),
  });
};

/** Frames a version as a plan file says. */
export const useReadPlan = () => {
  const client = useQueryClient();
  return useMutation({
    mutationFn: async ({
      versionId,
      fileName,
      text,
    }: {
      versionId: string;
      fileName: string;
      text: string;
    }) => {
      const { version, words } = await tell(versionReadSchema, 'POST', `/versions/${versionId}/plan`, {
        fileName,
        text,
      });
      putVersion(client, version);
      return words;
    },
  });
};

/** Copies a framing to other versions. */
export const useCarry = (id: string) =>
  useChange(
    (input: { fromVersionId: string; toVersionIds: string[]; shotAt?: number }) =>
      tell(carryAnswerSchema, 'POST', `/productions/${id}/carry`, input),
    staleProduction(id),
  );

/** Copies the framing of all versions of a master to another. */
export const useCarryMaster = (id: string) =>
  useChange(
    ({ fromMasterId, toMasterId }: { fromMasterId: string; toMasterId: string }) =>
      tell(carryAnswerSchema, 'POST', `/masters/${fromMasterId}/carry`, { toMasterId }),
    staleProduction(id),
  );

/** Something done to a master's shots or keeps. */
type MasterChange =
  | {
      kind: 'work';
      revision: number;
      shots?: Shot[];
      keeps?: Keep[];
      movedCut?: { from: number; to: number };
    }
  | { kind: 'undo' | 'redo' | 'setups' }
  | { kind: 'cut-list'; fileName: string; text: string };

/** Changes a master's shots or keeps; what there is to say about it is the answer. */
export const useMasterWork = (masterId: string) => {
  const client = useQueryClient();
  return useMutation({
    mutationFn: async (change: MasterChange): Promise<string[]> => {
      const { kind, ...body } = change;
      if (kind === 'cut-list') {
        const { master, words } = await tell(masterReadSchema, 'POST', `/masters/${masterId}/cut-list`, body);
        putMaster(client, master);
        return words;
      }
      putMaster(
        client,
        kind === 'work'
          ? await tell(masterSchema, 'PATCH', `/masters/${masterId}/work`, body)
          : await tell(masterSchema, 'POST', `/masters/${masterId}/${kind}`),
      );
      return [];
    },
  });
};

/** What is heard and seen along a master; it changes with its file and its shots. */
export const useAlong = (master: Master) =>
  useQuery({
    queryKey: keys.along(master.id, master.take, master.revision),
    staleTime: Infinity,
    queryFn: ({ signal }) => ask(filmActivitySchema, `/masters/${master.id}/along`, signal),
  });

/** Makes a cut of a master and has some versions play it; the cut is the answer. */
export const useNewCut = (productionId: string) =>
  useChange(
    async ({
      masterId,
      versionIds,
      ...cut
    }: {
      masterId: string;
      name: string;
      kept?: FrameSpan[];
      pace?: Pace;
      versionIds: string[];
    }) => {
      const made = (await tell(masterSchema, 'POST', `/masters/${masterId}/cuts`, cut)).cuts.at(-1)!;
      for (const id of versionIds)
        await tell(versionSchema, 'PATCH', `/versions/${id}/cut`, { cutId: made.id });
      return made;
    },
    staleProduction(productionId),
  );
/** Makes a cut as an edit list says. */
export const useReadCut = (productionId: string) =>
  useChange(
    ({ masterId, ...file }: { masterId: string; fileName: string; text: string }) =>
      tell(cutReadSchema, 'POST', `/masters/${masterId}/cuts/read`, file),
    staleProduction(productionId),
  );
export const useRemoveCut = (productionId: string) =>
  useChange((cutId: string) => remove(`/cuts/${cutId}`), staleProduction(productionId));
/** Has versions play a cut; null is the full film. */
export const usePlayCut = (productionId: string) =>
  useChange(async ({ versionIds, cutId }: { versionIds: readonly string[]; cutId: string | null }) => {
    for (const id of versionIds) await tell(versionSchema, 'PATCH', `/versions/${id}/cut`, { cutId });
  }, staleProduction(productionId));

/** What of a cut is changed in place. */
export type CutWork = Pick<Cut, 'name' | 'kept' | 'pace' | 'joinMs'>;

/** Saves a cut; the answer replaces it in the cache. */
export async function saveCut(
  client: QueryClient,
  cut: Cut,
  { name, kept, pace, joinMs }: CutWork,
): Promise<Cut> {
  return cutIn(
    putMaster(
      client,
      await tell(masterSchema, 'PATCH', `/cuts/${cut.id}`, {
        revision: cut.revision,
        name,
        kept,
        pace,
        joinMs,
      }),
    ),
    cut.id,
  );
}
/** Takes a cut's last change back, or does it again. */
export const stepCut = async (client: QueryClient, cut: Cut, direction: 'undo' | 'redo') =>
  cutIn(putMaster(client, await tell(masterSchema, 'POST', `/cuts/${cut.id}/${direction}`)), cut.id);
const cutIn = (master: Master, id: string): Cut => master.cuts.find((c) => c.id === id)!;

/** Has a master looked at. */
export const useWantLook = () =>
  useChange(
    (masterId: string) => tell(lookViewSchema, 'POST', `/masters/${masterId}/look`),
    (client, masterId, look: LookView) => client.setQueryData(keys.look(masterId), look),
  );

/** Follows a subject that was drawn; its id is the answer. */
export const useDrawSubject = (masterId: string) =>
  useChange(
    (input: { frame: number; name: string; box: { x: number; y: number; width: number; height: number } }) =>
      tell(drawnSchema, 'POST', `/masters/${masterId}/subjects`, input),
    (client, _input, { look }) => client.setQueryData(keys.look(masterId), look),
  );
export const useForgetSubject = (masterId: string) =>
  useChange(
    (subject: string) => remove(`/masters/${masterId}/subjects/${subject}`),
    (client) => client.invalidateQueries({ queryKey: keys.look(masterId) }),
  );

/** Chooses the windows of some versions by what is seen. */
export const useFollow = (id: string) =>
  useChange(
    (input: { versionIds: string[]; lively: number; handMade: boolean }) =>
      tell(followAnswerSchema, 'POST', `/productions/${id}/follow`, input),
    staleProduction(id),
  );

/** Asks for a production again. */
export const refreshProduction = (client: QueryClient, id: string) =>
  client.invalidateQueries({ queryKey: keys.production(id) });

function putJob(client: QueryClient, job: Job): void {
  const active = job.state === 'queued' || job.state === 'running';
  client.setQueryData(keys.production(job.productionId), (old: ProductionDetail | undefined) => {
    if (!old) return old;
    const others = old.jobs.filter((j) => j.id !== job.id);
    const standing = job.state === 'running' ? 'making' : job.state === 'queued' ? 'queued' : undefined;
    return {
      ...old,
      jobs: active ? [...others, job].sort((a, b) => a.createdAt.localeCompare(b.createdAt)) : others,
      versions:
        job.kind === 'export' && standing
          ? old.versions.map((v) =>
              v.id === job.subjectId && v.standing !== standing ? { ...v, standing } : v,
            )
          : old.versions,
      masters:
        job.kind === 'ingest' && active
          ? old.masters.map((m) =>
              m.id === job.subjectId && m.proof.kind === 'making-proxy'
                ? { ...m, proof: { kind: 'making-proxy' as const, fraction: job.fraction } }
                : m,
            )
          : old.masters,
    };
  });
  client.setQueryData(
    keys.jobs(job.productionId),
    (old: Job[] | undefined) =>
      old && (old.some((j) => j.id === job.id) ? old.map((j) => (j.id === job.id ? job : j)) : [job, ...old]),
  );
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
      if (!event.success) return;
      switch (event.data.kind) {
        case 'production':
          return void client.invalidateQueries({ queryKey: keys.production(event.data.productionId) });
        case 'productions':
          return void client.invalidateQueries({ queryKey: keys.productions });
        case 'job':
          return putJob(client, event.data.job);
        case 'look':
          return void client.invalidateQueries({ queryKey: keys.look(event.data.masterId) });
        case 'disk':
          return void client.setQueryData(keys.disk, event.data.disk);
        case 'spec-book':
          return void client.invalidateQueries({ queryKey: keys.specBook });
      }
    });
    return () => source.close();
  }, [client]);
}
