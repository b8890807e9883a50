import { createReadStream, createWriteStream } from 'node:fs';
import { stat } from 'node:fs/promises';
import { Readable } from 'node:stream';
import { pipeline } from 'node:stream/promises';
import type { ReadableStream as WebStream } from 'node:stream/web';
import { Upload } from 'tus-js-client';
import type * as z from 'zod';
import type { Problem } from '@mivvy/core';
import {
  machineEndedSchema,
  machineJoinedSchema,
  machineOrdersSchema,
  machineSessionHeader,
  machineTakenSchema,
  problemSchema,
  type MachineBeat,
  type MachineEnd,
  type MachineJoin,
  type MachineJoined,
  type MachinePart,
  type TicketData,
} from '@mivvy/api';

/** Bytes that are sent in one piece; a line that breaks loses no more than that. */
const pieceBytes = 8_000_000;
/** A server that has not answered for so long is asked again, milliseconds. */
const patienceMs = 15_000;
/** Taking back a file includes looking at it, which takes the server a while. */
const patienceAtEndMs = 600_000;
/** Pauses between tries of an upload, milliseconds. */
const uploadPauses = [500, 1000, 2000, 4000, 8000, 8000];

/** The server answered, and the answer was no. */
export class Refused extends Error {
  constructor(
    readonly status: number,
    readonly problem: Problem,
  ) {
    super(problem.sentence);
    this.name = 'Refused';
  }
}

/** What a render machine asks of the server. Throws {@link Refused} where it says no, whatever else where it says nothing. */
export class ServerClient {
  private joined: MachineJoined | undefined;

  constructor(
    private readonly base: string,
    private readonly session: string,
    private readonly token: string | undefined,
  ) {}

  async join(asked: MachineJoin): Promise<MachineJoined> {
    this.joined = await this.ask(machineJoinedSchema, '/api/machines/join', asked);
    return this.joined;
  }

  beat(said: MachineBeat) {
    return this.ask(machineOrdersSchema, `${this.own}/beat`, said);
  }

  take(ticket: TicketData) {
    return this.ask(machineTakenSchema, `${this.own}/take`, { ticket });
  }

  part(jobId: string, part: MachinePart) {
    return this.ask(machineEndedSchema, `${this.own}/jobs/${jobId}/parts`, part, patienceAtEndMs);
  }

  end(jobId: string, ended: MachineEnd) {
    return this.ask(machineEndedSchema, `${this.own}/jobs/${jobId}/end`, ended, patienceAtEndMs);
  }

  /** Brings a file to the server in pieces, going on where the line broke; the upload's id. */
  bring(jobId: string, path: string, bytes: number, signal: AbortSignal): Promise<string> {
    const metadata = { machine: this.joined!.id, session: this.session, job: jobId };
    return new Promise((resolve, reject) => {
      const sending = new Upload(createReadStream(path) as never, {
        endpoint: `${this.base}/api/machines/results`,
        headers: this.headers(),
        chunkSize: pieceBytes,
        uploadSize: bytes,
        retryDelays: uploadPauses,
        metadata,
        onError: reject,
        onSuccess: () => resolve(sending.url!.split('/').at(-1)!),
      });
      const stop = () => {
        void sending.abort();
        reject(signal.reason as Error);
      };
      if (signal.aborted) return stop();
      signal.addEventListener('abort', stop, { once: true });
      sending.start();
    });
  }

  /** Fetches what lies at an address of the server's behind what is there of it already. */
  async fetchInto(address: string, path: string, signal: AbortSignal): Promise<void> {
    const there = (await stat(path).catch(() => null))?.size ?? 0;
    const answer = await fetch(`${this.base}${address}`, {
      headers: { ...this.headers(), ...(there > 0 ? { Range: `bytes=${there}-` } : {}) },
      signal,
    });
    // There is nothing behind what is there: it is whole, or another; its sum tells.
    if (answer.status === 416) return;
    if (!answer.ok || !answer.body) throw await refusalOf(answer);
    const flags = answer.status === 206 ? 'a' : 'w';
    await pipeline(Readable.fromWeb(answer.body as WebStream), createWriteStream(path, { flags }), {
      signal,
    });
  }

  private get own(): string {
    return `/api/machines/${this.joined!.id}`;
  }

  private headers(): Record<string, string> {
    return {
      [machineSessionHeader]: this.session,
      ...(this.token === undefined ? {} : { Authorization: `Bearer ${this.token}` }),
    };
  }

  private async ask<S extends z.ZodType>(
    schema: S,
    path: string,
    body: unknown,
    patience = patienceMs,
  ): Promise<z.infer<S>> {
    const answer = await fetch(`${this.base}${path}`, {
      method: 'POST',
      headers: { ...this.headers(), 'Content-Type': 'application/json' },
      body: JSON.stringify(body),
      signal: AbortSignal.timeout(patience),
    });
    if (!answer.ok) throw await refusalOf(answer);
    return schema.parse(await answer.json());
  }
}

async function refusalOf(answer: Response): Promise<Refused> {
  const said = problemSchema.safeParse(await answer.json().catch(() => null));
  return new Refused(
    answer.status,
    said.success
      ? said.data
      : {
          code: 'no-answer',
          sentence: `The server answered with ${answer.status}.`,
          mend: 'Look at its log.',
        },
  );
}
