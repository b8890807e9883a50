import { useSnackbar } from 'notistack';
import { frameToTimecode, masterNotes, problemLine } from '@mivvy/core';
import type { Master } from '@mivvy/api';
import { problemOf } from '../../api/client.ts';
import { useMendMaster } from '../../api/changes.ts';
import { useDesk } from '../../play/use-desk.tsx';
import styles from './masters.module.css';

/** What is wrong with a master's file, or with the reading of it, and the way on. */
export function FileNote({ master }: { master: Master }) {
  const mending = useMendMaster(master.productionId);
  const { enqueueSnackbar } = useSnackbar();
  const mend = (way: 'read' | 'renew') =>
    mending.mutate(
      { id: master.id, way },
      { onError: (error) => enqueueSnackbar(problemLine(problemOf(error)), { variant: 'error' }) },
    );
  const again = (
    <button className="fix tall" disabled={mending.isPending} onClick={() => mend('read')}>
      Read it again
    </button>
  );
  if (master.file === 'gone')
    return (
      <p className={`warn fault ${styles.note}`} role="alert">
        The film is no longer where it was, so nothing can be made from it. Put it back, or replace it below.
      </p>
    );
  if (master.file === 'changed') {
    return (
      <p className={`warn fault ${styles.note}`} role="alert">
        The film was changed on the disk since it was brought in, so nothing is made from it.{' '}
        <button className="fix tall" disabled={mending.isPending} onClick={() => mend('renew')}>
          Take the changed film
        </button>{' '}
        in its place: framing and keeps carry over.
      </p>
    );
  }
  if (master.unread)
    return (
      <p className={`warn ${styles.note}`}>
        It has not been read through, so nothing can be exported from it. {again}
      </p>
    );
  if (master.shotsAssumed)
    return (
      <p className={`warn ${styles.note}`}>
        Its shots could not be found, so it stands as one and is looked at as one. Cut it by hand under Shots,
        or have them looked for anew. {again}
      </p>
    );
  return null;
}

/** So many shots without a counterpart are offered to be looked at. */
const mostOffered = 8;

/** What carrying the framing over to a replaced film came to. */
export function CarriedNote({ master }: { master: Master }) {
  const desk = useDesk();
  const { carried, facts } = master;
  if (!carried || !facts) return null;
  const see = (frame: number) => {
    desk.pause();
    desk.seek(frame);
  };
  return (
    <div className={`warn ${styles.note} ${styles.carried}`}>
      {carried.words.map((words) => (
        <p key={words}>{words}</p>
      ))}
      {carried.unmatched.slice(0, mostOffered).map((frame) => (
        <button key={frame} className="fix" onClick={() => see(frame)}>
          {frameToTimecode(frame, facts.video.rate)}
        </button>
      ))}
    </div>
  );
}

/** What is worth knowing of a film before anything is made from it. */
export function WorthKnowing({ master }: { master: Master }) {
  const notes = master.facts ? masterNotes(master.facts) : [];
  if (notes.length === 0) return null;
  return (
    <div className={styles.notes}>
      {notes.map((n) => (
        <p key={n.code} className={`warn ${n.weight === 'look' ? '' : 'mild'}`}>
          {n.sentence}
        </p>
      ))}
    </div>
  );
}
