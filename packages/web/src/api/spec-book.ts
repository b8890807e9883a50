import { useQuery, type QueryClient } from '@tanstack/react-query';
import * as z from 'zod';
import {
  bookChangeSchema,
  bringOverAnswerSchema,
  placementPageSchema,
  specBookViewSchema,
  type PlacementPage,
} from '@mivvy/api';
import type { Placement } from '@mivvy/core';
import { useChange } from './changes.ts';
import { getJson, sendFile, sendJson } from './client.ts';
import { keys } from './keys.ts';

/** Everything about one placement: its revisions and the versions that are made for it. */
export const usePlacementPage = (id: string | undefined) =>
  useQuery({
    queryKey: keys.placementPage(id ?? ''),
    queryFn: ({ signal }) => getJson(placementPageSchema, `/spec-book/placements/${id}`, signal),
    enabled: id !== undefined,
  });

interface BookFile {
  fileName: string;
  text: string;
}

/** What a file would change in the book. */
export const previewFile = (file: BookFile) =>
  sendJson(z.array(bookChangeSchema), 'POST', '/spec-book/files/preview', file);

export const useTakeFile = () =>
  useChange(
    (input: BookFile & { by: string; reason: string; effectiveOn?: string }) =>
      sendJson(specBookViewSchema, 'POST', '/spec-book/files', input),
    (client) => client.invalidateQueries({ queryKey: keys.specBook }),
  );

/** A placement's page as it is after a change; the book's list follows. */
function putPage(client: QueryClient, _input: unknown, page: PlacementPage): Promise<void> {
  client.setQueryData(keys.placementPage(page.standing.id), page);
  return client.invalidateQueries({ queryKey: keys.specBook });
}

export interface Revising {
  placement: Placement;
  basedOn: number;
  by: string;
  reason: string;
  effectiveOn?: string;
}
export const useRevise = () =>
  useChange(
    ({ placement, ...rest }: Revising) =>
      sendJson(placementPageSchema, 'PUT', `/spec-book/placements/${placement.id}`, { placement, ...rest }),
    putPage,
  );
export const useAddPlacement = () =>
  useChange(
    (input: { outlet: { id: string; name: string }; placement: Placement; by: string; reason: string }) =>
      sendJson(placementPageSchema, 'POST', '/spec-book/placements', input),
    putPage,
  );
export const useCheckedToday = () =>
  useChange(
    ({ id, by }: { id: string; by: string }) =>
      sendJson(placementPageSchema, 'POST', `/spec-book/placements/${id}/checked`, { by }),
    putPage,
  );
export const useRetire = () =>
  useChange(
    ({ id, retired }: { id: string; retired: boolean }) =>
      sendJson(placementPageSchema, 'POST', `/spec-book/placements/${id}/retired`, { retired }),
    putPage,
  );
export const useRenameOutlet = () =>
  useChange(
    ({ id, name }: { id: string; name: string }) =>
      sendJson(specBookViewSchema, 'PATCH', `/spec-book/outlets/${id}`, { name }),
    (client) => client.invalidateQueries({ queryKey: keys.specBook }),
  );
export const useKeepEvidence = () =>
  useChange(
    ({ id, file }: { id: string; file: File }) =>
      sendFile(
        placementPageSchema,
        'PUT',
        `/spec-book/placements/${id}/evidence?name=${encodeURIComponent(file.name)}`,
        file,
      ),
    putPage,
  );
/** Makes versions for their placements as these hold today. */
export const useBringOver = () =>
  useChange(
    (versionIds: string[]) =>
      sendJson(bringOverAnswerSchema, 'POST', '/spec-book/bring-over', { versionIds }),
    (client) =>
      Promise.all([
        client.invalidateQueries({ queryKey: keys.specBook }),
        client.invalidateQueries({ queryKey: keys.allProductions }),
      ]),
  );
