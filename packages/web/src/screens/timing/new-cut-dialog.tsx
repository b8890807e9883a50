import Button from '@mui/material/Button';
import Checkbox from '@mui/material/Checkbox';
import Dialog from '@mui/material/Dialog';
import DialogActions from '@mui/material/DialogActions';
import DialogContent from '@mui/material/DialogContent';
import TextField from '@mui/material/TextField';
import { useSnackbar } from 'notistack';
import { useState } from 'react';
import { durationLabel, problemLine, timeLeftWords } from '@mivvy/core';
import type { Cut, Master } from '@mivvy/api';
import { problemOf } from '../../api/client.ts';
import { useNewCut } from '../../api/changes.ts';
import { cutName, cutOf, versionName } from '../../parts/versions.ts';
import { breaksTime, tightest, type TimedVersion } from './place-times.tsx';
import styles from './new-cut-dialog.module.css';

/** Makes a cut: its name, what it starts from, and the places that will play it. */
export function NewCutDialog({
  master,
  versions,
  from,
  onMade,
  onClose,
}: {
  master: Master;
  versions: readonly TimedVersion[];
  from: Cut | undefined;
  onMade: (cutId: string) => void;
  onClose: () => void;
}) {
  const over = versions.filter(breaksTime);
  const limit = tightest(over)?.version.placement?.duration?.maxSeconds;
  const [name, setName] = useState(limit === undefined ? '' : durationLabel(limit));
  const [chosen, setChosen] = useState<readonly string[]>(over.map((t) => t.version.id));
  const make = useNewCut(master.productionId);
  const { enqueueSnackbar } = useSnackbar();
  const submit = () => {
    if (!name.trim()) return;
    make.mutate(
      {
        masterId: master.id,
        name,
        versionIds: [...chosen],
        ...(from ? { kept: from.kept, pace: from.pace } : {}),
      },
      {
        onSuccess: (cut) => {
          onClose();
          onMade(cut.id);
        },
        onError: (error) => enqueueSnackbar(problemLine(problemOf(error)), { variant: 'error' }),
      },
    );
  };
  return (
    <Dialog open onClose={onClose} fullWidth maxWidth="xs" aria-labelledby="cut-title">
      <form
        onSubmit={(event) => {
          event.preventDefault();
          submit();
        }}
      >
        <DialogContent sx={{ pb: 0 }}>
          <h2 id="cut-title" className={styles.title}>
            A new cut of “{master.name}”
          </h2>
          <p className={`quiet ${styles.about}`}>
            It starts as {from ? `a copy of “${from.name}”` : 'the full film'}. The film itself is never
            changed.
          </p>
          <TextField
            label="Name"
            value={name}
            onChange={(event) => setName(event.target.value)}
            autoFocus
            fullWidth
          />
          <h3 className={`quiet ${styles.heading}`}>Places that will play it</h3>
          {versions.map((t) => {
            const { version, planned } = t;
            return (
              <label key={version.id} className={styles.choice}>
                <Checkbox
                  size="small"
                  checked={chosen.includes(version.id)}
                  onChange={() =>
                    setChosen(
                      chosen.includes(version.id)
                        ? chosen.filter((c) => c !== version.id)
                        : [...chosen, version.id],
                    )
                  }
                />
                <span>
                  {versionName(version)}{' '}
                  <span className="quiet">
                    plays {cutName(cutOf(version, master))}
                    {planned && `, ${timeLeftWords(planned.time)}`}
                  </span>
                </span>
              </label>
            );
          })}
        </DialogContent>
        <DialogActions sx={{ p: 2 }}>
          <Button onClick={onClose}>Cancel</Button>
          <Button variant="contained" type="submit" disabled={!name.trim() || make.isPending}>
            Make the cut
          </Button>
        </DialogActions>
      </form>
    </Dialog>
  );
}
