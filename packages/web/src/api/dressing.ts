import { useMutation, type QueryClient } from '@tanstack/react-query';
import type { Dressing } from '@mivvy/core';
import { captionsReadSchema, graphicViewSchema, masterSchema, type Master } from '@mivvy/api';
import { putMaster } from './cache.ts';
import { sendFile, sendJson } from './client.ts';

/** A master's dressing with the revision that a change of it is made from. */
export interface DressingBase {
  masterId: string;
  dressing: Dressing;
  revision: number;
}

export const dressingOf = ({ id, dressing, dressingRevision }: Master): DressingBase => ({
  masterId: id,
  dressing,
  revision: dressingRevision,
});

/** Saves what is laid over a film; the answer replaces its master in the cache. */
export async function saveDressing(
  client: QueryClient,
  { masterId, revision }: DressingBase,
  dressing: Dressing,
): Promise<DressingBase> {
  const body = { revision, dressing };
  return dressingOf(
    putMaster(client, await sendJson(masterSchema, 'PUT', `/masters/${masterId}/dressing`, body)),
  );
}

/** Takes the last change of it back, or does it again. */
export const stepDressing = async (client: QueryClient, masterId: string, direction: 'undo' | 'redo') =>
  putMaster(client, await sendJson(masterSchema, 'POST', `/masters/${masterId}/dressing/${direction}`));

const nameOf = (file: File) => `?name=${encodeURIComponent(file.name)}`;

/** Reads a caption file; nothing is kept of it yet. */
export const useReadCaptions = () =>
  useMutation({
    mutationFn: (file: File) => sendFile(captionsReadSchema, 'POST', `/captions/read${nameOf(file)}`, file),
  });

/** Lays words along the speech of a film; nothing is kept of it yet. */
export const useTimeScript = (masterId: string) =>
  useMutation({
    mutationFn: (text: string) =>
      sendJson(captionsReadSchema, 'POST', `/masters/${masterId}/script`, { text }),
  });

/** Takes a picture in for a layer. */
export const useTakeGraphic = () =>
  useMutation({
    mutationFn: (file: File) => sendFile(graphicViewSchema, 'POST', `/graphics${nameOf(file)}`, file),
  });
