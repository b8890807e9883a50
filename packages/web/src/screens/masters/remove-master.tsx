import Button from '@mui/material/Button';
import Dialog from '@mui/material/Dialog';
import DialogActions from '@mui/material/DialogActions';
import DialogContent from '@mui/material/DialogContent';
import { useSnackbar } from 'notistack';
import { useState } from 'react';
import { useNavigate } from 'react-router';
import { problemLine } from '@mivvy/core';
import type { Master } from '@mivvy/api';
import { problemOf } from '../../api/client.ts';
import { useRemoveMaster } from '../../api/changes.ts';
import styles from './masters.module.css';

/** What goes with a master that is removed. */
function goesWith(master: Master, versions: number): string {
  const made = versions
    ? `Its ${versions === 1 ? 'version goes' : `${versions} versions go`} too, with every file made from it. `
    : '';
  return `${made}${master.origin === 'inbox' ? 'The film itself stays in the inbox folder.' : 'The uploaded film is deleted.'}`;
}

/** Takes a master out of its production, asking first. */
export function RemoveMaster({ master, versions }: { master: Master; versions: number }) {
  const [asking, setAsking] = useState(false);
  const removal = useRemoveMaster(master.productionId);
  const navigate = useNavigate();
  const { enqueueSnackbar } = useSnackbar();
  const remove = () =>
    removal.mutate(master.id, {
      onSuccess: () => void navigate(`/productions/${master.productionId}/masters`),
      onError: (error) => enqueueSnackbar(problemLine(problemOf(error)), { variant: 'error' }),
      onSettled: () => setAsking(false),
    });
  return (
    <>
      <button className="fix tall" onClick={() => setAsking(true)}>
        Remove this master
      </button>
      <Dialog open={asking} onClose={() => setAsking(false)} aria-labelledby="remove-title">
        <DialogContent className={styles.question}>
          <h2 id="remove-title">Remove “{master.name}”?</h2>
          <p>{goesWith(master, versions)}</p>
        </DialogContent>
        <DialogActions className={styles.answers}>
          <Button onClick={() => setAsking(false)}>Keep it</Button>
          <Button color="error" variant="contained" disabled={removal.isPending} onClick={remove}>
            Remove
          </Button>
        </DialogActions>
      </Dialog>
    </>
  );
}
