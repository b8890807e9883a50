import { and, asc, eq, inArray, isNotNull } from 'drizzle-orm';
import { frameToSeconds } from '@mivvy/core';
import type { ReviewPage } from '@mivvy/api';
import { deliverables, happenings, masters, productions, versions } from '../db/schema.ts';
import { isNewest } from '../files/look-at-files.ts';
import { mediaTypes } from '../http/media-types.ts';
import { notesOf } from '../views/notes.ts';
import type { Workspace } from '../workspace.ts';
import type { LinkRow } from './links.ts';

type Ws = Pick<Workspace, 'db' | 'specs'>;

/** Files that a link lays open, or one of them: the newest of each of its versions that passed its check. */
async function filesOf(ws: Ws, link: LinkRow, id?: string) {
  return ws.db
    .select({ file: deliverables, version: versions, master: masters.name })
    .from(deliverables)
    .innerJoin(versions, eq(versions.id, deliverables.versionId))
    .innerJoin(masters, eq(masters.id, versions.masterId))
    .where(
      and(
        inArray(deliverables.versionId, link.versionIds),
        eq(deliverables.productionId, link.productionId),
        eq(deliverables.passed, true),
        // A film is fetched in many pieces: only its own row is read for each.
        id === undefined ? undefined : eq(deliverables.id, id),
        isNewest,
      ),
    )
    .orderBy(asc(versions.createdAt), asc(versions.tag));
}

/** One file that a link lays open; undefined where it is none of them. */
export async function fileBehind(ws: Ws, link: LinkRow, id: string) {
  return (await filesOf(ws, link, id))[0]?.file;
}

/** What the page behind a link shows. */
export async function reviewPage(ws: Ws, link: LinkRow): Promise<ReviewPage> {
  const [production] = await ws.db.select().from(productions).where(eq(productions.id, link.productionId));
  const files = await filesOf(ws, link);
  const answers = await answersOf(
    ws,
    files.map(({ version }) => version.id),
  );
  const notes = await notesOf(
    ws.db,
    files.map(({ version }) => version.id),
  );
  return {
    name: link.name,
    production: production!.name,
    client: production!.client,
    endsAt: link.endsAt,
    mayFetch: link.mayFetch,
    files: files.map(({ file, version, master }) => {
      const place = ws.specs.of(version);
      const answer = answers.get(version.id);
      const holds = answer?.sha256 === file.sha256 ? answer : undefined;
      return {
        id: file.id,
        sha256: file.sha256,
        title: place ? `${place.outlet.name}, ${place.placement.name}` : file.fileName,
        master,
        seconds: frameToSeconds(file.plan.frames, file.plan.rate),
        frames: file.plan.frames,
        rate: file.plan.rate,
        frame: file.plan.frame,
        blocked: (place?.placement.blocked ?? []).map(({ name, x, y, width, height }) => ({
          name,
          x,
          y,
          width,
          height,
        })),
        hasSound: file.plan.audio !== null,
        mediaType: mediaTypes[file.plan.container],
        answer: holds?.answer ? { answer: holds.answer, by: holds.by, at: holds.at } : null,
        changedSince: answer !== undefined && answer.sha256 !== file.sha256,
        notes: notes.filter((note) => note.versionId === version.id),
      };
    }),
  };
}

/** The last answer to each version, by its id, whichever file it was given to. */
async function answersOf(ws: Ws, versionIds: readonly string[]) {
  const rows = await ws.db
    .select()
    .from(happenings)
    .where(and(inArray(happenings.versionId, [...versionIds]), isNotNull(happenings.sha256)))
    .orderBy(asc(happenings.id));
  const found = new Map<
    string,
    { answer: 'approved' | 'changes-asked' | null; by: string; at: string; sha256: string }
  >();
  for (const { versionId, sha256, by, at, what } of rows) {
    const answer = what.kind === 'approved' || what.kind === 'changes-asked' ? what.kind : null;
    if (answer || what.kind === 'answer-withdrawn')
      found.set(versionId!, { answer, by, at, sha256: sha256! });
  }
  return found;
}
