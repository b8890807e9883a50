import Button from '@mui/material/Button';
import { useSnackbar } from 'notistack';
import { useState } from 'react';
import { Link } from 'react-router';
import { bytesLabel, countWords } from '@mivvy/core';
import type { Room, RoomRule } from '@mivvy/api';
import { problemOf } from '../../api/client.ts';
import { useClearRoom, useRoom } from '../../api/room.ts';
import { dayWords } from '../../parts/days.ts';
import { EditableNumber } from '../../parts/editable.tsx';
import { Failed, Loading, ProblemNote } from '../../parts/notices.tsx';
import { LetFilesGo } from './let-files-go.tsx';
import styles from './room.module.css';

/** What rests for so long is offered first, with so many files of each version that stay. */
const usualRule: RoomRule = { idleDays: 90, keepFiles: 1 };

/** What lies on the disk, and what may go of productions that nobody works on any more. */
export function RoomPane() {
  const [rule, setRule] = useState(usualRule);
  const query = useRoom(rule);
  return (
    <section className={styles.room} aria-labelledby="room-title">
      <h2 id="room-title">Room on the disk</h2>
      {query.isPending ? (
        <Loading what="what lies there" />
      ) : query.isError ? (
        <Failed error={query.error} onRetry={() => void query.refetch()} />
      ) : (
        <>
          <Lying room={query.data} />
          <RuleSentence rule={rule} onChange={setRule} />
          <Goes room={query.data} rule={rule} isLooking={query.isPlaceholderData} />
        </>
      )}
    </section>
  );
}

function Lying({ room }: { room: Room }) {
  return (
    <dl className={styles.lying}>
      {(
        [
          ['Free', room.freeBytes],
          ['Films brought in', room.filmBytes],
          ['Finished files', room.fileBytes],
          ['Proof copies', room.copyBytes],
        ] as const
      ).map(([name, bytes]) => (
        <div key={name}>
          <dt>{name}</dt>
          <dd className="mono">{bytesLabel(bytes)}</dd>
        </div>
      ))}
    </dl>
  );
}

function RuleSentence({ rule, onChange }: { rule: RoomRule; onChange: (rule: RoomRule) => void }) {
  return (
    <p>
      Of productions in which nothing has happened for{' '}
      <EditableNumber
        label="Days without a change"
        value={rule.idleDays}
        shown={countWords(rule.idleDays, 'day')}
        min={1}
        max={3650}
        unit="days"
        onChange={(n) => onChange({ ...rule, idleDays: Math.round(n) })}
      />
      , proof copies and stills may go; they are made again when somebody opens one. So may all files but the
      newest{' '}
      <EditableNumber
        label="Files of each version that stay"
        value={rule.keepFiles}
        shown={countWords(rule.keepFiles, 'file')}
        min={1}
        max={100}
        unit="files"
        onChange={(n) => onChange({ ...rule, keepFiles: Math.round(n) })}
      />{' '}
      of each version, except what was approved or went out; their reports, sums and history stay.
    </p>
  );
}

/** What of a kind would go in all productions together. */
const totalOf = (room: Room, what: 'copies' | 'files') => {
  const some = room.goes.filter((one) => one[what].count > 0);
  return {
    productionIds: some.map(({ id }) => id),
    count: some.reduce((sum, one) => sum + one[what].count, 0),
    bytes: some.reduce((sum, one) => sum + one[what].bytes, 0),
  };
};

function Goes({ room, rule, isLooking }: { room: Room; rule: RoomRule; isLooking: boolean }) {
  const clear = useClearRoom();
  const { enqueueSnackbar } = useSnackbar();
  if (room.goes.length === 0)
    return (
      <p className="quiet">
        Nothing would go: every production has changed since, or has neither proof copies nor older files.
      </p>
    );
  const [copies, files] = [totalOf(room, 'copies'), totalOf(room, 'files')];
  const waits = isLooking || clear.isPending;
  const letGo = (what: 'copies' | 'files') => {
    const { productionIds } = what === 'copies' ? copies : files;
    clear.mutate(
      { ...rule, what, productionIds },
      {
        onSuccess: ({ productions }) =>
          enqueueSnackbar(
            `Cleared ${what === 'copies' ? 'proof copies' : 'older files'} of ${countWords(productions, 'production')}${productions < productionIds.length ? '; in the others something has happened meanwhile' : ''}.`,
          ),
      },
    );
  };
  return (
    <>
      <table className={styles.goes}>
        <thead>
          <tr>
            <th scope="col">Production</th>
            <th scope="col">Last change</th>
            <th scope="col">Proof copies</th>
            <th scope="col">Older files</th>
          </tr>
        </thead>
        <tbody>
          {room.goes.map((one) => (
            <tr key={one.id}>
              <th scope="row">
                <Link to={`/productions/${one.id}`}>{one.name}</Link>{' '}
                <span className="quiet">{one.client}</span>
              </th>
              <td>{dayWords(one.last.slice(0, 10))}</td>
              <Weight of={one.copies} />
              <Weight of={one.files} />
            </tr>
          ))}
        </tbody>
      </table>
      {clear.error && <ProblemNote problem={problemOf(clear.error)} />}
      <div className={styles.acts}>
        {copies.count > 0 && (
          <Button variant="outlined" disabled={waits} onClick={() => letGo('copies')}>
            Clear {countWords(copies.count, 'proof copy', 'proof copies')} ({bytesLabel(copies.bytes)})
          </Button>
        )}
        {files.count > 0 && (
          <LetFilesGo
            {...files}
            productions={files.productionIds.length}
            disabled={waits}
            onGo={() => letGo('files')}
          />
        )}
      </div>
    </>
  );
}

function Weight({ of: { count, bytes } }: { of: Room['goes'][number]['files'] }) {
  return (
    <td className="mono">
      {count > 0 ? (
        <>
          {count} <span className="quiet">{bytesLabel(bytes)}</span>
        </>
      ) : (
        <span className="quiet">none</span>
      )}
    </td>
  );
}
