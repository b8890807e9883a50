import Button from '@mui/material/Button';
import Dialog from '@mui/material/Dialog';
import DialogActions from '@mui/material/DialogActions';
import DialogContent from '@mui/material/DialogContent';
import FormControlLabel from '@mui/material/FormControlLabel';
import Checkbox from '@mui/material/Checkbox';
import Radio from '@mui/material/Radio';
import RadioGroup from '@mui/material/RadioGroup';
import { useSnackbar } from 'notistack';
import { useState } from 'react';
import { problemLine } from '@mivvy/core';
import type { Version } from '@mivvy/api';
import { problemOf } from '../../api/client.ts';
import { useFollow } from '../../api/changes.ts';
import { useThisProduction } from '../../parts/this-production.ts';
import { versionName } from '../../parts/versions.ts';
import { LivelyControl } from './lively-control.tsx';
import styles from './follow-dialog.module.css';

/** Frames many shots at once by what is seen in them. */
export function FollowDialog({
  version,
  lively,
  onVersion,
  onClose,
}: {
  version: Version;
  lively: number;
  onVersion: (lively: number, handMade: boolean) => void;
  onClose: () => void;
}) {
  const production = useThisProduction();
  const [scope, setScope] = useState<'version' | 'master' | 'production'>('version');
  const [control, setControl] = useState(lively);
  const [handMade, setHandMade] = useState(false);
  const follow = useFollow(production.id);
  const { enqueueSnackbar } = useSnackbar();
  const inScope = production.versions.filter(
    (v) =>
      v.placement &&
      (scope === 'production' ||
        (scope === 'master' ? v.masterId === version.masterId : v.id === version.id)),
  );
  const run = () => {
    if (scope === 'version') {
      onVersion(control, handMade);
      return onClose();
    }
    follow.mutate(
      { versionIds: inScope.map((v) => v.id), lively: control, handMade },
      {
        onSuccess: ({ words }) => {
          words.forEach((w) => enqueueSnackbar(w, { autoHideDuration: 8000 }));
          onClose();
        },
        onError: (error) => enqueueSnackbar(problemLine(problemOf(error)), { variant: 'error' }),
      },
    );
  };
  return (
    <Dialog open onClose={onClose} aria-labelledby="follow-title">
      <DialogContent sx={{ maxWidth: 440 }}>
        <h2 id="follow-title" className={styles.title}>
          Frame by what is seen
        </h2>
        <p className={`quiet ${styles.about}`}>
          Each shot holds, glides or follows, whichever suits what is in it. Points, locked shots and subjects
          that somebody has named stay as they are, and everything can be taken back.
        </p>
        <RadioGroup
          value={scope}
          onChange={(event) => setScope(event.target.value as typeof scope)}
          aria-label="What is framed"
        >
          <FormControlLabel
            value="version"
            control={<Radio size="small" />}
            label={`This version, ${versionName(version)}`}
          />
          <FormControlLabel
            value="master"
            control={<Radio size="small" />}
            label={`All versions of this master (${production.versions.filter((v) => v.masterId === version.masterId).length})`}
          />
          <FormControlLabel
            value="production"
            control={<Radio size="small" />}
            label={`All masters of the production (${production.versions.length} versions)`}
          />
        </RadioGroup>
        <LivelyControl value={control} onChange={setControl} />
        <FormControlLabel
          control={
            <Checkbox
              size="small"
              checked={handMade}
              onChange={(event) => setHandMade(event.target.checked)}
            />
          }
          label="Shots framed by hand as well"
        />
      </DialogContent>
      <DialogActions>
        <Button onClick={onClose}>Not now</Button>
        <Button variant="contained" disabled={follow.isPending || inScope.length === 0} onClick={run}>
          {scope === 'version' ? 'Frame it' : `Frame ${inScope.length} versions`}
        </Button>
      </DialogActions>
    </Dialog>
  );
}
