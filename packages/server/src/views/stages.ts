import { sql, type SQL } from 'drizzle-orm';
import { handovers, stageOf, type Handover, type Stage, type Standing } from '@mivvy/core';
import { standingSchema } from '@mivvy/api';
import { deliverables, versions } from '../db/schema.ts';

/** A word of ours inside SQL. */
const word = (text: string) => sql.raw(`'${text}'`);

/** Where versions of one standing are: asked of core for every combination, and told with as few conditions as that needs. */
function stageAt(standing: Standing): SQL {
  const stage = (handover: Handover, touched: boolean) => stageOf(standing, handover, touched);
  const [untouched, touched] = [stage('none', false), stage('none', true)];
  const byHandover = handovers.some((h) => stage(h, true) !== touched || stage(h, false) !== untouched);
  if (!byHandover)
    return untouched === touched
      ? word(touched)
      : sql`case ${versions.touched} when 1 then ${word(touched)} else ${word(untouched)} end`;
  const each = handovers.map(
    (h) =>
      sql`when ${word(h)} then case ${versions.touched} when 1 then ${word(stage(h, true))} else ${word(stage(h, false))} end`,
  );
  return sql`case coalesce(${deliverables.handover}, 'none') ${sql.join(each, sql` `)} end`;
}

/**
 * Where a version is on its whole way, as SQL made from core's own function, so that no second one can say otherwise.
 * Needs the version with its newest file joined to it.
 */
export const stageColumn: SQL<Stage> = sql<Stage>`case ${versions.standing} ${sql.join(
  standingSchema.options.map((standing) => sql`when ${word(standing)} then ${stageAt(standing)}`),
  sql` `,
)} else 'planned' end`;
