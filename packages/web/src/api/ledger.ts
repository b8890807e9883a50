import { keepPreviousData, useQuery } from '@tanstack/react-query';
import * as z from 'zod';
import {
  attentionSchema,
  clearedFilesSchema,
  deliverableHistorySchema,
  dispatchSchema,
  happeningViewSchema,
  ledgerPageSchema,
  ledgerViewSchema,
  madeReviewLinkSchema,
  namingPreviewSchema,
  noteSchema,
  packageWrittenSchema,
  productionSchema,
  renamedSchema,
  reviewLinkSchema,
  trackedSchema,
  versionSchema,
  type LedgerPage,
  type LedgerQuery,
} from '@mivvy/api';
import { putVersion } from './cache.ts';
import { useChange } from './changes.ts';
import { getJson, remove, sendJson } from './client.ts';
import { keys } from './keys.ts';

/** A page of the ledger; rows of groups that are folded are not in it. */
interface WantedPage {
  from: number;
  count: number;
  folded?: readonly string[];
}

/** A question to the ledger as an address carries it. */
export function ledgerAddress(query: LedgerQuery, page?: WantedPage): string {
  const said = new URLSearchParams();
  const { folded = [], ...rest } = page ?? {};
  for (const key of folded) said.append('folded', key);
  for (const [name, value] of Object.entries({ ...query, ...rest }))
    if (value !== undefined && value !== '' && !(Array.isArray(value) && value.length === 0))
      said.set(name, String(value));
  return said.toString();
}

/** A page with what was asked for it: the one before may be shown for a while. */
export interface LedgerAnswer extends LedgerPage {
  from: number;
  folded: readonly string[];
}

/** One page of the ledger; the page before is shown until the next one is there. */
export const useLedger = (query: LedgerQuery, page: WantedPage) =>
  useQuery({
    queryKey: [...keys.ledger, query, page],
    queryFn: async ({ signal }): Promise<LedgerAnswer> => ({
      ...(await getJson(ledgerPageSchema, `/ledger?${ledgerAddress(query, page)}`, signal)),
      from: page.from,
      folded: page.folded ?? [],
    }),
    placeholderData: keepPreviousData,
  });
export const useLedgerViews = () =>
  useQuery({
    queryKey: keys.ledgerViews,
    queryFn: ({ signal }) => getJson(z.array(ledgerViewSchema), '/ledger/views', signal),
  });
export const useAttention = () =>
  useQuery({
    queryKey: keys.attention,
    queryFn: ({ signal }) => getJson(attentionSchema, '/attention', signal),
  });
/** What happened to a version's files, and the notes to them. */
export const useHistory = (versionId: string) =>
  useQuery({
    queryKey: keys.history(versionId),
    queryFn: ({ signal }) => getJson(deliverableHistorySchema, `/versions/${versionId}/history`, signal),
  });
export const useReviewLinks = (productionId: string) =>
  useQuery({
    queryKey: keys.reviewLinks(productionId),
    queryFn: ({ signal }) =>
      getJson(z.array(reviewLinkSchema), `/productions/${productionId}/review-links`, signal),
  });
export const useDispatches = (productionId: string) =>
  useQuery({
    queryKey: keys.dispatches(productionId),
    queryFn: ({ signal }) =>
      getJson(z.array(dispatchSchema), `/productions/${productionId}/dispatches`, signal),
  });
export const useHappenings = (productionId: string) =>
  useQuery({
    queryKey: keys.happenings(productionId),
    queryFn: ({ signal }) =>
      getJson(z.array(happeningViewSchema), `/productions/${productionId}/happenings`, signal),
  });
/** What the files would be called by a pattern. */
export const useNamingPreview = (productionId: string, pattern: string) =>
  useQuery({
    queryKey: keys.naming(productionId, pattern),
    queryFn: async () =>
      sendJson(namingPreviewSchema, 'POST', `/productions/${productionId}/naming/preview`, { pattern }),
    placeholderData: keepPreviousData,
    gcTime: 0,
    staleTime: 0,
  });

export const useKeepView = () =>
  useChange(
    (input: { name: string; query: LedgerQuery }) =>
      sendJson(z.array(ledgerViewSchema), 'POST', '/ledger/views', input),
    (client, _input, views) => client.setQueryData(keys.ledgerViews, views),
  );
export const useForgetView = () =>
  useChange(
    (id: string) => remove(`/ledger/views/${id}`),
    (client) => client.invalidateQueries({ queryKey: keys.ledgerViews }),
  );
