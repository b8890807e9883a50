import Button from '@mui/material/Button';
import Dialog from '@mui/material/Dialog';
import DialogActions from '@mui/material/DialogActions';
import DialogContent from '@mui/material/DialogContent';
import DialogTitle from '@mui/material/DialogTitle';
import TextField from '@mui/material/TextField';
import { useSnackbar } from 'notistack';
import { useState } from 'react';
import { problemLine } from '@mivvy/core';
import { problemOf } from '../../../api/client.ts';
import { useTimeScript } from '../../../api/dressing.ts';
import { useLayers } from '../layers-session.tsx';
import { useTrack } from './track.ts';
import styles from './script-dialog.module.css';

/** Takes the words that are spoken, and lays them along the speech that is heard. */
export function ScriptDialog({ onClose }: { onClose: () => void }) {
  const { master } = useLayers();
  const [track, setCues] = useTrack();
  const [text, setText] = useState(() => (track?.cues ?? []).map((cue) => cue.lines.join(' ')).join('\n'));
  const time = useTimeScript(master.id);
  const { enqueueSnackbar } = useSnackbar();
  const lay = () =>
    time.mutate(text, {
      onSuccess: ({ cues, words }) => {
        setCues(() => cues);
        enqueueSnackbar(words.join(' '), { autoHideDuration: 9000 });
        onClose();
      },
    });
  return (
    <Dialog open onClose={onClose} maxWidth="sm" fullWidth>
      <DialogTitle>What is spoken in “{master.name}”</DialogTitle>
      <DialogContent>
        <p className={`quiet ${styles.about}`}>
          All of the words, in their order, with their full stops. They are laid along the speech by their
          syllables and its pauses; nothing is recognised, and every time can be changed afterwards.
        </p>
        <TextField
          label="The words"
          value={text}
          multiline
          autoFocus
          fullWidth
          minRows={8}
          maxRows={16}
          error={time.isError}
          helperText={time.isError ? problemLine(problemOf(time.error)) : ' '}
          onChange={(event) => setText(event.target.value)}
        />
      </DialogContent>
      <DialogActions>
        <Button onClick={onClose}>Leave it</Button>
        <Button variant="contained" disabled={!text.trim() || time.isPending} onClick={lay}>
          {time.isPending ? 'Listening …' : 'Lay them along the speech'}
        </Button>
      </DialogActions>
    </Dialog>
  );
}
