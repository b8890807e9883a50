import Button from '@mui/material/Button';
import { useState } from 'react';
import { NavLink } from 'react-router';
import { masterNotes, masterSummary } from '@mivvy/core';
import type { Master } from '@mivvy/api';
import { useJobAbout } from '../../api/queries.ts';
import { ArrivingList, InboxDialog } from '../../parts/bring-in.tsx';
import { Stamp } from '../../parts/stamp.tsx';
import { useThisProduction } from '../../parts/this-production.ts';
import styles from './masters.module.css';

/** The stamp of a master in the list. */
function MasterStamp({ master }: { master: Master }) {
  const job = useJobAbout(master.productionId, master.id);
  if (master.file !== 'same')
    return <Stamp shape="fail">{master.file === 'gone' ? 'Not on the disk' : 'Changed on disk'}</Stamp>;
  if (master.state === 'failed')
    return <Stamp shape="fail">{master.unread ? 'Not read through' : 'Cannot be used'}</Stamp>;
  if (master.unread && !job) return <Stamp shape="look">Not read through</Stamp>;
  if (job)
    return (
      <Stamp shape="idle">
        {job.stage || (job.kind === 'ingest' ? 'waiting to be read' : 'waiting its turn')}
      </Stamp>
    );
  if (master.shotsAssumed) return <Stamp shape="look">No shots found</Stamp>;
  const looks = master.facts ? masterNotes(master.facts).filter((n) => n.weight === 'look').length : 0;
  return looks ? <Stamp shape="look">{looks} to know</Stamp> : <Stamp shape="pass">Read</Stamp>;
}

function MasterEntry({ master, chosen }: { master: Master; chosen: boolean }) {
  return (
    <NavLink
      to={`/productions/${master.productionId}/masters/${master.id}`}
      className={chosen ? 'on' : ''}
      aria-current={chosen ? 'page' : undefined}
    >
      <span className="well">
        {master.hasPoster && (
          <img src={`/api/masters/${master.id}/poster?file=${master.fileGeneration}`} alt="" />
        )}
      </span>
      <span className={styles.entry}>
        <b className="clip">{master.name}</b>
        <span className={`quiet ${styles.summary}`}>
          {master.textlessOf
            ? 'Textless master of the film above'
            : master.facts
              ? masterSummary(master.facts)
              : master.fileName}
        </span>
        <MasterStamp master={master} />
      </span>
    </NavLink>
  );
}

/** The films of a production, and the ways to bring one in. */
export function MasterList({ chosen, choose }: { chosen: Master | undefined; choose: () => void }) {
  const production = useThisProduction();
  const [inboxOpen, setInboxOpen] = useState(false);
  return (
    <div className="list">
      <div className={styles.bring}>
        <Button variant="contained" onClick={choose}>
          Bring in films
        </Button>
        <Button variant="outlined" onClick={() => setInboxOpen(true)}>
          From the inbox
        </Button>
      </div>
      <ArrivingList productionId={production.id} />
      <ul>
        {production.masters.map((m) => (
          <li key={m.id}>
            <MasterEntry master={m} chosen={m.id === chosen?.id} />
            {production.textlessMasters
              .filter((textless) => textless.textlessOf === m.id)
              .map((textless) => (
                <MasterEntry key={textless.id} master={textless} chosen={textless.id === chosen?.id} />
              ))}
          </li>
        ))}
      </ul>
      <InboxDialog productionId={production.id} open={inboxOpen} onClose={() => setInboxOpen(false)} />
    </div>
  );
}
