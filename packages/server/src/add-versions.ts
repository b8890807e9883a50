import { eq } from 'drizzle-orm';
import { nanoid } from 'nanoid';
import { heldFraming, versionTag } from '@mivvy/core';
import type { Writer } from './db/database.ts';
import { productions, versions, type masters } from './db/schema.ts';
import type { SpecLibrary } from './specs.ts';
import { now } from './workspace.ts';

/** Makes versions of a master for some placements, each with a letter of its own; those that are there already stay as they are. */
export async function addVersions(
  tx: Writer,
  master: Pick<typeof masters.$inferSelect, 'id' | 'productionId'>,
  placementIds: readonly string[],
  specs: Pick<SpecLibrary, 'revisionOf'>,
): Promise<void> {
  const have = await tx
    .select({ tag: versions.tag, placementId: versions.placementId })
    .from(versions)
    .where(eq(versions.masterId, master.id));
  const [production] = await tx
    .select({ expects: productions.expects })
    .from(productions)
    .where(eq(productions.id, master.productionId));
  const tags = new Set(have.map((v) => v.tag));
  const nextTag = () => {
    for (let i = 0; ; i++) {
      const tag = versionTag(i);
      if (!tags.has(tag)) return (tags.add(tag), tag);
    }
  };
  for (const placementId of new Set(placementIds)) {
    if (have.some((v) => v.placementId === placementId)) continue; // one version of a master for a placement
    const expected = production?.expects.find((each) => each.placementId === placementId);
    await tx.insert(versions).values({
      dueOn: expected?.dueOn ?? null,
      holder: expected?.holder ?? '',
      id: nanoid(10),
      productionId: master.productionId,
      masterId: master.id,
      placementId,
      placementRevision: specs.revisionOf(placementId),
      tag: nextTag(),
      framing: heldFraming(),
      revision: 1,
      createdAt: now(),
      updatedAt: now(),
    });
  }
}
