import { desc, eq, inArray, sql } from 'drizzle-orm';
import {
  behindReasons,
  makePlan,
  playedWithin,
  refusal,
  planFingerprint,
  standingOf,
  troublesOf,
  type Placement,
  type PlannedVersion,
  type Problem,
  type Trouble,
} from '@mivvy/core';
import type {
  Cut,
  Deliverable,
  Master,
  Production,
  ProductionCard,
  ProductionDetail,
  Version,
} from '@mivvy/api';
import { cuts, deliverables, jobs, masters, productions, versions } from './db/schema.ts';
import { wrongWithFile } from './files/deliverable-file.ts';
import type { FileState } from './files/known-file.ts';
import { stateOfMaster } from './files/master-file.ts';
import { undoStates, type UndoState } from './history.ts';
import { toJob, type JobRow } from './jobs/runner.ts';
import type { Workspace } from './workspace.ts';

type MasterRow = typeof masters.$inferSelect;
type VersionRow = typeof versions.$inferSelect;
type DeliverableRow = typeof deliverables.$inferSelect;
type Ws = Pick<Workspace, 'db' | 'specs' | 'storage' | 'events'>;

export function toProduction(row: typeof productions.$inferSelect): Production {
  const { id, name, client, margin, createdAt, updatedAt } = row;
  return { id, name, client, margin, createdAt, updatedAt };
}

type CutRow = typeof cuts.$inferSelect;

const toCut = ({ id, masterId, name, kept, pace, joinMs, revision }: CutRow, can: UndoState): Cut => ({
  id,
  masterId,
  name,
  kept,
  pace,
  joinMs,
  revision,
  can,
});

export function toMaster(
  row: MasterRow,
  file: FileState,
  job: JobRow | undefined,
  own: readonly CutRow[],
  can: (id: string) => UndoState,
): Master {
  const proof: Master['proof'] =
    row.state === 'failed' || !row.facts
      ? { kind: 'none' }
      : row.proxy === 'not-needed' || row.proxy === 'helpful'
        ? { kind: 'original' }
        : row.proxy === 'made'
          ? { kind: 'proxy' }
          : row.proxy === 'wanted'
            ? { kind: 'making-proxy', fraction: job?.state === 'running' ? job.fraction : 0 }
            : { kind: 'none' };
  const {
    id,
    productionId,
    name,
    fileName,
    origin,
    bytes,
    state,
    facts,
    sha256,
    problem,
    hasPoster,
    take,
    shots,
    keeps,
    revision,
    carried,
    createdAt,
  } = row;
  const unread = facts !== null && !job && (sha256 === null || state === 'failed');
  return {
    id,
    productionId,
    name,
    fileName,
    origin,
    bytes,
    state,
    facts,
    sha256,
    problem,
    file: file === 'comparing' ? 'same' : file,
    unread,
    proof,
    hasPoster,
    take,
    shots,
    keeps,
    revision,
    carried,
    cuts: own.map((c) => toCut(c, can(c.id))),
    can: can(id),
    createdAt,
  };
}

export function toDeliverable(row: DeliverableRow, onDisk: Problem | null): Deliverable {
  const {
    id,
    versionId,
    productionId,
    fileName,
    bytes,
    sha256,
    fingerprint,
    making,
    report,
    madeAt,
    tookSeconds,
  } = row;
  return {
    id,
    versionId,
    productionId,
    fileName,
    bytes,
    sha256,
    fingerprint,
    making,
    report,
    ceilingKbps: row.plan.video.rate.maxKbps ?? null,
    onDisk,
    madeAt,
    tookSeconds,
  };
}

interface PlannedNow {
  planned: PlannedVersion;
  troubles: Trouble[];
  fingerprint: string;
}

/** Plans by version, with what each was made from: nothing plans again what did not change. */
const plans = new Map<string, { madeFrom: string; placement: Placement; plan: PlannedNow }>();
const mostPlans = 5000;

