import Button from '@mui/material/Button';
import Dialog from '@mui/material/Dialog';
import DialogActions from '@mui/material/DialogActions';
import DialogContent from '@mui/material/DialogContent';
import { useSnackbar } from 'notistack';
import { useState } from 'react';
import { useNavigate } from 'react-router';
import { listWords, problemLine } from '@mivvy/core';
import type { Master, Version } from '@mivvy/api';
import { problemOf } from '../../api/client.ts';
import { useRemoveMaster } from '../../api/changes.ts';
import { useThisProduction } from '../../parts/this-production.ts';
import { versionName } from '../../parts/versions.ts';
import styles from './masters.module.css';

/** What goes with a master that is removed. */
function goesWith(master: Master, versions: number): string {
  const made = versions
    ? `Its ${versions === 1 ? 'version goes' : `${versions} versions go`} too, with every file made from it. `
    : '';
  return `${made}${master.origin === 'inbox' ? 'The film itself stays in the inbox folder.' : 'The uploaded film is deleted.'}`;
}

/** What becomes of the versions that are drawn from a textless master when it is removed; empty where there are none. */
function leftWithout(drawn: readonly Version[]): string {
  if (drawn.length === 0) return '';
  const names = listWords([...new Set(drawn.map(versionName))]);
  return drawn.length === 1
    ? `${names} is drawn from it, and cannot be exported until another takes its place or it is drawn from the film again.`
    : `${names} are drawn from it, and cannot be exported until another takes its place or they are drawn from the film again.`;
}

/** Takes a master out of its production, asking first. */
export function RemoveMaster({ master, versions }: { master: Master; versions: number }) {
  const [asking, setAsking] = useState(false);
  const removal = useRemoveMaster(master.productionId);
  const navigate = useNavigate();
  const { enqueueSnackbar } = useSnackbar();
  const all = useThisProduction().versions;
  const drawn = all.filter((version) => version.masterId === master.textlessOf && version.textless);
  const without = leftWithout(drawn);
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
          {without && <p>{without}</p>}
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
