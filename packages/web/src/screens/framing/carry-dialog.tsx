import Button from '@mui/material/Button';
import Checkbox from '@mui/material/Checkbox';
import Dialog from '@mui/material/Dialog';
import DialogActions from '@mui/material/DialogActions';
import DialogContent from '@mui/material/DialogContent';
import { useSnackbar } from 'notistack';
import { useState } from 'react';
import { problemLine } from '@mivvy/core';
import type { Version } from '@mivvy/api';
import { problemOf } from '../../api/client.ts';
import { useCarry } from '../../api/changes.ts';
import { Choice } from '../../parts/choice.tsx';
import { useThisProduction } from '../../parts/this-production.ts';
import { versionName } from '../../parts/versions.ts';
import styles from './carry-dialog.module.css';

/** Copies a framing to other versions: of one shot, or of the whole film; also to other masters with the same shots. */
export function CarryDialog({
  version,
  shotAt,
  shotName,
  open,
  onClose,
}: {
  version: Version;
  shotAt: number;
  shotName: string;
  open: boolean;
  onClose: () => void;
}) {
  const production = useThisProduction();
  const carry = useCarry(production.id);
  const { enqueueSnackbar } = useSnackbar();
  const [what, setWhat] = useState<'shot' | 'film'>('shot');
  const [chosen, setChosen] = useState<readonly string[]>([]);
  const others = production.versions.filter((v) => v.id !== version.id && v.placement);
  const toggle = (id: string) =>
    setChosen(chosen.includes(id) ? chosen.filter((c) => c !== id) : [...chosen, id]);
  const run = () =>
    carry.mutate(
      { fromVersionId: version.id, toVersionIds: [...chosen], ...(what === 'shot' ? { shotAt } : {}) },
      {
        onSuccess: ({ changed, words }) => {
          enqueueSnackbar(
            [`${changed} ${changed === 1 ? 'version was' : 'versions were'} framed alike.`, ...words].join(
              ' ',
            ),
            { autoHideDuration: 8000 },
          );
          onClose();
        },
        onError: (error) => enqueueSnackbar(problemLine(problemOf(error)), { variant: 'error' }),
      },
    );
  return (
    <Dialog open={open} onClose={onClose} fullWidth maxWidth="sm" aria-labelledby="carry-title">
      <DialogContent>
        <h2 id="carry-title" className={styles.title}>
          Carry this framing over
        </h2>
        <p className={styles.about}>
          The framing of{' '}
          <Choice
            label="What is carried"
            value={what}
            shown={what === 'shot' ? shotName : 'the whole film'}
            options={[
              { value: 'shot', name: shotName },
              { value: 'film', name: 'the whole film' },
            ]}
            onChange={setWhat}
          />{' '}
          goes to the versions ticked. What it is centred on stays the centre in every shape.
        </p>
        {production.masters.map((master) => {
          const mine = others.filter((v) => v.masterId === master.id);
          return (
            mine.length > 0 && (
              <section key={master.id} className={styles.shot}>
                <h3 className={`quiet ${styles.setup}`}>
                  {master.name}
                  {master.id !== version.masterId && ' · shot by shot, where its shots are the same'}
                </h3>
                {mine.map((v) => (
                  <label key={v.id} className={styles.choice}>
                    <Checkbox
                      size="small"
                      checked={chosen.includes(v.id)}
                      onChange={() => toggle(v.id)}
                      slotProps={{ input: { 'aria-label': `${v.tag}, ${versionName(v)}, ${master.name}` } }}
                    />
                    <span className="letter">{v.tag}</span>
                    {versionName(v)}
                  </label>
                ))}
              </section>
            )
          );
        })}
      </DialogContent>
      <DialogActions sx={{ p: 2 }}>
        <Button onClick={() => setChosen(chosen.length === others.length ? [] : others.map((v) => v.id))}>
          {chosen.length === others.length ? 'Untick all' : 'Tick all'}
        </Button>
        <Button onClick={onClose}>Cancel</Button>
        <Button variant="contained" disabled={chosen.length === 0 || carry.isPending} onClick={run}>
          {chosen.length === 1 ? 'Carry to 1 version' : `Carry to ${chosen.length} versions`}
        </Button>
      </DialogActions>
    </Dialog>
  );
}
