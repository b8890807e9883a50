import { asc, eq, max } from 'drizzle-orm';
import {
  frameToSeconds,
  freeName,
  nameByPattern,
  nameKey,
  nameTroubles,
  slug,
  usualPattern,
  type NameFacts,
  type Placement,
  type RenderPlan,
} from '@mivvy/core';
import type { NamingPreview } from '@mivvy/api';
import type { Writer } from './db/database.ts';
import { cuts, deliverables, masters, versions, type productions } from './db/schema.ts';
import { happened } from './happenings.ts';
import { planOf } from './plans.ts';
import { now, type Workspace } from './workspace.ts';

/** What a file's name is made from besides its plan. */
interface Named {
  plan: Pick<RenderPlan, 'frame' | 'rate' | 'frames' | 'container'>;
  placement: Placement;
  outlet: string;
  production: { id: string; name: string; client: string; naming: string | null };
  master: { id: string; name: string };
  cut: string | undefined;
  /** The films of the production in their order. */
  films: readonly { id: string; name: string }[];
  exportNumber: number;
  /** When it is made, ISO 8601. */
  madeAt: string;
}

/** The films of a production in their order, which tells those of one name apart. */
export const filmsOf = (db: Writer, productionId: string) =>
  db
    .select({ id: masters.id, name: masters.name })
    .from(masters)
    .where(eq(masters.productionId, productionId))
    .orderBy(asc(masters.createdAt), asc(masters.id));

/** What a pattern can say of a file. */
export function nameFacts(of: Named): NameFacts {
  const plain = of.placement.fileNames === 'plain';
  const word = nameKey(slug(of.master.name, { plain }));
  const namesakes = of.films.filter((film) => nameKey(slug(film.name, { plain })) === word);
  return {
    production: of.production.name,
    client: of.production.client,
    master: of.master.name,
    namesake: namesakes.findIndex((film) => film.id === of.master.id) + 1,
    outlet: of.outlet,
    placementId: of.placement.id,
    frameSize: of.plan.frame,
    rate: of.plan.rate,
    seconds: frameToSeconds(of.plan.frames, of.plan.rate),
    ...(of.cut === undefined ? {} : { cut: of.cut }),
    ...(of.placement.captionLanguage === undefined ? {} : { language: of.placement.captionLanguage }),
    day: of.madeAt.slice(0, 10),
    container: of.plan.container,
    exportNumber: of.exportNumber,
    plain,
  };
}

/** A file's name by its production's pattern. */
export const nameOf = (of: Named): string =>
  nameByPattern(of.production.naming ?? usualPattern, nameFacts(of));

/** What the next file of each version of a production would be called by a pattern, and what stands against it. */
export async function previewNames(
  ws: Pick<Workspace, 'db' | 'specs' | 'letters'>,
  production: typeof productions.$inferSelect,
  pattern: string,
): Promise<NamingPreview> {
  const rows = await ws.db
    .select({ version: versions, master: masters, cut: cuts, newest: max(deliverables.exportNumber) })
    .from(versions)
    .innerJoin(masters, eq(masters.id, versions.masterId))
    .leftJoin(cuts, eq(cuts.id, versions.cutId))
    .leftJoin(deliverables, eq(deliverables.versionId, versions.id))
    .where(eq(versions.productionId, production.id))
    .groupBy(versions.id)
    .orderBy(versions.createdAt, versions.tag);
  const films = await filmsOf(ws.db, production.id);
  const named = rows.flatMap(({ version, master, cut, newest }) => {
    const plan = planOf(ws, version, master, cut ?? undefined)?.plan;
    const place = ws.specs.of(version);
    if (!plan || !place) return [];
    const facts = nameFacts({
      plan,
      placement: place.placement,
      outlet: place.outlet.name,
      production,
      master,
      cut: cut?.name,
      films,
      exportNumber: (newest ?? 0) + 1,
      madeAt: now(),
    });
    const fileName = nameByPattern(pattern, facts);
    return [{ versionId: version.id, fileName, troubles: nameTroubles(pattern, facts) }];
  });
  for (const same of groupedByKey(named).values())
    if (same.length > 1)
      for (const name of same)
        name.troubles.push(
          `${same.length} versions would be called so; all but the first get a number behind it.`,
        );
  const renames = await plannedRenames(ws, production, pattern);
  return { pattern, names: named, toRename: renames.length };
}

function groupedByKey<Row extends { fileName: string }>(rows: readonly Row[]): Map<string, Row[]> {
  const groups = new Map<string, Row[]>();
  for (const row of rows) {
    const key = nameKey(row.fileName);
    groups.set(key, [...(groups.get(key) ?? []), row]);
  }
  return groups;
}

/** The files of a production that another pattern calls otherwise, with their new names: no two of all files alike. */
async function plannedRenames(
  ws: Pick<Workspace, 'db' | 'specs' | 'letters'>,
  production: typeof productions.$inferSelect,
  pattern: string,
) {
  const films = await filmsOf(ws.db, production.id);
  const files = await ws.db
    .select({
      id: deliverables.id,
      versionId: deliverables.versionId,
      sha256: deliverables.sha256,
      fileName: deliverables.fileName,
      plan: deliverables.plan,
      exportNumber: deliverables.exportNumber,
      madeAt: deliverables.madeAt,
      version: versions,
      master: { id: masters.id, name: masters.name },
      cut: cuts.name,
    })
    .from(deliverables)
    .innerJoin(versions, eq(versions.id, deliverables.versionId))
    .innerJoin(masters, eq(masters.id, versions.masterId))
    .leftJoin(cuts, eq(cuts.id, versions.cutId))
    .where(eq(deliverables.productionId, production.id))
    .orderBy(asc(deliverables.madeAt), asc(deliverables.id));
  const taken = new Set<string>();
  return files.flatMap((file) => {
    const place = ws.specs.of(file.version);
    const wished = place
      ? nameOf({
          plan: file.plan,
          placement: place.placement,
          outlet: place.outlet.name,
          production: { ...production, naming: pattern },
          master: file.master,
          cut: file.cut ?? undefined,
          films,
          exportNumber: file.exportNumber,
          madeAt: file.madeAt,
        })
      : file.fileName;
    const fileName = freeName(wished, taken);
    taken.add(nameKey(fileName));
    return fileName === file.fileName ? [] : [{ ...file, before: file.fileName, fileName }];
  });
}

/**
 * Calls the files of a production that are there by its pattern. Where they lie does not depend on their names, so that
 * nothing is moved; what they were called stays in the history.
 *
 * @returns how many were renamed
 */
export async function renameFiles(
  ws: Pick<Workspace, 'db' | 'specs' | 'letters'>,
  production: typeof productions.$inferSelect,
  by: string,
): Promise<number> {
  const renames = await plannedRenames(ws, production, production.naming ?? usualPattern);
  await ws.db.transaction(async (tx) => {
    // First out of each other's way: two may swap their names.
    for (const { id } of renames)
      await tx
        .update(deliverables)
        .set({ nameKey: `renaming ${id}` })
        .where(eq(deliverables.id, id));
    for (const { id, fileName } of renames)
      await tx
        .update(deliverables)
        .set({ fileName, nameKey: nameKey(fileName) })
        .where(eq(deliverables.id, id));
    await happened(
      tx,
      renames.map(({ id, versionId, sha256, fileName, before }) => ({
        by,
        productionId: production.id,
        versionId,
        deliverableId: id,
        sha256,
        what: { kind: 'renamed', file: fileName, before },
      })),
    );
  });
  return renames.length;
}