/** Says when versions are due and who has them. */
export const useTrack = (productionId: string) =>
  useChange(
    (input: { versionIds: string[]; dueOn?: string | null; holder?: string }) =>
      sendJson(trackedSchema, 'PATCH', `/productions/${productionId}/tracking`, input),
    (client) =>
      Promise.all([
        client.invalidateQueries({ queryKey: keys.production(productionId) }),
        client.invalidateQueries({ queryKey: keys.allHistories }),
        client.invalidateQueries({ queryKey: keys.ledger }),
      ]),
  );
export const useRenameFiles = (productionId: string) =>
  useChange(
    (_nothing: void) => sendJson(renamedSchema, 'POST', `/productions/${productionId}/naming/rename`),
    (client) =>
      Promise.all([
        client.invalidateQueries({ queryKey: keys.production(productionId) }),
        client.invalidateQueries({ queryKey: keys.deliverables(productionId) }),
        client.invalidateQueries({ queryKey: ['naming'] }),
      ]),
  );
export const useAnswerNote = (versionId: string) =>
  useChange(
    ({ noteId, words }: { noteId: string; words: string }) =>
      sendJson(z.array(noteSchema), 'POST', `/notes/${noteId}/answers`, { words }),
    (client) => client.invalidateQueries({ queryKey: keys.history(versionId) }),
  );
export const useNoteDone = (versionId: string) =>
  useChange(
    ({ noteId, done }: { noteId: string; done: boolean }) =>
      sendJson(z.array(noteSchema), 'PATCH', `/notes/${noteId}`, { done }),
    (client) => client.invalidateQueries({ queryKey: keys.history(versionId) }),
  );
export const useRestore = () =>
  useChange(
    (deliverableId: string) => sendJson(versionSchema, 'POST', `/deliverables/${deliverableId}/restore`),
    (client, _id, version) => {
      putVersion(client, version);
      return client.invalidateQueries({ queryKey: keys.history(version.id) });
    },
  );
export const useStartReview = (productionId: string) =>
  useChange(
    (input: { name: string; versionIds: string[]; days: number; mayFetch: boolean; password?: string }) =>
      sendJson(madeReviewLinkSchema, 'POST', `/productions/${productionId}/review-links`, input),
    (client) =>
      Promise.all([
        client.invalidateQueries({ queryKey: keys.reviewLinks(productionId) }),
        client.invalidateQueries({ queryKey: keys.production(productionId) }),
      ]),
  );
export const useRevokeLink = (productionId: string) =>
  useChange(
    (id: string) => sendJson(reviewLinkSchema, 'POST', `/review-links/${id}/revoke`),
    (client) => client.invalidateQueries({ queryKey: keys.reviewLinks(productionId) }),
  );
export const useDispatchFiles = (productionId: string) =>
  useChange(
    (input: {
      deliverableIds: string[];
      connector: 'outlet' | 'folder';
      folder?: string;
      publishAt?: string;
      zone?: string;
    }) => sendJson(z.array(dispatchSchema), 'POST', `/productions/${productionId}/dispatches`, input),
    (client, _input, all) => client.setQueryData(keys.dispatches(productionId), all),
  );
export const useSendAgain = (productionId: string) =>
  useChange(
    (id: string) => sendJson(z.array(dispatchSchema), 'POST', `/dispatches/${id}/again`),
    (client, _id, all) => client.setQueryData(keys.dispatches(productionId), all),
  );
export const usePackFolder = (productionId: string) =>
  useChange(
    (input: { deliverableIds: string[]; folder: string }) =>
      sendJson(packageWrittenSchema, 'POST', `/productions/${productionId}/package`, input),
    (client) => client.invalidateQueries({ queryKey: keys.happenings(productionId) }),
  );
/** Clears older files, or says what that would clear. */
export const useClearFiles = (productionId: string) =>
  useChange(
    (input: { keep: number; onlyTell: boolean }) =>
      sendJson(clearedFilesSchema, 'POST', `/productions/${productionId}/clear`, input),
    (client, { onlyTell }) =>
      onlyTell
        ? undefined
        : Promise.all([
            client.invalidateQueries({ queryKey: keys.deliverables(productionId) }),
            client.invalidateQueries({ queryKey: keys.allHistories }),
          ]),
  );
export const useCopyProduction = () =>
  useChange(
    ({ id, ...input }: { id: string; name: string; dueOn: string | null }) =>
      sendJson(productionSchema, 'POST', `/productions/${id}/copy`, input),
    (client) => client.invalidateQueries({ queryKey: keys.productions }),
  );
