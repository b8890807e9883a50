import { useMutation, useQueryClient, type QueryClient } from '@tanstack/react-query';
import * as z from 'zod';
import {
  carryAnswerSchema,
  cutReadSchema,
  drawnSchema,
  followAnswerSchema,
  lookViewSchema,
  placeSetSchema,
  preferencesSchema,
  jobSchema,
  masterReadSchema,
  masterSchema,
  productionSchema,
  stripSchema,
  versionReadSchema,
  versionSchema,
  type Cut,
  type LookView,
  type Master,
  type Preferences,
  type StripAsked,
  type Version,
} from '@mivvy/api';
import type { Framing, FrameSpan, Keep, MarginChoice, Pace, Shot } from '@mivvy/core';
import { putMaster, putVersion } from './cache.ts';
import { remove, sendJson } from './client.ts';
import { keys } from './keys.ts';

/** A change that refreshes some of the cache; it counts as done when the screens have what it made. */
export function useChange<Input, Output>(
  run: (input: Input) => Promise<Output>,
  stale: (client: QueryClient, input: Input, output: Output) => unknown,
) {
  const client = useQueryClient();
  return useMutation({ mutationFn: run, onSuccess: (output, input) => stale(client, input, output) });
}
const staleProduction = (id: string) => (client: QueryClient) =>
  client.invalidateQueries({ queryKey: keys.production(id) });

/** The same with its jobs. */
const staleWork = (id: string) => (client: QueryClient) =>
  Promise.all([staleProduction(id)(client), client.invalidateQueries({ queryKey: keys.jobs(id) })]);

export const useStartProduction = () =>
  useChange(
    (input: { name: string; client: string }) => sendJson(productionSchema, 'POST', '/productions', input),
    (client) => client.invalidateQueries({ queryKey: keys.productions }),
  );
export const useRenameProduction = (id: string) =>
  useChange(
    (input: {
      name?: string;
      client?: string;
      margin?: MarginChoice;
      naming?: string | null;
      dueOn?: string | null;
    }) => sendJson(productionSchema, 'PATCH', `/productions/${id}`, input),
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
      sendJson(masterSchema, 'POST', `/productions/${id}/masters`, input),
    staleProduction(id),
  );
export const useRemoveMaster = (id: string) =>
  useChange((masterId: string) => remove(`/masters/${masterId}`), staleProduction(id));
/** Reads a master through again, or takes the changed file that lies in its place. */
export const useMendMaster = (id: string) =>
  useChange(
    ({ id: masterId, way }: { id: string; way: 'read' | 'renew' }) =>
      sendJson(masterSchema, 'POST', `/masters/${masterId}/${way}`),
    staleProduction(id),
  );
export const useAddVersions = (id: string) =>
  useChange(
    (input: { masterId: string; placementIds: string[] }) =>
      sendJson(z.array(versionSchema), 'POST', `/productions/${id}/versions`, input),
    (client) =>
      Promise.all([staleProduction(id)(client), client.invalidateQueries({ queryKey: keys.placeSets })]),
  );
/** Saves a set of placements, changes one, or forgets it. */
export const usePlaceSetChange = () =>
  useChange(
    async (
      input:
        | { kind: 'save'; name: string; placementIds: string[] }
        | { kind: 'change'; id: string; name?: string; placementIds?: string[] }
        | { kind: 'forget'; id: string },
    ) => {
      if (input.kind === 'forget') return remove(`/place-sets/${input.id}`);
      if (input.kind === 'save') {
        const { name, placementIds } = input;
        await sendJson(z.array(placeSetSchema), 'POST', '/place-sets', { name, placementIds });
        return;
      }
      const { kind: _kind, id, ...change } = input;
      await sendJson(z.array(placeSetSchema), 'PATCH', `/place-sets/${id}`, change);
    },
    (client) => client.invalidateQueries({ queryKey: keys.placeSets }),
  );
/** Changes what is preferred in this workspace. */
export const usePreferenceChange = () =>
  useChange(
    (next: Partial<Preferences>) => sendJson(preferencesSchema, 'PATCH', '/preferences', next),
    (client, _input, saved) => client.setQueryData(keys.preferences, saved),
  );
export const useRemoveVersion = (id: string) =>
  useChange(
    (versionId: string) => remove(`/versions/${versionId}`),
    (client) =>
      Promise.all([
        staleProduction(id)(client),
        client.invalidateQueries({ queryKey: keys.deliverables(id) }),
      ]),
  );
