import { and, eq, notExists, sql } from 'drizzle-orm';
import {
  canonicalJson,
  drawnFrom,
  facesSeen,
  filmToFollow,
  followFilm,
  isUntouched,
  usualLively,
  type FollowedFilm,
  type MarginChoice,
} from '@mivvy/core';
import type { LookView } from '@mivvy/api';
import { changes, deliverables, jobs, masters, productions, versions } from './db/schema.ts';
import { HttpProblem } from './http/problems.ts';
import { lookView, readLook } from './looks.ts';
import { readPreferences } from './preferences.ts';
import { saveFraming } from './save-framing.ts';
import { tellProduction } from './tell.ts';
import type { Workspace } from './workspace.ts';

type VersionRow = typeof versions.$inferSelect;
type MasterRow = typeof masters.$inferSelect;

/** The framing of a version by what was seen in its film; null where it cannot be framed. */
export function followVersion(
  ws: Pick<Workspace, 'specs'>,
  version: Pick<VersionRow, 'placementId' | 'placementRevision' | 'framing' | 'textless'>,
  master: Pick<MasterRow, 'facts' | 'sha256' | 'shots' | 'keeps' | 'faces' | 'unimportant' | 'textless'>,
  look: Pick<LookView, 'shots' | 'drawn'>,
  margin: MarginChoice,
  how: { lively: number; handMade: boolean },
): FollowedFilm | null {
  const place = ws.specs.of(version);
  if (!master.facts || !place) return null;
  const { facts, shots } = master;
  const { keeps } = drawnFrom(version.textless, master);
  const film = filmToFollow({ facts, shots, keeps }, look, place.placement, margin);
  return followFilm(film, version.framing, how);
}

/**
 * What follows from a film's having been looked at whole: its faces are kept with it, and its versions that nobody has
 * touched are framed. Harmless where it was not, or has been followed up before.
 *
 * @returns how many versions were framed
 */
export async function lookedAt(ws: Workspace, masterId: string): Promise<number> {
  await keepFaces(ws, masterId);
  return frameOnArrival(ws, masterId);
}

/** Keeps the faces that were seen in a film, for captions to make room for. */
async function keepFaces(ws: Workspace, masterId: string): Promise<void> {
  const [row] = await ws.db.select().from(masters).where(eq(masters.id, masterId));
  if (!row?.sha256) return;
  const look = await readLook(ws.storage, row.sha256);
  if (!look) return;
  const faces = facesSeen(look.shots);
  if (canonicalJson(faces) === canonicalJson(row.faces)) return;
  // Only of these bytes: the film may have been replaced meanwhile.
  await ws.db
    .update(masters)
    .set({ faces })
    .where(and(eq(masters.id, masterId), eq(masters.sha256, row.sha256)));
  await tellProduction(ws, row.productionId);
}

/**
 * Frames every version of a master that no hand has touched by what was seen in it, where that is wished for: each is
 * one change that can be taken back, and one that was taken back is not framed again. Nothing happens while the film has
 * not been looked at whole.
 *
 * @returns how many versions were framed
 */
export async function frameOnArrival(ws: Workspace, masterId: string): Promise<number> {
  if (!(await readPreferences(ws.db)).frameOnArrival) return 0;
  const [row] = await ws.db
    .select({ master: masters, margin: productions.margin })
    .from(masters)
    .innerJoin(productions, eq(productions.id, masters.productionId))
    .where(eq(masters.id, masterId));
  if (!row?.master.facts) return 0;
  const look = await lookView(ws, row.master);
  if (look.state !== 'done') return 0;
  const untouched = await ws.db
    .select()
    .from(versions)
    .where(
      and(
        eq(versions.masterId, masterId),
        // Whatever was done and taken back again was a hand's doing.
        notExists(
          ws.db
            .select({ one: sql`1` })
            .from(changes)
            .where(eq(changes.subjectId, versions.id)),
        ),
        // Whoever exports a version takes it as it stands: its file does not fall behind by itself.
        notExists(
          ws.db
            .select({ one: sql`1` })
            .from(jobs)
            .where(and(eq(jobs.subjectId, versions.id), eq(jobs.kind, 'export'))),
        ),
        notExists(
          ws.db
            .select({ one: sql`1` })
            .from(deliverables)
            .where(eq(deliverables.versionId, versions.id)),
        ),
      ),
    );
  let framed = 0;
  for (const version of untouched) {
    if (!isUntouched(version.framing)) continue;
    const run = followVersion(ws, version, row.master, look, row.margin, {
      lively: usualLively,
      handMade: false,
    });
    if (!run?.changed) continue;
    try {
      await ws.db.transaction((tx) => saveFraming(tx, version.id, version.revision, run.framing, ''));
      framed++;
    } catch (error) {
      // Somebody was faster: what a hand has set is never touched.
      if (!(error instanceof HttpProblem)) throw error;
    }
    // A film of many shots and versions takes a while: whoever asks meanwhile is answered between two of them.
    await new Promise((resolve) => setImmediate(resolve));
  }
  if (framed) await tellProduction(ws, row.master.productionId);
  return framed;
}
