import { stages, type Stage } from '@mivvy/core';
import type { Version } from '@mivvy/api';
import { dayWords } from '../../parts/days.ts';
import { StageStamp } from '../../parts/stamp.tsx';
import { useThisProduction } from '../../parts/this-production.ts';
import { versionName } from '../../parts/versions.ts';
import { Thumb, waiting } from './rows.tsx';
import styles from './foldings.module.css';

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
    <div className={styles.board}>
      {stages
        .filter((stage) => at(stage).length > 0)
        .map((stage) => (
          <section key={stage} aria-label={stage}>
            <h2>
              <StageStamp stage={stage} /> <span className="quiet">{at(stage).length}</span>
            </h2>
            <ul>
              {at(stage).map((v) => {
                const due = v.dueOn ?? production.dueOn;
                return (
                  <li key={v.id}>
                    <button
                      className={v.id === chosen ? styles.on : ''}
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
            </ul>
          </section>
        ))}
    </div>
  );
}