export const useExport = (id: string) =>
  useChange(
    (versionIds: string[]) =>
      sendJson(z.array(jobSchema), 'POST', `/productions/${id}/exports`, { versionIds }),
    staleWork(id),
  );
export const useJobAction = (id: string) =>
  useChange(
    ({ jobId, action }: { jobId: string; action: 'cancel' | 'retry' }) =>
      sendJson(jobSchema, 'POST', `/jobs/${jobId}/${action}`),
    staleWork(id),
  );
/** Moves a waiting job before another, or to the end of the queue. */
export const useMoveJob = (id: string) =>
  useChange(
    ({ jobId, before }: { jobId: string; before: string | null }) =>
      sendJson(z.array(jobSchema), 'POST', `/jobs/${jobId}/move`, { before }),
    (client) => client.invalidateQueries({ queryKey: keys.jobs(id) }),
  );

/** Saves a framing; the answer replaces the version in the cache. */
export async function saveFraming(client: QueryClient, version: Version, framing: Framing): Promise<Version> {
  const saved = await sendJson(versionSchema, 'PATCH', `/versions/${version.id}`, {
    revision: version.revision,
    framing,
  });
  return putVersion(client, saved);
}

/** Takes a version's last change back, or does it again. */
export const stepFraming = async (client: QueryClient, version: Version, direction: 'undo' | 'redo') =>
  putVersion(client, await sendJson(versionSchema, 'POST', `/versions/${version.id}/${direction}`));

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
          ? await sendJson(versionSchema, 'POST', `/versions/${versionId}/acceptances/withdraw`, { mark })
          : await sendJson(versionSchema, 'POST', `/versions/${versionId}/acceptances`, { mark, reason }),
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
      const { version, words } = await sendJson(versionReadSchema, 'POST', `/versions/${versionId}/plan`, {
        fileName,
        text,
      });
      putVersion(client, version);
      return words;
    },
  });
};

/** Saves the framings of several versions at once: all of them, or none. */
export const useSaveFramings = (id: string) => {
  const client = useQueryClient();
  return useMutation({
    mutationFn: async (framings: { versionId: string; revision: number; framing: Framing }[]) =>
      sendJson(z.array(versionSchema), 'POST', `/productions/${id}/framings`, { framings }),
    onSuccess: (saved) => saved.forEach((version) => putVersion(client, version)),
  });
};
/** Takes the last change of several versions' framings back. */
export const useTakeBack = (id: string) => {
  const client = useQueryClient();
  return useMutation({
    mutationFn: async (versionIds: string[]) =>
      sendJson(z.array(versionSchema), 'POST', `/productions/${id}/framings/undo`, { versionIds }),
    onSuccess: (saved) => saved.forEach((version) => putVersion(client, version)),
  });
};
/** Accepts troubles of several versions for one reason. */
export const useAcceptTogether = (id: string) => {
  const client = useQueryClient();
  return useMutation({
    mutationFn: async (input: { reason: string; troubles: { versionId: string; mark: string }[] }) =>
      sendJson(z.array(versionSchema), 'POST', `/productions/${id}/acceptances`, input),
    onSuccess: (saved) => saved.forEach((version) => putVersion(client, version)),
  });
};

/** Copies a framing to other versions. */
export const useCarry = (id: string) =>
  useChange(
    (input: { fromVersionId: string; toVersionIds: string[]; shotAt?: number }) =>
      sendJson(carryAnswerSchema, 'POST', `/productions/${id}/carry`, input),
    staleProduction(id),
  );

/** Copies the framing of all versions of a master to another. */
export const useCarryMaster = (id: string) =>
  useChange(
    ({ fromMasterId, toMasterId }: { fromMasterId: string; toMasterId: string }) =>
      sendJson(carryAnswerSchema, 'POST', `/masters/${fromMasterId}/carry`, { toMasterId }),
    staleProduction(id),
  );

/** Something done to a master's shots or keeps. */
type MasterChange =
  | {
      kind: 'work';
      revision: number;
      shots?: Shot[];
      keeps?: Keep[];
      unimportant?: string[];
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
        const { master, words } = await sendJson(
          masterReadSchema,
          'POST',
          `/masters/${masterId}/cut-list`,
          body,
        );
        putMaster(client, master);
        return words;
      }
      putMaster(
        client,
        kind === 'work'
          ? await sendJson(masterSchema, 'PATCH', `/masters/${masterId}/work`, body)
          : await sendJson(masterSchema, 'POST', `/masters/${masterId}/${kind}`),
      );
      return [];
    },
  });
};

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
      const made = (await sendJson(masterSchema, 'POST', `/masters/${masterId}/cuts`, cut)).cuts.at(-1)!;
      for (const id of versionIds)
        await sendJson(versionSchema, 'PATCH', `/versions/${id}/cut`, { cutId: made.id });
      return made;
    },
    staleProduction(productionId),
  );
