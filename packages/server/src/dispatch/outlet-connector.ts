import { createReadStream } from 'node:fs';
import { Upload } from 'tus-js-client';
import * as z from 'zod';
import type { Problem } from '@mivvy/core';
import type { Connector, Consignment, Outcome, Whereabouts } from './connector.ts';

const answerSchema = z.object({
  receipt: z.string(),
  state: z.enum(['processing', 'scheduled', 'live', 'refused']),
  sha256: z.string(),
  reason: z.string().nullable(),
  address: z.string().nullable(),
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

const receiptOf = (answer: z.infer<typeof answerSchema>) => ({
  receipt: answer.receipt,
  address: answer.address,
  sha256: answer.sha256,
  at: new Date().toISOString(),
});

/** Hands films to outlets that take them by the tus protocol, as the stand-ins do; `base` is where they are. */
export function outletConnector(base: string, patienceMs = usualPatienceMs): Connector {
  const at = ({ destination }: Consignment, rest: string) =>
    `${base}/${encodeURIComponent(destination)}/${rest}`;

  /** Sends the bytes; the address of the upload, or what went wrong. */
  const upload = (of: Consignment, signal: AbortSignal, progress: (fraction: number) => void) =>
    new Promise<{ id: string } | { problem: Problem; waitMs?: number }>((resolve, reject) => {
      const sending = new Upload(createReadStream(of.path) as never, {
        endpoint: at(of, 'uploads'),
        chunkSize: pieceBytes,
        uploadSize: of.bytes,
        retryDelays: [200, 1000],
        metadata: { filename: of.fileName },
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
      const sent = await upload(of, signal, progress);
      if ('problem' in sent) return { kind: 'again', ...sent };
      const asked = await fetch(at(of, 'films'), {
        method: 'POST',
        headers: { 'Content-Type': 'application/json' },
        body: JSON.stringify({
          upload: sent.id,
          key: of.key,
          placement: of.placement.id,
          publishAt: of.publishAt,
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
      return { kind: 'arrived', receipt: receiptOf(answer.data) };
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
        receipt: receiptOf(answer.data),
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
