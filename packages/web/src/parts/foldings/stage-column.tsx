import type { ReactNode } from 'react';
import type { Stage } from '@mivvy/core';
import { StageStamp, stageWord } from '../stamp.tsx';
import styles from './foldings.module.css';

/** Columns side by side, one for each stage that has any. */
export const StageColumns = ({ children }: { children: ReactNode }) => (
  <div className={styles.board}>{children}</div>
);

/** Deliverables that are at one stage, as list items. */
export function StageColumn({
  stage,
  count,
  children,
  foot,
}: {
  stage: Stage;
  count: number;
  children: ReactNode;
  /** What stands under them, such as how many more there are. */
  foot?: ReactNode;
}) {
  return (
    <section aria-label={stageWord(stage)}>
      <h2>
        <StageStamp stage={stage} /> <span className="quiet">{count}</span>
      </h2>
      <ul>{children}</ul>
      {foot}
    </section>
  );
}
