import type { QueryClient } from '@tanstack/react-query';
import type { Job, Master, ProductionDetail, Version } from '@mivvy/api';
import type { Standing } from '@mivvy/core';
import { keys } from './keys.ts';

/** Puts a changed version where the screens find it. */
export function putVersion(client: QueryClient, saved: Version): Version {
  client.setQueryData(
    keys.production(saved.productionId),
    (old: ProductionDetail | undefined) =>
      old && { ...old, versions: old.versions.map((v) => (v.id === saved.id ? saved : v)) },
  );
  return saved;
}

/** Puts a changed master where the screens find it. */
export function putMaster(client: QueryClient, saved: Master): Master {
  client.setQueryData(
    keys.production(saved.productionId),
    (old: ProductionDetail | undefined) =>
      old && {
        ...old,
        masters: old.masters.map((m) => (m.id === saved.id ? saved : m)),
        textlessMasters: old.textlessMasters.map((m) => (m.id === saved.id ? saved : m)),
      },
  );
  return saved;
}

/** Asks for a production again. */
export const refreshProduction = (client: QueryClient, id: string) =>
  client.invalidateQueries({ queryKey: keys.production(id) });

/** A version stands otherwise: the rest of it, and every other version, stays the same object. */
function putStanding(client: QueryClient, productionId: string, versionId: string, standing: Standing): void {
  client.setQueryData(keys.production(productionId), (old: ProductionDetail | undefined) => {
    const version = old?.versions.find((v) => v.id === versionId);
    if (!old || !version || version.standing === standing) return old;
    return { ...old, versions: old.versions.map((v) => (v === version ? { ...v, standing } : v)) };
  });
}

/** Where a version stands while its export waits or runs. */
const standingWhile: Partial<Record<Job['state'], Standing>> = { queued: 'queued', running: 'making' };

/** Puts how a job stands where the screens find it. A mere tick touches the list of jobs alone. */
export function putJob(client: QueryClient, job: Job): void {
  client.setQueryData(
    keys.jobs(job.productionId),
    (old: Job[] | undefined) =>
      old && (old.some((j) => j.id === job.id) ? old.map((j) => (j.id === job.id ? job : j)) : [job, ...old]),
  );
  const standing = standingWhile[job.state];
  if (job.kind === 'export' && standing) putStanding(client, job.productionId, job.subjectId, standing);
}
