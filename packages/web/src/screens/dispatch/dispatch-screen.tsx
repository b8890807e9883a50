import { Link } from 'react-router';
import { Empty } from '../../parts/notices.tsx';
import { versionName } from '../../parts/versions.ts';
import { useThisProduction } from '../../parts/this-production.ts';
import { WhatHappened } from '../deliverables/what-happened.tsx';
import { useHappenings } from '../../api/ledger.ts';
import { Consignment } from './consignment.tsx';
import { Sent } from './sent.tsx';
import styles from './dispatch.module.css';

/** Everything that happened in the production, beside what goes out. */
function Activity() {
  const production = useThisProduction();
  const happenings = useHappenings(production.id);
  const nameOf = (id: string) => {
    const version = production.versions.find((v) => v.id === id);
    return version && versionName(version);
  };
  return (
    <aside className={styles.activity} aria-label="What happened" tabIndex={0}>
      <h2>What happened</h2>
      <WhatHappened happenings={happenings.data ?? []} nameOf={nameOf} />
    </aside>
  );
}

/** Dispatch: what goes, where, when, and the receipt. */
export function DispatchScreen() {
  const production = useThisProduction();
  if (!production.versions.some((v) => v.deliverable))
    return (
      <Empty
        title="Nothing can be handed over yet"
        action={
          <Link className="fix tall" to={`/productions/${production.id}/exports`}>
            Make files in Exports
          </Link>
        }
      >
        Files that passed their check are handed over from here.
      </Empty>
    );
  return (
    <div className={styles.screen}>
      <div className={styles.main}>
        <Consignment />
        <Sent />
      </div>
      <Activity />
    </div>
  );
}
