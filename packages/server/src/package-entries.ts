import { createHash } from 'node:crypto';
import { stringify } from 'csv-stringify/sync';
import { and, asc, eq, inArray } from 'drizzle-orm';
import { reportPage } from '@mivvy/core';
import { deliverables, masters, productions, versions } from './db/schema.ts';
import type { BesideFile } from './files/beside-file.ts';
import { besideFilm } from './files/beside.ts';
import { lookAtDeliverable, wrongWithFile } from './files/deliverable-file.ts';
import { approvalsOf } from './happenings.ts';
import { refuse } from './http/problems.ts';
import { fromStored } from './storage.ts';
import { tellVersion } from './tell.ts';
import { now, type Workspace } from './workspace.ts';

/** One file of a package: bytes that lie somewhere, or its content. */
export type PackageEntry = { name: string; sha256: string } & (
  { path: string; bytes: number } | { content: Buffer }
);

const textEntry = (name: string, text: string): PackageEntry => {
  const content = Buffer.from(text);
  return { name, content, sha256: createHash('sha256').update(content).digest('hex') };
};

/** Words are JSON; a reader of another release finds its number here. */
const manifestFormat = 'mivvy-manifest';

/**
 * What a package of some files holds: the films with the captions and the covers that go beside them, their check reports as pages and as JSON, a manifest as JSON and as
 * CSV, and `SHA256SUMS` of everything else. Refuses files that are not what was checked.
 */
export async function packageEntries(
  ws: Workspace,
  productionId: string,
  deliverableIds: readonly string[],
): Promise<PackageEntry[]> {
  const [production] = await ws.db.select().from(productions).where(eq(productions.id, productionId));
  const rows = await ws.db
    .select({ file: deliverables, version: versions, master: masters.name })
    .from(deliverables)
    .innerJoin(versions, eq(versions.id, deliverables.versionId))
    .innerJoin(masters, eq(masters.id, versions.masterId))
    .where(and(eq(deliverables.productionId, productionId), inArray(deliverables.id, [...deliverableIds])))
    .orderBy(asc(deliverables.fileName));
  if (rows.length === 0) refuse(404, 'not-found', 'None of these files is here any more.');
  const approvals = await approvalsOf(
    ws.db,
    rows.map(({ file }) => file.id),
  );
  const films: PackageEntry[] = [];
  const reports: PackageEntry[] = [];
  const listed = [];
  for (const { file, version, master } of rows) {
    const wrong = wrongWithFile(await lookAtDeliverable(ws, file, { wait: true }), file.fileName);
    if (wrong) {
      await tellVersion(ws, version.id);
      refuse(409, wrong.code, wrong.sentence, wrong.mend);
    }
    const place = ws.specs.of(version);
    const where = place ? `${place.outlet.name}, ${place.placement.name}` : version.placementId;
    films.push({
      name: `films/${file.fileName}`,
      path: fromStored(ws.storage, file.path),
      bytes: file.bytes,
      sha256: file.sha256,
    });
    const found = await besideFilm(ws, file);
    if (!found.ok) refuse(409, found.problem.code, found.problem.sentence, found.problem.mend);
    const beside = found.value;
    for (const { name, content, sha256 } of beside) films.push({ name: `films/${name}`, content, sha256 });
    const nameOf = (kind: BesideFile['kind']) => {
      const one = beside.find((each) => each.kind === kind);
      return one ? `films/${one.name}` : null;
    };
    reports.push(
      textEntry(
        `reports/${file.fileName}.report.html`,
        reportPage({
          file: file.fileName,
          sha256: file.sha256,
          place: where,
          master: file.report.compared ? master : null,
          plan: file.plan,
          report: file.report,
        }),
      ),
      textEntry(`reports/${file.fileName}.report.json`, `${JSON.stringify(file.report, null, 2)}\n`),
    );
    const approval = approvals.get(file.id);
    listed.push({
      file: `films/${file.fileName}`,
      sha256: file.sha256,
      bytes: file.bytes,
      place: where,
      placement: version.placementId,
      captions: nameOf('captions'),
      cover: nameOf('cover'),
      master,
      width: file.plan.frame.width,
      height: file.plan.frame.height,
      rate: `${file.plan.rate.num}/${file.plan.rate.den}`,
      frames: file.plan.frames,
      passed: file.passed,
      approvedBy: approval?.by ?? null,
      approvedAt: approval?.at ?? null,
      madeAt: file.madeAt,
    });
  }
  const manifest = {
    format: manifestFormat,
    version: 1,
    production: production!.name,
    client: production!.client,
    packedAt: now(),
    files: listed,
  };
  const rest = [
    ...reports,
    textEntry('manifest.json', `${JSON.stringify(manifest, null, 2)}\n`),
    textEntry('manifest.csv', stringify(listed, { header: true, cast: { boolean: (is) => String(is) } })),
  ];
  const sums = [...films, ...rest].map(({ name, sha256 }) => `${sha256}  ${name}\n`).join('');
  return [...films, ...rest, textEntry('SHA256SUMS', sums)];
}
