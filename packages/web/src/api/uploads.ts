import { useMemo, useSyncExternalStore } from 'react';
import * as z from 'zod';
import type { DetailedError, Upload } from 'tus-js-client';
import type { Problem } from '@mivvy/core';
import { problemSchema } from '@mivvy/api';

/** A film on its way to the server. */
export interface Arriving {
  key: number;
  productionId: string;
  name: string;
  bytes: number;
  sent: number;
  /** Seconds left at the speed of late; null while unknown. */
  secondsLeft: number | null;
  state: 'sending' | 'waiting' | 'failed';
  problem: Problem | null;
}

let list: readonly Arriving[] = [];
const uploads = new Map<number, { upload: Upload; dropped: number | undefined }>();
const listeners = new Set<() => void>();
let nextKey = 1;

function change(key: number, patch: Partial<Arriving> | null): void {
  list = patch
    ? list.map((a) => (a.key === key ? { ...a, ...patch } : a))
    : list.filter((a) => a.key !== key);
  listeners.forEach((tell) => tell());
}

/** The films on their way to a production. */
export function useArriving(productionId: string): Arriving[] {
  const all = useSyncExternalStore(
    (tell) => (listeners.add(tell), () => listeners.delete(tell)),
    () => list,
  );
  return all.filter((a) => a.productionId === productionId);
}

/** A film that was dropped, and the master that it has become. */
interface DroppedFilm {
  key: number;
  masterId: string | null;
  /** Its versions have been asked for. */
  settled: boolean;
}

/** Films that were dropped together, and where they go: null until that has been answered. */
export interface DroppedFilms {
  key: number;
  productionId: string;
  files: readonly File[];
  films: readonly DroppedFilm[];
  placementIds: readonly string[] | null;
}

let droppings: readonly DroppedFilms[] = [];

function changeDropped(change: (dropped: DroppedFilms) => DroppedFilms): void {
  // Nothing is asked or kept of films none of which can come any more.
  droppings = droppings.map(change).filter((d) => d.films.some((f) => !f.settled));
  listeners.forEach((tell) => tell());
}

/** Sends films that were dropped together; where they go is asked once for all of them. */
export function sendFilms(files: readonly File[], productionId: string): void {
  if (files.length === 0) return;
  const group = nextKey++;
  const films = files.map((): DroppedFilm => ({ key: nextKey++, masterId: null, settled: false }));
  droppings = [...droppings, { key: group, productionId, files, films, placementIds: null }];
  files.forEach((file, i) => void sendFilm(file, productionId, { dropped: films[i]!.key }));
}

/** The films dropped on a production whose places have not been asked for, or not been made yet. */
export function useDropped(productionId: string): readonly DroppedFilms[] {
  const all = useSyncExternalStore(
    (tell) => (listeners.add(tell), () => listeners.delete(tell)),
    () => droppings,
  );
  return useMemo(() => all.filter((d) => d.productionId === productionId), [all, productionId]);
}

/** Says where dropped films go; nowhere leaves it for later. */
export function answerDropped(key: number, placementIds: readonly string[]): void {
  changeDropped((d) =>
    d.key !== key
      ? d
      : placementIds.length
        ? { ...d, placementIds }
        : { ...d, placementIds, films: d.films.map((f) => ({ ...f, settled: true })) },
  );
}

/** The versions of a dropped film have been asked for. */
export function settleDropped(key: number, filmKey: number): void {
  changeDropped((d) =>
    d.key === key
      ? { ...d, films: d.films.map((f) => (f.key === filmKey ? { ...f, settled: true } : f)) }
      : d,
  );
}

/** A dropped film has become a master, or never will: null. */
function arrived(filmKey: number, masterId: string | null): void {
  changeDropped((d) => ({
    ...d,
    films: d.films.map((f) =>
      f.key === filmKey ? (masterId === null ? { ...f, settled: true } : { ...f, masterId }) : f,
    ),
  }));
}

const arrivedSchema = z.object({ id: z.string() });

/** The master that the server made of an upload. */
function masterIdFrom(answer: string): string | null {
  try {
    const told = arrivedSchema.safeParse(JSON.parse(answer));
    return told.success ? told.data.id : null;
  } catch {
    return null;
  }
}

/** What the server said of a failed upload. */
function problemFrom(error: Error): Problem {
  const { originalResponse } = error as Partial<DetailedError>;
  if (originalResponse) {
    try {
      const told = problemSchema.safeParse(JSON.parse(originalResponse.getBody()));
      if (told.success) return told.data;
    } catch {
      // not one of our own answers
    }
  }
  return {
    code: 'upload-broken',
    sentence: 'The connection to the server was lost.',
    mend: 'Drop the film again: it goes on where it stopped.',
  };
}

/** Sends a film, to stand beside the others or in the place of one; a broken connection is taken up again by itself, also after a reload when the film is dropped again. */
export async function sendFilm(
  file: File,
  productionId: string,
  { replaces, dropped }: { replaces?: string; dropped?: number } = {},
): Promise<void> {
  const key = nextKey++;
  list = [
    ...list,
    {
      key,
      productionId,
      name: file.name,
      bytes: file.size,
      sent: 0,
      secondsLeft: null,
      state: 'sending',
      problem: null,
    },
  ];
  listeners.forEach((tell) => tell());
  let marks: { at: number; sent: number }[] = [];
  // What sends films is loaded with the first of them.
  const { Upload } = await import('tus-js-client');
  const upload = new Upload(file, {
    endpoint: '/api/uploads',
    metadata: { filename: file.name, productionId, ...(replaces ? { replaces } : {}) },
    retryDelays: [0, 500, 1000, 2000, 4000, 8000, 8000, 8000, 8000, 8000],
    // The same film dropped on another production is another upload.
    fingerprint: async () =>
      ['mivvy', productionId, replaces ?? '', file.name, file.size, file.lastModified].join('|'),
    removeFingerprintOnSuccess: true,
    onShouldRetry: (error) => {
      const status = error.originalResponse?.getStatus() ?? 0;
      const again = status === 0 || status === 423 || status === 409 || (status >= 500 && status !== 507);
      if (again) change(key, { state: 'waiting', secondsLeft: null });
      return again;
    },
    onProgress: (sent, total) => {
      const at = performance.now();
      marks = [...marks.filter((m) => at - m.at < 6000), { at, sent }];
      const first = marks[0]!;
      const speed = at - first.at > 400 ? (sent - first.sent) / (at - first.at) : 0;
      change(key, { sent, state: 'sending', secondsLeft: speed > 0 ? (total - sent) / speed / 1000 : null });
    },
    onError: (error) => change(key, { state: 'failed', problem: problemFrom(error), secondsLeft: null }),
    onSuccess: ({ lastResponse }) => {
      uploads.delete(key);
      if (dropped !== undefined) arrived(dropped, masterIdFrom(lastResponse.getBody()));
      change(key, null);
    },
  });
  uploads.set(key, { upload, dropped });
  const [earlier] = await upload.findPreviousUploads();
  if (earlier) upload.resumeFromPreviousUpload(earlier);
  upload.start();
}

/** Gives an upload up, or clears one that failed: where it was to go is forgotten with it. */
export function dropUpload(key: number): void {
  const { upload, dropped } = uploads.get(key) ?? {};
  void upload?.abort(true).catch(() => undefined);
  uploads.delete(key);
  if (dropped !== undefined) arrived(dropped, null);
  change(key, null);
}

/** Goes on with an upload that failed. */
export function resumeUpload(key: number): void {
  change(key, { state: 'sending', problem: null });
  uploads.get(key)?.upload.start();
}
