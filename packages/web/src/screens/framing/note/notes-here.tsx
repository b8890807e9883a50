import { useSnackbar } from 'notistack';
import { frameToTimecode } from '@mivvy/core';
import type { Note } from '@mivvy/api';
import { problemOf } from '../../../api/client.ts';
import { useHistory, useNoteDone } from '../../../api/ledger.ts';
import { useFraming } from '../framing-session.tsx';
import styles from './notes-here.module.css';

function OpenNote({ note }: { note: Note }) {
  const { master, seek } = useFraming();
  const tick = useNoteDone(note.versionId);
  const { enqueueSnackbar } = useSnackbar();
  return (
    <li>
      {note.by}: “{note.words}”{' '}
      {note.masterFrame !== null && (
        <button className="fix" onClick={() => seek(note.masterFrame!)}>
          At <span className="mono">{frameToTimecode(note.masterFrame, master.facts!.video.rate)}</span>
        </button>
      )}{' '}
      <button
        className="fix"
        onClick={() =>
          tick.mutate(
            { noteId: note.id, done: true },
            { onError: (error) => enqueueSnackbar(problemOf(error).sentence, { variant: 'error' }) },
          )
        }
      >
        Done
      </button>
    </li>
  );
}

function OpenNotes() {
  const { version } = useFraming();
  const history = useHistory(version.id);
  const open = (history.data?.notes ?? []).filter((note) => note.doneAt === null);
  return (
    <ul className={styles.notes} aria-label="What people asked for">
      {open.map((note) => (
        <OpenNote key={note.id} note={note} />
      ))}
    </ul>
  );
}

/** What people outside asked for of this version and nobody has seen to yet, where the work is done. */
export function NotesHere() {
  const { version } = useFraming();
  return version.openNotes > 0 ? <OpenNotes /> : null;
}
