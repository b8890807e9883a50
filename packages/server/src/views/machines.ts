import { availableParallelism } from 'node:os';
import { and, count, desc, eq, inArray, isNull, sql } from 'drizzle-orm';
import type { Problem } from '@mivvy/core';
import { locateTools } from '@mivvy/media';
import { machineKinds, type Machine, type Machines } from '@mivvy/api';
import { deliverables, jobs } from '../db/schema.ts';
import type { JobRow } from '../jobs/queue/job-queue.ts';
import { isThere, listMachines, ownerOf, type MachineRow } from '../machines/machines.ts';
import type { Workspace } from '../workspace.ts';

/** So many of the last files are what a machine's speed is told from. */
const lastFiles = 20;

/** Everything that makes exports, what it does, and why nothing is taken where nothing is. */
export async function machinesView(ws: Workspace): Promise<Machines> {
  const [rows, running, tools] = await Promise.all([
    listMachines(ws.db),
    ws.db
      .select()
      .from(jobs)
      .where(and(inArray(jobs.kind, [...machineKinds]), eq(jobs.state, 'running'))),
    locateTools(),
  ]);
  const shown = await Promise.all(rows.map((row) => machineView(ws, row, running)));
  return {
    queue: { kind: ws.handed ? 'redis' : 'rows', address: ws.handed?.address ?? null },
    here: {
      exports: ws.exportsHere,
      ffmpeg: tools.ok ? tools.value.version : null,
      cores: availableParallelism(),
      doing: running.filter((job) => job.machine === null).map(doing),
      ...(await record(ws, null)),
    },
    machines: shown,
    waiting: whyNothingIsTaken(ws, shown),
  };
}

const doing = ({ id, label, stage, fraction }: JobRow) => ({ jobId: id, label, stage, fraction });

async function machineView(ws: Workspace, row: MachineRow, running: readonly JobRow[]): Promise<Machine> {
  const { session: _session, ...said } = row;
  return {
    ...said,
    there: isThere(row),
    doing: running.filter((job) => job.owner === ownerOf(row)).map(doing),
    ...(await record(ws, row.name)),
  };
}

const ofFile = (what: string) =>
  sql`coalesce(json_extract(${deliverables.report}, ${`$.value.measured.video.${what}`}), json_extract(${deliverables.report}, ${`$.measured.video.${what}`}))`;
/** How long a finished film plays, by its report. */
const filmSeconds = sql<number>`1.0 * ${ofFile('frames')} * ${ofFile('rate.den')} / ${ofFile('rate.num')}`;

/** How many files a machine has made, and how many seconds of film a second over the last of them. */
async function record(
  { db }: Workspace,
  name: string | null,
): Promise<{ made: number; speed: number | null }> {
  const its = name === null ? isNull(deliverables.madeOn) : eq(deliverables.madeOn, name);
  const [all] = await db.select({ n: count() }).from(deliverables).where(its);
  const last = db
    .select({
      took: deliverables.tookSeconds,
      seconds: filmSeconds.as('seconds'),
    })
    .from(deliverables)
    .where(its)
    .orderBy(desc(deliverables.madeAt))
    .limit(lastFiles)
    .as('last');
  const [sums] = await db
    .select({ took: sql<number>`sum(${last.took})`, seconds: sql<number>`sum(${last.seconds})` })
    .from(last);
  return { made: all!.n, speed: sums?.took && sums.seconds ? sums.seconds / sums.took : null };
}

/** Why no export that waits is taken by anything; null where something takes them. */
function whyNothingIsTaken(ws: Workspace, shown: readonly Machine[]): Problem | null {
  const trouble = ws.handed?.state().trouble;
  if (trouble) return trouble.problem;
  if (ws.exportsHere || shown.some((machine) => machine.there && !machine.draining && !machine.trouble))
    return null;
  const troubled = shown.find((machine) => machine.there && machine.trouble);
  if (troubled?.trouble)
    return { ...troubled.trouble, sentence: `${troubled.name} takes nothing: ${troubled.trouble.sentence}` };
  const draining = shown.filter((machine) => machine.there);
  return {
    code: 'no-machine',
    sentence: draining.length
      ? `No render machine takes work: ${draining.map(({ name }) => name).join(', ')} ${draining.length === 1 ? 'is' : 'are'} told to take nothing more.`
      : shown.length
        ? `No render machine is there: ${shown.map(({ name }) => name).join(', ')} ${shown.length === 1 ? 'has' : 'have'} not been heard of. The server makes no exports itself.`
        : 'No render machine has joined, and the server makes no exports itself.',
    mend: draining.length ? 'Let one take work again.' : 'Start one: ./mivvy worker --help tells how.',
  };
}
