import { Link } from 'react-router';
import { countWords, stages, waitsFor, type Stage } from '@mivvy/core';
import type { LedgerPage, LedgerQuery } from '@mivvy/api';
import { useLedger } from '../../api/ledger.ts';
import { dayWords } from '../../parts/days.ts';
import foldings from '../../parts/foldings/foldings.module.css';
import { StageColumn, StageColumns } from '../../parts/foldings/stage-column.tsx';

/** So many of a stage are shown, those that are due first; the others are in the list. */
const mostOfOne = 24;

/** Deliverables of all productions, by where each is. */
export function LedgerBoard({
  query,
  counts,
  onStage,
}: {
  query: LedgerQuery;
  counts: LedgerPage['counts'];
  /** All of one stage are asked for, in the list. */
  onStage: (stage: Stage) => void;
}) {
  const shown = stages.filter(
    (stage) => counts[stage] && (query.stages.length === 0 || query.stages.includes(stage)),
  );
  if (shown.length === 0) return <p className="quiet">No deliverable is like that.</p>;
  return (
    <StageColumns>
      {shown.map((stage) => (
        <Column key={stage} query={query} stage={stage} count={counts[stage]!} onStage={onStage} />
      ))}
    </StageColumns>
  );
}

function Column({
  query,
  stage,
  count,
  onStage,
}: {
  query: LedgerQuery;
  stage: Stage;
  count: number;
  onStage: (stage: Stage) => void;
}) {
  const asked = { ...query, stages: [stage], group: undefined, order: 'due' as const, descending: false };
  const rows = useLedger(asked, { from: 0, count: mostOfOne }).data?.rows ?? [];
  const more = count - rows.length;
  return (
    <StageColumn
      stage={stage}
      count={count}
      foot={
        rows.length > 0 &&
        more > 0 && (
          <button className="fix tall" onClick={() => onStage(stage)}>
            {more} more in the list
          </button>
        )
      }
    >
      {rows.map((row) => (
        <li key={row.versionId}>
          <Link
            className={foldings.card}
            to={`/productions/${row.productionId}/deliverables/${row.versionId}`}
          >
            <span>
              <b>
                {row.outlet} {row.placement.toLowerCase()}
              </b>
              <small>{row.production}</small>
              <small>
                {row.openNotes > 0 ? countWords(row.openNotes, 'note') : waitsFor[stage]}
                {row.dueOn && `, due ${dayWords(row.dueOn)}`}
              </small>
            </span>
          </Link>
        </li>
      ))}
    </StageColumn>
  );
}
