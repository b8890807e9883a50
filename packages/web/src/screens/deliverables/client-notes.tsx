import Button from '@mui/material/Button';
import TextField from '@mui/material/TextField';
import { useSnackbar } from 'notistack';
import { useState } from 'react';
import { Link } from 'react-router';
import type { FrameSpan, Rate } from '@mivvy/core';
import type { Note } from '@mivvy/api';
import { problemOf } from '../../api/client.ts';
import { useAnswerNote, useNoteDone } from '../../api/ledger.ts';
import { noteWhere } from '../../parts/note-where.ts';
import styles from './history.module.css';

/** One note with what was answered to it: it leads to its frame, is answered, and ticked off. */
function NoteItem({
  note,
  number,
  rate,
  kept,
  framing,
}: {
  note: Note;
  number: number;
  rate: Rate;
  kept: readonly FrameSpan[] | undefined;
  framing: string;
}) {
  const where = noteWhere(note, { rate, kept });
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
        {where.at === null ? (
          where.words
        ) : (
          <Link className="fix tall" to={`${framing}?at=${where.at}`}>
            {where.words}
          </Link>
        )}
        {where.after}
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
  kept,
  framing,
}: {
  notes: readonly Note[];
  /** The film's. */
  rate: Rate;
  /** What the version's cut keeps of the film; undefined where it plays the whole of it. */
  kept: readonly FrameSpan[] | undefined;
  /** Where the version is framed. */
  framing: string;
}) {
  return (
    <ol className={styles.notes} aria-label="Notes">
      {notes.map((note, i) => (
        <NoteItem key={note.id} note={note} number={i + 1} rate={rate} kept={kept} framing={framing} />
      ))}
    </ol>
  );
}
