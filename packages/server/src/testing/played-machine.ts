import { createHash } from 'node:crypto';
import { eq } from 'drizzle-orm';
import { rendererRevision } from '@mivvy/core';
import { locateTools } from '@mivvy/media';
import {
  machineEndedSchema,
  machineJoinedSchema,
  machineSessionHeader,
  machinesSchema,
  machineTakenSchema,
  release,
  type Brought,
  type MachineEnd,
  type MachineKind,
  type MachineOrder,
  type MachinePart,
} from '@mivvy/api';
import { jobs } from '../db/schema.ts';
import { until, type TestServer } from './server.ts';

export const sumOf = (bytes: Uint8Array): string => createHash('sha256').update(bytes).digest('hex');

/** A render machine that a test plays itself, so that it can bring back whatever it likes. */
export class PlayedMachine {
  private constructor(
    private readonly s: TestServer,
    readonly session: string,
    readonly id: string,
  ) {}

  /** Joins, or joins again. */
  static async join(s: TestServer, name: string, session = 'played'): Promise<PlayedMachine> {
    const tools = await locateTools();
    if (!tools.ok) throw new Error(tools.problem.sentence);
    const { version: ffmpeg } = tools.value;
    const said = { name, session, release, renderer: rendererRevision, ffmpeg, cores: 2, cacheLimit: 0 };
    const stranger = new PlayedMachine(s, session, '');
    return new PlayedMachine(
      s,
      session,
      machineJoinedSchema.parse((await stranger.ask('/join', said)).body).id,
    );
  }

  /** Asks the server for something, behind `/machines`. */
  async ask(path: string, body: unknown): Promise<{ status: number; body: unknown }> {
    const answer = await fetch(`${this.s.base}/api/machines${path}`, {
      method: 'POST',
      headers: { 'Content-Type': 'application/json', [machineSessionHeader]: this.session },
      body: JSON.stringify(body),
    });
    return { status: answer.status, body: (await answer.json()) as unknown };
  }

  /** How the server shows it. */
  async shown() {
    return (await this.s.get(machinesSchema, 'GET', '/machines')).machines.find(({ id }) => id === this.id)!;
  }

  /** Says that it is there and takes work. */
  beat() {
    return this.ask(`/${this.id}/beat`, { jobs: [], cacheBytes: 0, trouble: null, log: '' });
  }

  /** Takes a job that is handed over, once it is to be had. */
  take<K extends MachineKind>(jobId: string, kind: K): Promise<Extract<MachineOrder, { kind: K }>> {
    type Order = Extract<MachineOrder, { kind: K }>;
    return until(async () => {
      const [row] = await this.s.ws.db.select().from(jobs).where(eq(jobs.id, jobId));
      if (!row?.handed) return undefined;
      const { body } = await this.ask(`/${this.id}/take`, { ticket: { id: jobId, handed: row.handed } });
      const told = machineTakenSchema.parse(body);
      // Its film may still be read, or it was handed over anew in this moment: then it is not to be had yet.
      return told.is === 'yours' && told.order.kind === kind && (told.order as Order);
    });
  }

  /** Brings some bytes; the upload's id. */
  async upload(jobId: string, bytes: Buffer): Promise<string> {
    const metadata = Object.entries({ machine: this.id, session: this.session, job: jobId })
      .map(([key, value]) => `${key} ${Buffer.from(value).toString('base64')}`)
      .join(',');
    const tus = { 'Tus-Resumable': '1.0.0' };
    const begun = await fetch(`${this.s.base}/api/machines/results`, {
      method: 'POST',
      headers: { ...tus, 'Upload-Length': `${bytes.length}`, 'Upload-Metadata': metadata },
    });
    if (begun.status !== 201) throw new Error(await begun.text());
    const address = new URL(begun.headers.get('location')!, this.s.base);
    const sent = await fetch(address, {
      method: 'PATCH',
      headers: { ...tus, 'Upload-Offset': '0', 'Content-Type': 'application/offset+octet-stream' },
      body: new Uint8Array(bytes),
    });
    if (sent.status !== 204) throw new Error(await sent.text());
    return address.pathname.split('/').at(-1)!;
  }

  /** Brings a file, as the server is told of it. */
  async brought(jobId: string, bytes: Buffer, sha256 = sumOf(bytes)): Promise<Brought> {
    return { upload: await this.upload(jobId, bytes), bytes: bytes.length, sha256 };
  }

  /** Tells one thing that came of preparing a film; whether it counted. */
  async part(jobId: string, part: MachinePart): Promise<boolean> {
    const { body } = await this.ask(`/${this.id}/jobs/${jobId}/parts`, part);
    return machineEndedSchema.parse(body).counted;
  }

  /** Tells how a job ended; whether it counted. */
  async end(jobId: string, ending: MachineEnd['ending']): Promise<boolean> {
    const { body } = await this.ask(`/${this.id}/jobs/${jobId}/end`, { ending, log: 'made by the test' });
    return machineEndedSchema.parse(body).counted;
  }
}
