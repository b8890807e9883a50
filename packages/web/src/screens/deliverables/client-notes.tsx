import Button from '@mui/material/Button';
import TextField from '@mui/material/TextField';
import { useSnackbar } from 'notistack';
import { useState } from 'react';
import { Link } from 'react-router';
import { frameToTimecode, type Rate } from '@mivvy/core';
import type { Note } from '@mivvy/api';
import { problemOf } from '../../api/client.ts';
import { useAnswerNote, useNoteDone } from '../../api/ledger.ts';
import styles from './history.module.css';

/** One note with what was answered to it: it leads to its frame, is answered, and ticked off. */
function NoteItem({
  note,
  number,
  rate,
  framing,
}: {
  note: Note;
  number: number;
  rate: Rate;
  framing: string;
}) {
  const [words, setWords] = useState('');
  const answer = useAnswerNote(note.versionId);
  const tick = useNoteDone(note.versionId);
  const { enqueueSnackbar } = useSnackbar();
  const onError = (error: unknown) => enqueueSnackbar(problemOf(error).sentence, { variant: 'error' });
  return (
    <li className={note.doneAt ? styles.done : ''}>
      <p>
        <b>{number}</b> {note.words}
      </p>
      <p className="quiet">
        {note.by},{' '}
        {note.masterFrame === null ? (
          <>at a frame that the film has no more</>
        ) : (
          <Link className="fix tall" to={`${framing}?at=${note.masterFrame}`}>
            <span>
              at <span className="mono">{frameToTimecode(note.frame, rate)}</span>
            </span>
          </Link>
        )}
      </p>
      {note.answers.map((each) => (
        <p key={each.id} className={styles.answer}>
          {each.words} <span className="quiet">{each.by}</span>
        </p>
      ))}
      <form
        className={styles.answering}
        onSubmit={(event) => {
          event.preventDefault();
          if (words.trim())
            answer.mutate({ noteId: note.id, words }, { onSuccess: () => setWords(''), onError });
        }}
      >
        <TextField
          size="small"
          placeholder="Answer"
          value={words}
          onChange={(event) => setWords(event.target.value)}
          slotProps={{ htmlInput: { 'aria-label': `Answer note ${number}`, maxLength: 2000 } }}
        />
        <Button
          size="small"
          type="button"
          onClick={() => tick.mutate({ noteId: note.id, done: note.doneAt === null }, { onError })}
        >
          {note.doneAt ? 'Open again' : 'Done'}
        </Button>
      </form>
    </li>
  );
}

/** What people outside asked for, oldest first. */
export function ClientNotes({
  notes,
  rate,
  framing,
}: {
  notes: readonly Note[];
  rate: Rate;
  /** Where the version is framed. */
  framing: string;
}) {
  return (
    <ol className={styles.notes} aria-label="Notes">
      {notes.map((note, i) => (
        <NoteItem key={note.id} note={note} number={i + 1} rate={rate} framing={framing} />
      ))}
    </ol>
  );
}