/** The plan of a version as it stands now, with its troubles; undefined while its master is being read. */
export function planOf(
  ws: Pick<Ws, 'specs'>,
  version: VersionRow,
  master: MasterRow,
  cut: CutRow | undefined,
): PlannedNow | undefined {
  const placement = ws.specs.find(version.placementId)?.placement;
  if (!placement || !master.facts || master.state !== 'ready') return undefined;
  const madeFrom = JSON.stringify([version.revision, cut?.id, cut?.revision, master.sha256, master.facts]);
  const known = plans.get(version.id);
  if (known?.madeFrom === madeFrom && known.placement === placement) return known.plan;
  // A stand-in keeps troubles visible while bytes are summed; fingerprints are compared only with the real sum.
  const sha256 = master.sha256 ?? '0'.repeat(64);
  const planned = makePlan({
    facts: master.facts,
    sha256,
    placement,
    framing: version.framing,
    ...playedWithin(cut, master.facts.video.frames),
  });
  const plan = {
    planned,
    troubles: troublesOf(planned, placement),
    fingerprint: planFingerprint(planned.plan),
  };
  plans.delete(version.id);
  plans.set(version.id, { madeFrom, placement, plan });
  if (plans.size > mostPlans) plans.delete(plans.keys().next().value!);
  return plan;
}

function toVersion(
  ws: Ws,
  row: VersionRow,
  master: MasterRow,
  cut: CutRow | undefined,
  newest: { row: DeliverableRow; onDisk: Problem | null } | undefined,
  job: JobRow | undefined,
  can: UndoState,
): Version {
  const place = ws.specs.find(row.placementId);
  const current = planOf(ws, row, master, cut);
  const fingerprint = master.sha256 ? current?.fingerprint : undefined;
  const standing = standingOf({
    refused: !place || (current !== undefined && refusal(current.troubles) !== undefined),
    job: job?.state,
    jobNewer: !newest || (job !== undefined && job.createdAt > newest.row.madeAt),
    file: newest && {
      fingerprint: newest.row.fingerprint,
      passed: newest.row.passed,
      onDisk:
        newest.onDisk === null ? 'intact' : newest.onDisk.code === 'comparing' ? 'comparing' : 'changed',
    },
    current: fingerprint,
  });
  const { id, productionId, masterId, tag, placementId, cutId, framing, revision, accepted, updatedAt } = row;
  return {
    id,
    productionId,
    masterId,
    tag,
    placementId,
    cutId,
    framing,
    revision,
    accepted,
    updatedAt,
    can,
    standing,
    outlet: place?.outlet ?? null,
    placement: place?.placement ?? null,
    behind:
      standing === 'behind' && newest && current ? behindReasons(newest.row.plan, current.planned.plan) : [],
    deliverable: newest ? toDeliverable(newest.row, newest.onDisk) : null,
  };
}

/** The versions of some productions, each with its newest file and newest export; or one of them. */
async function versionsOf(ws: Ws, productionIds: string[], only?: string): Promise<Version[]> {
  if (productionIds.length === 0) return [];
  const chosen = only === undefined ? inArray(versions.productionId, productionIds) : eq(versions.id, only);
  const rows = await ws.db.select().from(versions).where(chosen).orderBy(versions.createdAt, versions.tag);
  if (rows.length === 0) return [];
  const films = await ws.db
    .select()
    .from(masters)
    .where(inArray(masters.id, [...new Set(rows.map((v) => v.masterId))]));
  const newestFiles = await ws.db
    .select()
    .from(deliverables)
    .where(
      sql`${only === undefined ? sql`${deliverables.productionId} in ${productionIds}` : sql`${deliverables.versionId} = ${only}`} and ${deliverables.making} = (select max(d.making) from deliverables d where d.version_id = ${deliverables.versionId})`,
    );
  const newestJobs = await ws.db
    .select()
    .from(jobs)
    .where(
      sql`${only === undefined ? sql`${jobs.productionId} in ${productionIds}` : sql`${jobs.subjectId} = ${only}`} and ${jobs.kind} = 'export' and ${jobs.createdAt} = (select max(j.created_at) from jobs j where j.subject_id = ${jobs.subjectId} and j.kind = 'export')`,
    );
  const byId = new Map(films.map((m) => [m.id, m]));
  const files = new Map(
    await Promise.all(
      newestFiles.map(
        async (row) => [row.versionId, { row, onDisk: await wrongWithFile(ws, row, false) }] as const,
      ),
    ),
  );
  const works = new Map(newestJobs.map((j) => [j.subjectId, j]));
  const can = await undoStates(
    ws.db,
    rows.map((v) => v.id),
  );
  const played = new Map(
    (await ws.db.select().from(cuts).where(inArray(cuts.productionId, productionIds))).map((c) => [c.id, c]),
  );
  return rows.map((v) =>
    toVersion(
      ws,
      v,
      byId.get(v.masterId)!,
      v.cutId === null ? undefined : played.get(v.cutId),
      files.get(v.id),
      works.get(v.id),
      can(v.id),
    ),
  );
}

