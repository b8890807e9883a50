import { stages, type Stage } from '@mivvy/core';
import type { Version } from '@mivvy/api';
import { dayWords } from '../../parts/days.ts';
import { StageColumn, StageColumns } from '../../parts/foldings/stage-column.tsx';
import foldings from '../../parts/foldings/foldings.module.css';
import { useThisProduction } from '../../parts/this-production.ts';
import { versionName } from '../../parts/versions.ts';
import { Thumb, waiting } from './rows.tsx';

/** The same rows, folded by where each deliverable is; stages without any are left out. */
export function Board({
  chosen,
  onChoose,
}: {
  chosen: string | undefined;
  onChoose: (version: Version) => void;
}) {
  const production = useThisProduction();
  const at = (stage: Stage) => production.versions.filter((v) => v.stage === stage);
  return (
    <StageColumns>
      {stages
        .filter((stage) => at(stage).length > 0)
        .map((stage) => (
          <StageColumn key={stage} stage={stage} count={at(stage).length}>
            {at(stage).map((v) => {
              const due = v.dueOn ?? production.dueOn;
              return (
                <li key={v.id}>
                  <button
                    className={`${foldings.card} ${v.id === chosen ? foldings.on : ''}`}
                    onClick={() => onChoose(v)}
                    aria-pressed={v.id === chosen}
                  >
                    <Thumb version={v} />
                    <span>
                      <b>{versionName(v)}</b>
                      <small>
                        {waiting(v)}
                        {due && `, due ${dayWords(due)}`}
                      </small>
                    </span>
                  </button>
                </li>
              );
            })}
          </StageColumn>
        ))}
    </StageColumns>
  );
}
