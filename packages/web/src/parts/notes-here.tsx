import { useSnackbar } from 'notistack';
import type { Master, Note, Version } from '@mivvy/api';
import { problemOf } from '../api/client.ts';
import { useHistory, useNoteDone } from '../api/ledger.ts';
import { noteWhere } from './note-where.ts';
import { cutOf, versionName } from './versions.ts';
import styles from './notes-here.module.css';

interface Here {
  version: Version;
  /** Its film, which has been read. */
  master: Master;
  /** Goes to a frame of the master. */
  onSeek: (frame: number) => void;
  /** Where several versions are worked on at once, each note names its own. */
  named?: boolean;
}

function OpenNote({ note, version, master, onSeek, named }: Here & { note: Note }) {
  const tick = useNoteDone(note.versionId);
  const { enqueueSnackbar } = useSnackbar();
  const where = noteWhere(note, { rate: master.facts!.video.rate, kept: cutOf(version, master)?.kept });
  return (
    <li>
      {note.by}
      {named && `, of ${versionName(version)}`}: “{note.words}”{' '}
      {where.at === null ? (
        where.words
      ) : (
        <button className="fix" onClick={() => onSeek(where.at!)}>
          {where.words}
        </button>
      )}
      {where.after}{' '}
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

function OpenNotes(here: Here) {
  const history = useHistory(here.version.id);
  const open = (history.data?.notes ?? []).filter((note) => note.doneAt === null);
  return (
    <ul className={styles.notes} aria-label="What people asked for">
      {open.map((note) => (
        <OpenNote key={note.id} note={note} {...here} />
      ))}
    </ul>
  );
}

/** What people outside asked for of a version and nobody has seen to yet, where the work is done. */
export function NotesHere(here: Here) {
  return here.version.openNotes > 0 ? <OpenNotes {...here} /> : null;
}
