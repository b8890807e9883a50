import { createHash } from 'node:crypto';
import { and, eq, inArray, isNull, ne, or, sql } from 'drizzle-orm';
import {
  drawnFrom,
  isUntouched,
  planVersion,
  refusal,
  rendererRevision,
  standingOf,
  troublesOf,
  partAccepted,
  type Dressed,
  type DrawnFrom,
  type Dressing,
  type MarginChoice,
  type Standing,
  type Trouble,
  type VersionAsPlanned,
} from '@mivvy/core';
import type { Writer } from './db/database.ts';
import { cuts, deliverables, jobs, masters, productions, versions } from './db/schema.ts';
import { isNewest } from './files/look-at-files.ts';
import { isDiskFull } from './disk/full.ts';
import type { Workspace } from './workspace.ts';

type MasterRow = typeof masters.$inferSelect;
type VersionRow = typeof versions.$inferSelect;
type CutRow = typeof cuts.$inferSelect;

/** The plan of a version as it stands now; undefined while its master is being read, or without its placement. */
export function planOf(
  ws: Pick<Workspace, 'specs' | 'letters'>,
  version: Pick<
    VersionRow,
    | 'id'
    | 'placementId'
    | 'placementRevision'
    | 'framing'
    | 'coverFrame'
    | 'sharpen'
    | 'textless'
    | 'approved'
  >,
  master: Pick<
    MasterRow,
    'facts' | 'sha256' | 'state' | 'dressing' | 'keeps' | 'faces' | 'unimportant' | 'textless'
  >,
  cut: CutRow | undefined,
): VersionAsPlanned | undefined {
  const placement = ws.specs.of(version)?.placement;
  if (!placement || !master.facts || master.state !== 'ready') return undefined;
  const film = drawnFrom(version.textless, master);
  const { facts, sha256, textless } = film;
  return planVersion({
    facts: facts!,
    sha256,
    textless,
    placement,
    framing: version.framing,
    coverFrame: version.coverFrame,
    sharpen: version.sharpen,
    cut,
    dressed: dressedFor(ws, master.dressing, version, film),
  });
}

/** What is laid over a version, with what that needs; undefined for nothing. */
export const dressedFor = (
  { letters }: Pick<Workspace, 'letters'>,
  dressing: Dressing,
  version: Pick<VersionRow, 'id' | 'approved'>,
  { keeps, faces }: Pick<DrawnFrom, 'keeps' | 'faces'>,
): Dressed | undefined =>
  dressing.layers.length || dressing.captions.length || dressing.draftMark
    ? { dressing, versionId: version.id, keeps, faces, shaper: letters, approved: version.approved }
    : undefined;

/** The trouble that stops a planned version from being exported, if there is one. */
export function refusalOf(
  ws: Pick<Workspace, 'specs' | 'letters'>,
  version: Pick<VersionRow, 'placementId' | 'placementRevision'>,
  plan: VersionAsPlanned,
): Trouble | undefined {
  return refusal(troublesOf(plan, ws.specs.of(version)!.placement));
}

/** A planned version has a fault that nobody has accepted: a rule that is broken, or a keep that is cut. */
function isFaulty(
  ws: Pick<Workspace, 'specs' | 'letters'>,
  version: Pick<VersionRow, 'placementId' | 'placementRevision' | 'accepted'>,
  plan: VersionAsPlanned,
  keeps: DrawnFrom['keeps'],
  margin: MarginChoice,
): boolean {
  const { placement } = ws.specs.of(version)!;
  const faults = troublesOf(plan, placement, { keeps, margin }).filter((t) => t.severity === 'fault');
  return partAccepted(faults, version.accepted, plan.plan, keeps).open.length > 0;
}

/** So many versions are worked out in one turn of writing. */
const mostInOneTurn = 500;

/**
 * Works out where versions stand that are not known to stand anywhere, and keeps it in their rows. A full disk keeps
 * nothing: then they are worked out again by whoever asks next.
 */
export async function settleStandings(ws: Pick<Workspace, 'db' | 'specs' | 'letters'>): Promise<void> {
  const open = () =>
    ws.db.select({ id: versions.id }).from(versions).where(isNull(versions.standing)).limit(mostInOneTurn);
  try {
    // All in one transaction: what standings are worked out from does not change before they are written.
    while ((await open()).length > 0) {
      const of = await ws.db.transaction((tx) => settleSome(tx, ws));
      const times = settled.get(ws.db) ?? new Map<string, number>();
      settled.set(ws.db, times);
      for (const id of of) times.set(id, (times.get(id) ?? 0) + 1);
    }
  } catch (error) {
    if (!isDiskFull(error)) throw error;
  }
}

const settled = new WeakMap<Workspace['db'], Map<string, number>>();

/** How often standings of a production were worked out here, or of any: what was counted by them before does not hold. */
export const timesSettled = ({ db }: Pick<Workspace, 'db'>, productionId?: string): number => {
  const times = settled.get(db);
  if (productionId !== undefined) return times?.get(productionId) ?? 0;
  return [...(times?.values() ?? [])].reduce((sum, n) => sum + n, 0);
};

