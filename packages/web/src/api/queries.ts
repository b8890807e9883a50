import { useQueries, useQuery } from '@tanstack/react-query';
import * as z from 'zod';
import { checkReportSchema } from '@mivvy/core';
import {
  deliverableSchema,
  filmActivitySchema,
  healthSchema,
  inboxFileSchema,
  jobSchema,
  lookViewSchema,
  masterSchema,
  placeSetSchema,
  preferencesSchema,
  productionCardSchema,
  productionDetailSchema,
  forecastsSchema,
  specBookViewSchema,
  type FilmActivity,
  type Job,
  type Master,
} from '@mivvy/api';
import { getJson } from './client.ts';
import { keys } from './keys.ts';

/** Whether the data disk has room; told by events from then on. */
export const useDisk = () =>
  useQuery({
    queryKey: keys.disk,
    queryFn: async ({ signal }) => (await getJson(healthSchema, '/health', signal)).disk,
    staleTime: Infinity,
  });
export const useProductions = () =>
  useQuery({
    queryKey: keys.productions,
    queryFn: ({ signal }) => getJson(z.array(productionCardSchema), '/productions', signal),
  });
export const useProduction = (id: string) =>
  useQuery({
    queryKey: keys.production(id),
    queryFn: ({ signal }) => getJson(productionDetailSchema, `/productions/${id}`, signal),
  });
const jobsQuery = (id: string) => ({
  queryKey: keys.jobs(id),
  queryFn: ({ signal }: { signal: AbortSignal }) =>
    getJson(z.array(jobSchema), `/productions/${id}/jobs`, signal),
});
export const useJobs = (id: string) => useQuery(jobsQuery(id));

/** It waits or runs. */
export const isActive = (job: Job): boolean => job.state === 'queued' || job.state === 'running';
const oldestFirst = (a: Job, b: Job) => a.createdAt.localeCompare(b.createdAt);
const activeOf = (jobs: readonly Job[]): Job[] => jobs.filter(isActive).sort(oldestFirst);

/** A production's jobs that wait or run, oldest first. */
export const useActiveJobs = (id: string): readonly Job[] =>
  useQuery({ ...jobsQuery(id), select: activeOf }).data ?? none;
const none: readonly Job[] = [];

/** The job that waits or runs about something. */
export const useJobAbout = (productionId: string, subjectId: string): Job | undefined =>
  useQuery({
    ...jobsQuery(productionId),
    select: (jobs) => activeOf(jobs).find((j) => j.subjectId === subjectId),
  }).data;
export const useDeliverables = (id: string) =>
  useQuery({
    queryKey: keys.deliverables(id),
    queryFn: ({ signal }) => getJson(z.array(deliverableSchema), `/productions/${id}/deliverables`, signal),
  });
/** The check report of a file; it never changes. */
export const useReport = (deliverableId: string) =>
  useQuery({
    queryKey: keys.report(deliverableId),
    staleTime: Infinity,
    queryFn: ({ signal }) => getJson(checkReportSchema, `/deliverables/${deliverableId}/report`, signal),
  });
/** A film by itself, for whoever shows it without its production. */
export const useFilmOf = (master: { id: string; fileGeneration: number } | undefined) =>
  useQuery({
    queryKey: keys.filmOf(master?.id ?? '', master?.fileGeneration ?? 0),
    enabled: master !== undefined,
    staleTime: Infinity,
    queryFn: ({ signal }) => getJson(masterSchema, `/masters/${master!.id}`, signal),
  });
const lookQuery = (masterId: string, enabled: boolean) => ({
  queryKey: keys.look(masterId),
  enabled,
  // An event tells of every change of it, and it is long.
  staleTime: Infinity,
  queryFn: ({ signal }: { signal: AbortSignal }) =>
    getJson(lookViewSchema, `/masters/${masterId}/look`, signal),
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
    queryFn: ({ signal }) => getJson(specBookViewSchema, '/spec-book', signal),
  });
/** What each version's file is expected to become; `madeFrom` is whatever it depends on. */
export const useForecasts = (productionId: string, madeFrom: number) =>
  useQuery({
    queryKey: [...keys.forecast(productionId), madeFrom],
    queryFn: ({ signal }) => getJson(forecastsSchema, `/productions/${productionId}/forecast`, signal),
    placeholderData: (before) => before,
  });
/** Sets of placements, the one that was taken last first. */
export const usePlaceSets = () =>
  useQuery({
    queryKey: keys.placeSets,
    queryFn: ({ signal }) => getJson(z.array(placeSetSchema), '/place-sets', signal),
  });
/** What is preferred in this workspace. */
export const usePreferences = () =>
  useQuery({
    queryKey: keys.preferences,
    queryFn: ({ signal }) => getJson(preferencesSchema, '/preferences', signal),
  });
export const useInbox = (enabled: boolean) =>
  useQuery({
    queryKey: keys.inbox,
    enabled,
    queryFn: ({ signal }) => getJson(z.array(inboxFileSchema), '/inbox', signal),
  });

/** With a selection, what did not change stays the same object when what is known of a film is asked for anew. */
const whole = (activity: FilmActivity): FilmActivity => activity;
/** What is heard and seen along a master; it changes with its file and its shots. */
export const useAlong = (master: Master) =>
  useQuery({
    queryKey: keys.along(master.id, master.fileGeneration, master.revision),
    staleTime: Infinity,
    queryFn: ({ signal }) => getJson(filmActivitySchema, `/masters/${master.id}/along`, signal),
    select: whole,
    // Until what is new of the same file has come, what was known of it stands: nothing blinks under the hand.
    placeholderData: (before, query) =>
      query?.queryKey[1] === master.id && query.queryKey[2] === master.fileGeneration ? before : undefined,
  });
