import { asc, eq } from 'drizzle-orm';
import { nanoid } from 'nanoid';
import { fail, ok, rendererRevision, type Problem, type Result } from '@mivvy/core';
import type { MachineBeat, MachineJoin } from '@mivvy/api';
import type { Database, Writer } from '../db/database.ts';
import { machines } from '../db/schema.ts';
import { machineOwner } from '../jobs/queue/job-queue.ts';
import { now, type Workspace } from '../workspace.ts';

export type MachineRow = typeof machines.$inferSelect;

/** A machine says so often that it is there, milliseconds. */
export const beatMs = 2000;
/** Without a sign of life for so long it counts as gone, milliseconds. */
export const goneAfterMs = 8000;

/** Whether it was heard of just now; what lies ahead of a clock that was set back is no sign of life. */
export const isThere = ({ lastSeenAt }: Pick<MachineRow, 'lastSeenAt'>): boolean =>
  Math.abs(Date.now() - Date.parse(lastSeenAt)) < goneAfterMs;

/** How a machine is called as the owner of jobs, while the process runs that has joined. */
export const ownerOf = ({ id, session }: Pick<MachineRow, 'id' | 'session'>): string =>
  machineOwner(id, session);

/** What a server makes files with; whatever makes them otherwise is not let in. */
export interface Makes {
  release: string;
  ffmpeg: string;
}

/** Why a machine would make other files of the same plans; undefined where it makes the same. */
function otherwise(machine: MachineJoin, server: Makes): Problem | undefined {
  const differs = (what: string, theirs: string, ours: string): Problem => ({
    code: 'makes-otherwise',
    sentence: `${machine.name} has ${what} ${theirs}, the server ${ours}: it would make other files of the same plans.`,
    mend: 'Install the same on both, then start it again.',
  });
  if (machine.release !== server.release) return differs('release', machine.release, server.release);
  if (machine.renderer !== rendererRevision)
    return differs('the renderer’s revision', `${machine.renderer}`, `${rendererRevision}`);
  if (machine.ffmpeg !== server.ffmpeg) return differs('ffmpeg', machine.ffmpeg, server.ffmpeg);
  return undefined;
}

/** Lets a machine in, or in again; not under the name of another that is there. */
export async function join(db: Database, asked: MachineJoin, server: Makes): Promise<Result<MachineRow>> {
  const problem = otherwise(asked, server);
  if (problem) return { ok: false, problem };
  const { release: _release, renderer: _renderer, ...said } = asked;
  return db.transaction(async (tx) => {
    const [known] = await tx.select().from(machines).where(eq(machines.name, asked.name));
    if (known && known.session !== asked.session && isThere(known))
      return fail(
        'machine-there',
        `A machine called ${asked.name} is there already.`,
        'Give this one another name, or wait a few seconds if it is the same that was started anew.',
      );
    const seen = { ...said, lastSeenAt: now() };
    const [row] = known
      ? await tx.update(machines).set(seen).where(eq(machines.id, known.id)).returning()
      : await tx
          .insert(machines)
          .values({ id: nanoid(10), ...seen, joinedAt: now() })
          .returning();
    return ok(row!);
  });
}

/** A machine by its id, if the process that asks is the one that has joined; else why not. */
export async function machineBy(db: Writer, id: string, session: string): Promise<Result<MachineRow>> {
  const [row] = await db.select().from(machines).where(eq(machines.id, id));
  if (!row)
    return fail(
      'machine-removed',
      'This machine was removed from the workspace.',
      'Start it again to join anew.',
    );
  if (row.session !== session)
    return fail(
      'machine-replaced',
      `Another process has joined as ${row.name}.`,
      'Start this one under another name.',
    );
  return ok(row);
}

/** Keeps what a machine says of itself; why it was taken out of service stays until somebody lets it work again. */
export async function seen(
  db: Writer,
  { id, draining }: MachineRow,
  { cacheBytes, log, trouble }: Omit<MachineBeat, 'jobs'>,
): Promise<void> {
  await db
    .update(machines)
    .set({ cacheBytes, log, lastSeenAt: now(), ...(draining ? {} : { trouble }) })
    .where(eq(machines.id, id));
}

/** Lets a machine take no other job, because of what it did; somebody lets it take them again. */
export async function takeOutOfService(
  { db, events }: Pick<Workspace, 'db' | 'events'>,
  id: string,
  trouble: Problem,
): Promise<void> {
  await db.update(machines).set({ draining: true, trouble }).where(eq(machines.id, id));
  events.tell({ kind: 'machines' });
}

export const listMachines = (db: Writer): Promise<MachineRow[]> =>
  db.select().from(machines).orderBy(asc(machines.name));