/** Works some of them out; whose they are. */
async function settleSome(tx: Writer, ws: Pick<Workspace, 'specs' | 'letters'>): Promise<Set<string>> {
  const rows = await tx.select().from(versions).where(isNull(versions.standing)).limit(mostInOneTurn);
  const found = await workOutStandings(tx, ws, rows);
  const alike = new Map<string, { now: Pick<VersionRow, 'standing' | 'touched'>; ids: string[] }>();
  for (const { id, framing } of rows) {
    const now = { standing: found.get(id)!, touched: !isUntouched(framing) };
    const key = `${now.standing} ${now.touched}`;
    if (!alike.has(key)) alike.set(key, { now, ids: [] });
    alike.get(key)!.ids.push(id);
  }
  // One statement for all that stand alike: one for each version takes half a gigabyte in a large workspace.
  for (const { now, ids } of alike.values())
    await tx.update(versions).set(now).where(inArray(versions.id, ids));
  return new Set(rows.map((row) => row.productionId));
}

/** Where some versions stand, by their ids. */
export async function workOutStandings(
  db: Writer,
  ws: Pick<Workspace, 'specs' | 'letters'>,
  rows: readonly VersionRow[],
): Promise<Map<string, Standing>> {
  const ids = rows.map((v) => v.id);
  const films = await db
    .select({
      id: masters.id,
      facts: masters.facts,
      sha256: masters.sha256,
      state: masters.state,
      keeps: masters.keeps,
      faces: masters.faces,
      unimportant: masters.unimportant,
      dressing: masters.dressing,
      textless: masters.textless,
      margin: productions.margin,
    })
    .from(masters)
    .innerJoin(productions, eq(productions.id, masters.productionId))
    .where(inArray(masters.id, [...new Set(rows.map((v) => v.masterId))]));
  const playedIds = rows.flatMap((v) => v.cutId ?? []);
  const played = await db.select().from(cuts).where(inArray(cuts.id, playedIds));
  const files = await db
    .select({
      versionId: deliverables.versionId,
      fingerprint: deliverables.fingerprint,
      passed: deliverables.passed,
      onDisk: deliverables.onDisk,
    })
    .from(deliverables)
    .where(and(inArray(deliverables.versionId, ids), isNewest));
  const works = await db
    .select({ subjectId: jobs.subjectId, state: jobs.state })
    .from(jobs)
    .where(and(inArray(jobs.subjectId, ids), eq(jobs.kind, 'export'), isNewestExport));
  const [filmById, cutById] = [byId(films), byId(played)];
  const fileOf = new Map(files.map((f) => [f.versionId, f]));
  const jobOf = new Map(works.map((j) => [j.subjectId, j]));
  return new Map(
    rows.map((row) => {
      const cut = row.cutId === null ? undefined : cutById.get(row.cutId);
      const film = filmById.get(row.masterId)!;
      const plan = planOf(ws, row, film, cut);
      const placed = ws.specs.of(row) !== undefined;
      const [file, job] = [fileOf.get(row.id), jobOf.get(row.id)];
      const standing = standingOf({
        refused: !placed || (plan !== undefined && refusalOf(ws, row, plan) !== undefined),
        faulty:
          plan !== undefined && isFaulty(ws, row, plan, drawnFrom(row.textless, film).keeps, film.margin),
        job: job?.state,
        file: file && { fingerprint: file.fingerprint, passed: file.passed, onDisk: onDiskOf[file.onDisk] },
        current: plan?.fingerprint,
      });
      return [row.id, standing];
    }),
  );
}

const byId = <Row extends { id: string }>(rows: readonly Row[]) => new Map(rows.map((row) => [row.id, row]));

const onDiskOf = {
  same: 'intact',
  comparing: 'comparing',
  changed: 'changed',
  gone: 'changed',
  cleared: 'changed',
} as const;

/** The newest export of each version, whatever became of it. */
const isNewestExport = sql`${jobs.createdAt} = (select max(j.created_at) from jobs j where j.subject_id = ${jobs.subjectId} and j.kind = 'export')`;

/**
 * Forgets the standings of versions whose placement is not what it was when they were worked out, or that another
 * release's renderer made; for the start of a server and for every change of the spec book.
 */
export async function forgetOldStandings(ws: Pick<Workspace, 'db' | 'specs'>): Promise<void> {
  const used = await ws.db
    .selectDistinct({ placementId: versions.placementId, placementRevision: versions.placementRevision })
    .from(versions);
  await ws.db.transaction(async (tx) => {
    for (const made of used) {
      const place = JSON.stringify(ws.specs.of(made)?.placement ?? null);
      const plannedWith = createHash('sha256').update(`${rendererRevision}\n${place}`).digest('hex');
      await tx
        .update(versions)
        .set({ standing: null, plannedWith })
        .where(
          and(
            eq(versions.placementId, made.placementId),
            eq(versions.placementRevision, made.placementRevision),
            or(isNull(versions.plannedWith), ne(versions.plannedWith, plannedWith)),
          ),
        );
    }
  });
}
