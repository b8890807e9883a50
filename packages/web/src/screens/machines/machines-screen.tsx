import type { ReactNode } from 'react';
import { countWords } from '@mivvy/core';
import type { Machines } from '@mivvy/api';
import { useMachines } from '../../api/machines.ts';
import { Failed, Loading } from '../../parts/notices.tsx';
import { Stamp } from '../../parts/stamp.tsx';
import { TopBar } from '../../parts/top-bar.tsx';
import { AddMachine } from './add-machine.tsx';
import { Doing } from './doing.tsx';
import { MachineRow } from './machine-row.tsx';
import { recordWords } from './machine-words.ts';
import { RoomPane } from './room-pane.tsx';
import styles from './machines.module.css';

/** What makes the files: the server itself, and whatever machines have joined it. */
export function MachinesScreen() {
  const query = useMachines();
  return (
    <div className="desk">
      <TopBar where={<b>Machines</b>} />
      <main className="scroll">
        <div className={styles.machines}>
          <h1>What makes the files</h1>
          {query.isPending ? (
            <Loading what="the machines" />
          ) : query.isError ? (
            <Failed error={query.error} onRetry={() => void query.refetch()} />
          ) : (
            <Told told={query.data} />
          )}
        </div>
      </main>
    </div>
  );
}

function Told({ told }: { told: Machines }) {
  const { queue, here, machines, waiting } = told;
  const there = machines.filter((machine) => machine.there).length;
  return (
    <>
      <p className="quiet">
        {queue.kind === 'redis' ? (
          <>
            Jobs are handed out by the queue at <span className="mono">{queue.address}</span>.{' '}
            {machines.length > 0 &&
              `${countWords(there, 'machine')} of ${machines.length} heard of just now.`}
          </>
        ) : (
          'This server makes every file itself. Others can help once it is started with a queue.'
        )}
      </p>
      {waiting && (
        <p className="warn" role="status">
          {waiting.sentence} {waiting.mend}
        </p>
      )}
      <ul className={styles.list} aria-label="Machines">
        <Here here={here} />
        {machines.map((machine) => (
          <MachineRow key={machine.id} machine={machine} here={here} />
        ))}
      </ul>
      <AddMachine queue={queue} />
      <RoomPane />
    </>
  );
}

function Here({ here }: { here: Machines['here'] }) {
  const stamp: ReactNode = !here.exports ? (
    <Stamp shape="idle">Makes none</Stamp>
  ) : here.doing.length ? (
    <Stamp shape="act">At work</Stamp>
  ) : (
    <Stamp shape="idle">Waits</Stamp>
  );
  return (
    <li>
      <div className={styles.head}>
        <h2>This server</h2>
        {stamp}
      </div>
      <div>
        <p>
          {countWords(here.cores, 'core')}.{' '}
          {here.exports
            ? recordWords(here)
            : 'It was started with --exports 0, so it leaves exports to the others.'}
        </p>
        <Doing jobs={here.doing} />
      </div>
      <span />
    </li>
  );
}