/** Makes a cut as an edit list says. */
export const useReadCut = (productionId: string) =>
  useChange(
    ({ masterId, ...file }: { masterId: string; fileName: string; text: string }) =>
      sendJson(cutReadSchema, 'POST', `/masters/${masterId}/cuts/read`, file),
    staleProduction(productionId),
  );
export const useRemoveCut = (productionId: string) =>
  useChange((cutId: string) => remove(`/cuts/${cutId}`), staleProduction(productionId));
/** Has versions play a cut; null is the full film. */
export const usePlayCut = () =>
  useChange(
    async ({ versionIds, cutId }: { versionIds: readonly string[]; cutId: string | null }) => {
      const saved: Version[] = [];
      for (const id of versionIds)
        saved.push(await sendJson(versionSchema, 'PATCH', `/versions/${id}/cut`, { cutId }));
      return saved;
    },
    (client, _input, saved) => saved.forEach((version) => putVersion(client, version)),
  );

/** Picks the master's frame that a version's cover shows; null for the middle of what plays. */
export const usePickCover = () =>
  useChange(
    ({ versionId, frame }: { versionId: string; frame: number | null }) =>
      sendJson(versionSchema, 'PATCH', `/versions/${versionId}/cover`, { frame }),
    (client, _input, saved) => putVersion(client, saved),
  );

/** Draws a version from its master's textless master, or from the film itself again. */
export const useDrawTextless = () =>
  useChange(
    ({ versionId, textless }: { versionId: string; textless: boolean }) =>
      sendJson(versionSchema, 'PATCH', `/versions/${versionId}/textless`, { textless }),
    (client, _input, saved) => putVersion(client, saved),
  );

/** Makes another film a master's textless master; without one, lets go of the one that it has. */
export const useChooseTextless = (productionId: string) =>
  useChange(async ({ filmId, masterId }: { filmId: string; masterId: string | null }) => {
    const path = `/masters/${filmId}/textless`;
    if (masterId === null) await remove(path);
    else await sendJson(masterSchema, 'PUT', path, { masterId });
  }, staleWork(productionId));

/** Chooses how far a version's picture is sharpened. */
export const useSharpen = () =>
  useChange(
    ({ versionId, sharpen }: { versionId: string; sharpen: number | null }) =>
      sendJson(versionSchema, 'PATCH', `/versions/${versionId}/sharpen`, { sharpen }),
    (client, _input, saved) => putVersion(client, saved),
  );

/** Encodes a test strip. */
export const useMakeStrip = () =>
  useChange(
    ({ versionId, ...asked }: StripAsked & { versionId: string }) =>
      sendJson(stripSchema, 'POST', `/versions/${versionId}/strip`, asked),
    () => undefined,
  );

/** Measures what efforts cost and gain on this machine. */
export const useMeasureEfforts = () =>
  useChange(
    (versionId: string) => sendJson(preferencesSchema, 'POST', '/efforts', { versionId }),
    (client, _input, saved) => client.setQueryData(keys.preferences, saved),
  );

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
      await sendJson(masterSchema, 'PATCH', `/cuts/${cut.id}`, {
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
  cutIn(putMaster(client, await sendJson(masterSchema, 'POST', `/cuts/${cut.id}/${direction}`)), cut.id);
const cutIn = (master: Master, id: string): Cut => master.cuts.find((c) => c.id === id)!;

/** Has a master looked at. */
export const useWantLook = () =>
  useChange(
    (masterId: string) => sendJson(lookViewSchema, 'POST', `/masters/${masterId}/look`),
    (client, masterId, look: LookView) => client.setQueryData(keys.look(masterId), look),
  );

/** Follows a subject that was drawn; its id is the answer. */
export const useDrawSubject = (masterId: string) =>
  useChange(
    (input: { frame: number; name: string; box: { x: number; y: number; width: number; height: number } }) =>
      sendJson(drawnSchema, 'POST', `/masters/${masterId}/subjects`, input),
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
      sendJson(followAnswerSchema, 'POST', `/productions/${id}/follow`, input),
    staleProduction(id),
  );
