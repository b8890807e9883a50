import { and, eq, inArray, sql } from 'drizzle-orm';
import { drawnFrom, isStale, neededAfter, planVersion, type NeededAfter } from '@mivvy/core';
import type { PlacementPage, PlacementStanding, TouchedVersion } from '@mivvy/api';
import { cuts, deliverables, masters, productions, versions } from '../db/schema.ts';
import type { PlacementPage as Page, SpecLibrary } from '../specs.ts';
import type { Workspace } from '../workspace.ts';

type Ws = Pick<Workspace, 'db' | 'specs'>;

function standingOf(specs: SpecLibrary, id: string, page: Page): PlacementStanding {
  const place = specs.find(id)!;
  const [next] = specs.toCome(id);
  return {
    id,
    outlet: page.outlet,
    name: place.placement.name,
    revision: specs.revisionOf(id),
    newest: page.revisions.at(-1)!.number,
    changesOn: next?.effectiveOn ?? null,
    retiredOn: page.retiredOn,
    checkedOn: page.checkedOn,
    stale: isStale(page.checkedOn ?? undefined, specs.today()),
  };
}

/** The book as the API shows it. */
export function specBookView({ specs }: Pick<Ws, 'specs'>) {
  return {
    outlets: specs.outlets,
    allOutlets: specs.allOutlets,
    refused: specs.refused,
    placements: specs.allPages().map((page) => {
      const { id } = page.revisions[0]!.placement;
      return standingOf(specs, id, page);
    }),
  };
}

/** One placement with its history and the versions that are made for it; undefined where the book has none such. */
export async function placementPage(ws: Ws, id: string): Promise<PlacementPage | undefined> {
  const page = ws.specs.page(id);
  if (!page) return undefined;
  return {
    standing: standingOf(ws.specs, id, page),
    checkedBy: page.checkedBy,
    evidence: page.evidence,
    revisions: page.revisions,
    versions: await touchedVersions(ws, id),
  };
}

/** Versions that are made for a placement, and what each needs to be made for it as it holds today. */
async function touchedVersions(ws: Ws, placementId: string): Promise<TouchedVersion[]> {
  const holds = ws.specs.find(placementId)!.placement;
  const rows = await ws.db
    .select({ version: versions, master: masters, cut: cuts, production: productions.name })
    .from(versions)
    .innerJoin(masters, eq(masters.id, versions.masterId))
    .innerJoin(productions, eq(productions.id, versions.productionId))
    .leftJoin(cuts, eq(cuts.id, versions.cutId))
    .where(eq(versions.placementId, placementId))
    .orderBy(productions.updatedAt, versions.tag);
  const files = await ws.db
    .select({ versionId: deliverables.versionId, count: sql<number>`count(*)` })
    .from(deliverables)
    .where(
      inArray(
        deliverables.versionId,
        rows.map((row) => row.version.id),
      ),
    )
    .groupBy(deliverables.versionId);
  const haveFile = new Set(files.map((f) => f.versionId));
  return rows.map(({ version, master, cut, production }) => {
    const needs = (): NeededAfter | null => {
      const own = ws.specs.of(version)!.placement;
      const { facts, sha256, textless } = drawnFrom(version.textless, master);
      if (!facts || master.state !== 'ready') return null;
      const plan = (placement: typeof own) =>
        planVersion({
          facts,
          sha256,
          placement,
          framing: version.framing,
          coverFrame: version.coverFrame,
          sharpen: version.sharpen,
          textless,
          cut: cut ?? undefined,
        });
      return neededAfter(plan(own), plan(holds));
    };
    return {
      id: version.id,
      productionId: version.productionId,
      production,
      master: master.name,
      tag: version.tag,
      placementRevision: version.placementRevision,
      needs: needs(),
      hasFile: haveFile.has(version.id),
    };
  });
}

/** Versions of some ids whose placement holds in another revision than theirs. */
export async function outOfDate(ws: Ws, ids: readonly string[]) {
  const rows = await ws.db
    .select()
    .from(versions)
    .where(and(inArray(versions.id, [...ids])));
  return rows.filter((row) => row.placementRevision !== ws.specs.revisionOf(row.placementId));
}
