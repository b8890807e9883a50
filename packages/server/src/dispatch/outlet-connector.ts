import { createReadStream, type ReadStream } from 'node:fs';
import { Upload } from 'tus-js-client';
import * as z from 'zod';
import type { Problem } from '@mivvy/core';
import type { Receipt } from '@mivvy/api';
import type { Connector, Consignment, Outcome, Whereabouts } from './connector.ts';

const answerSchema = z.object({
  receipt: z.string(),
  state: z.enum(['processing', 'scheduled', 'live', 'refused']),
  sha256: z.string(),
  reason: z.string().nullable(),
  address: z.string().nullable(),
  beside: z.array(z.object({ kind: z.enum(['captions', 'cover']), sha256: z.string() })).default([]),
});
const refusalSchema = z.object({ error: z.string() });

/** Bytes that are sent in one piece; a line that breaks loses no more than that. */
const pieceBytes = 4_000_000;
/** An outlet that has not answered for so long is asked again, milliseconds. */
const usualPatienceMs = 30_000;

const silent: Problem = {
  code: 'outlet-silent',
  sentence: 'The outlet did not answer.',
  mend: 'It is tried again by itself.',
};

/** The answer as a receipt; what the outlet has beside the film is named as it was when it was sent. */
const receiptOf = (of: Consignment, answer: z.infer<typeof answerSchema>): Receipt => ({
  receipt: answer.receipt,
  address: answer.address,
  sha256: answer.sha256,
  beside: answer.beside.map((copy) => ({
    ...copy,
    name: of.beside.find((each) => each.kind === copy.kind)?.name ?? copy.kind,
  })),
  at: new Date().toISOString(),
});

/** Hands films to outlets that take them by the tus protocol, as the stand-ins do; `base` is where they are. */
export function outletConnector(base: string, patienceMs = usualPatienceMs): Connector {
  const at = ({ destination }: Consignment, rest: string) =>
    `${base}/${encodeURIComponent(destination)}/${rest}`;

  /** Sends the bytes, from where an earlier try broke off; the address of the upload, or what went wrong. */
  const upload = (
    of: Consignment,
    file: { name: string; sha256: string; bytes: number; content: Buffer | ReadStream },
    signal: AbortSignal,
    progress: (fraction: number) => void,
  ) =>
    new Promise<{ id: string } | { problem: Problem; waitMs?: number }>((resolve, reject) => {
      const sending = new Upload(file.content as never, {
        endpoint: at(of, 'uploads'),
        // One that the other side does not know any more is begun anew by itself.
        uploadUrl: of.begun.get(file.sha256) ?? null,
        chunkSize: pieceBytes,
        uploadSize: file.bytes,
        retryDelays: [200, 1000],
        metadata: { filename: file.name },
        onUploadUrlAvailable: () => void of.begun.set(file.sha256, sending.url!),
        onProgress: (sent, total) => progress(total ? sent / total : 0),
        onError: (error) => {
          const response = 'originalResponse' in error ? error.originalResponse : null;
          const wait = Number(response?.getHeader('Retry-After') ?? 0);
          const problem = {
            code: 'upload-broke',
            sentence: `The upload broke off${response ? ` (${response.getStatus()})` : ''}.`,
            mend: 'It is tried again by itself.',
          };
          resolve(wait > 0 ? { problem, waitMs: wait * 1000 } : { problem });
        },
        onSuccess: () => resolve({ id: sending.url!.split('/').at(-1)! }),
      });
      signal.addEventListener(
        'abort',
        () => {
          void sending.abort();
          reject(signal.reason as Error);
        },
        { once: true },
      );
      sending.start();
    });

  return {
    async send(of, { signal, progress }): Promise<Outcome> {
      const beside: { kind: string; name: string; upload: string }[] = [];
      for (const { kind, name, content, sha256 } of of.beside) {
        const file = { name, sha256, bytes: content.length, content };
        const sent = await upload(of, file, signal, () => undefined);
        if ('problem' in sent) return { kind: 'again', ...sent };
        beside.push({ kind, name, upload: sent.id });
      }
      const { sha256, bytes, path } = of;
      const film = { name: of.fileName, sha256, bytes, content: createReadStream(path) };
      const sent = await upload(of, film, signal, progress);
      if ('problem' in sent) return { kind: 'again', ...sent };
      const asked = await fetch(at(of, 'films'), {
        method: 'POST',
        headers: { 'Content-Type': 'application/json' },
        body: JSON.stringify({
          upload: sent.id,
          key: of.key,
          placement: of.placement.id,
          publishAt: of.publishAt,
          beside,
        }),
        signal: AbortSignal.any([signal, AbortSignal.timeout(patienceMs)]),
      }).catch((error: unknown) => {
        if (signal.aborted) throw error;
        return null;
      });
      if (!asked) return { kind: 'again', problem: silent };
      const body: unknown = await asked.json().catch(() => null);
      if (asked.status === 422) {
        const said = refusalSchema.safeParse(body);
        return {
          kind: 'refused',
          problem: {
            code: 'outlet-refused',
            sentence: said.success ? said.data.error : 'The outlet refused it without a word.',
            mend: 'Compare the placement in the spec book with what the outlet says.',
          },
        };
      }
      const answer = answerSchema.safeParse(body);
      if (!asked.ok || !answer.success) {
        const wait = Number(asked.headers.get('retry-after') ?? 0);
        const problem = { ...silent, sentence: `The outlet answered with an error (${asked.status}).` };
        return wait > 0 ? { kind: 'again', problem, waitMs: wait * 1000 } : { kind: 'again', problem };
      }
      return { kind: 'arrived', receipt: receiptOf(of, answer.data) };
    },

    async look(of): Promise<Whereabouts> {
      const asked = await fetch(at(of, `films/${encodeURIComponent(of.key)}`), {
        signal: AbortSignal.timeout(patienceMs),
      }).catch(() => null);
      if (!asked) return { kind: 'unknown' };
      if (asked.status === 404) return { kind: 'nothing' };
      const answer = answerSchema.safeParse(await asked.json().catch(() => null));
      if (!asked.ok || !answer.success) return { kind: 'unknown' };
      if (answer.data.state === 'refused')
        return { kind: 'taken-down', reason: answer.data.reason ?? 'no reason given' };
      return {
        kind: 'there',
        receipt: receiptOf(of, answer.data),
        state: answer.data.state === 'live' ? 'live' : 'waiting',
      };
    },

    async takeBack(of) {
      await fetch(at(of, `films/${encodeURIComponent(of.key)}`), {
        method: 'DELETE',
        signal: AbortSignal.timeout(patienceMs),
      }).catch(() => undefined);
    },
  };
}