/** One master as the API shows it. */
export async function masterView(ws: Ws, id: string): Promise<Master | undefined> {
  const [row] = await ws.db.select().from(masters).where(eq(masters.id, id));
  const [job] = await ws.db
    .select()
    .from(jobs)
    .where(
      sql`${jobs.subjectId} = ${id} and ${jobs.kind} = 'ingest' and ${jobs.state} in ('queued', 'running')`,
    );
  const own = await ws.db.select().from(cuts).where(eq(cuts.masterId, id)).orderBy(cuts.createdAt, cuts.id);
  return (
    row &&
    toMaster(
      row,
      await stateOfMaster(ws, row, false),
      job,
      own,
      await undoStates(ws.db, [id, ...own.map((c) => c.id)]),
    )
  );
}

/** One version as the API shows it. */
export async function versionView(ws: Ws, id: string): Promise<Version | undefined> {
  const [row] = await ws.db.select().from(versions).where(eq(versions.id, id));
  return row && (await versionsOf(ws, [row.productionId], id))[0];
}

/** Every production as the home screen shows it, newest change first. */
export async function productionCards(ws: Ws): Promise<ProductionCard[]> {
  const rows = await ws.db.select().from(productions).orderBy(desc(productions.updatedAt));
  const ids = rows.map((r) => r.id);
  const films = ids.length
    ? await ws.db
        .select({
          id: masters.id,
          name: masters.name,
          take: masters.take,
          hasPoster: masters.hasPoster,
          productionId: masters.productionId,
        })
        .from(masters)
        .where(inArray(masters.productionId, ids))
        .orderBy(masters.createdAt)
    : [];
  const made = await versionsOf(ws, ids);
  return rows.map((row) => ({
    ...toProduction(row),
    masters: films
      .filter((m) => m.productionId === row.id)
      .map((m) => ({ id: m.id, name: m.name, take: m.take, hasPoster: m.hasPoster })),
    standings: made.filter((v) => v.productionId === row.id).map((v) => v.standing),
  }));
}

/** Everything that a production's screens show. */
export async function productionDetail(ws: Ws, id: string): Promise<ProductionDetail | undefined> {
  const [row] = await ws.db.select().from(productions).where(eq(productions.id, id));
  if (!row) return undefined;
  const films = await ws.db
    .select()
    .from(masters)
    .where(eq(masters.productionId, id))
    .orderBy(masters.createdAt, masters.id);
  const active = await ws.db
    .select()
    .from(jobs)
    .where(sql`${jobs.productionId} = ${id} and ${jobs.state} in ('queued', 'running')`)
    .orderBy(jobs.createdAt);
  const made = await ws.db
    .select()
    .from(cuts)
    .where(eq(cuts.productionId, id))
    .orderBy(cuts.createdAt, cuts.id);
  const can = await undoStates(ws.db, [...films.map((m) => m.id), ...made.map((c) => c.id)]);
  return {
    ...toProduction(row),
    masters: await Promise.all(
      films.map(async (m) =>
        toMaster(
          m,
          await stateOfMaster(ws, m, false),
          active.find((j) => j.kind === 'ingest' && j.subjectId === m.id),
          made.filter((c) => c.masterId === m.id),
          can,
        ),
      ),
    ),
    versions: await versionsOf(ws, [id]),
    jobs: active.map(toJob),
  };
}
