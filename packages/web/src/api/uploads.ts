import { useSyncExternalStore } from 'react';
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
const uploads = new Map<number, Upload>();
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
export async function sendFilm(file: File, productionId: string, replaces?: string): Promise<void> {
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
    onSuccess: () => {
      uploads.delete(key);
      change(key, null);
    },
  });
  uploads.set(key, upload);
  const [earlier] = await upload.findPreviousUploads();
  if (earlier) upload.resumeFromPreviousUpload(earlier);
  upload.start();
}

/** Gives an upload up, or clears one that failed. */
export function dropUpload(key: number): void {
  void uploads
    .get(key)
    ?.abort(true)
    .catch(() => undefined);
  uploads.delete(key);
  change(key, null);
}

/** Goes on with an upload that failed. */
export function resumeUpload(key: number): void {
  change(key, { state: 'sending', problem: null });
  uploads.get(key)?.start();
}
