import Button from '@mui/material/Button';
import Dialog from '@mui/material/Dialog';
import DialogActions from '@mui/material/DialogActions';
import DialogContent from '@mui/material/DialogContent';
import { useSnackbar } from 'notistack';
import { useEffect, useState } from 'react';
import { bytesLabel, countWords } from '@mivvy/core';
import { problemOf } from '../../api/client.ts';
import { useClearFiles } from '../../api/ledger.ts';
import { EditableNumber } from '../../parts/editable.tsx';
import { ProblemNote } from '../../parts/notices.tsx';
import { useThisProduction } from '../../parts/this-production.ts';

/** So many files of each version stay, as it is offered first. */
const usualKeep = 2;

function ClearDialog({ onClose }: { onClose: () => void }) {
  const production = useThisProduction();
  const [keep, setKeep] = useState(usualKeep);
  const { mutate: tell, data: told, isPending: isLooking, error: unseen } = useClearFiles(production.id);
  const clear = useClearFiles(production.id);
  const { enqueueSnackbar } = useSnackbar();
  useEffect(() => tell({ keep, onlyTell: true }), [tell, keep]);
  const files = told?.files ?? [];
  return (
    <Dialog open onClose={onClose} fullWidth maxWidth="sm" aria-labelledby="clear-title">
      <DialogContent>
        <h2 id="clear-title">Clear older files</h2>
        <p>
          Of each version the newest{' '}
          <EditableNumber
            label="Files of each version that stay"
            value={keep}
            shown={keep}
            min={1}
            max={100}
            unit="files"
            onChange={(n) => setKeep(Math.round(n))}
          />{' '}
          stay, and whatever was approved or handed over. Reports, sums and history of what goes are kept.
        </p>
        <ul>
          {files.map((file) => (
            <li key={file.id} className="mono">
              {file.fileName} <span className="quiet">{bytesLabel(file.bytes)}</span>
            </li>
          ))}
        </ul>
        {!isLooking && told && files.length === 0 && <p className="quiet">Nothing is older than that.</p>}
        {(unseen ?? clear.error) && <ProblemNote problem={problemOf(unseen ?? clear.error)} />}
      </DialogContent>
      <DialogActions sx={{ p: 2 }}>
        <Button onClick={onClose}>Keep them all</Button>
        <Button
          variant="contained"
          disabled={isLooking || clear.isPending || files.length === 0}
          onClick={() =>
            clear.mutate(
              { keep, onlyTell: false },
              {
                onSuccess: ({ files: gone, bytes }) => {
                  enqueueSnackbar(`${countWords(gone.length, 'file')} cleared, ${bytesLabel(bytes)}.`);
                  onClose();
                },
              },
            )
          }
        >
          Clear {countWords(files.length, 'file')} ({bytesLabel(told?.bytes ?? 0)})
        </Button>
      </DialogActions>
    </Dialog>
  );
}

/** Makes room on the disk by letting go of files that newer ones have taken the place of. */
export function ClearOld() {
  const [isOpen, setOpen] = useState(false);
  return (
    <>
      <Button onClick={() => setOpen(true)}>Clear older files</Button>
      {isOpen && <ClearDialog onClose={() => setOpen(false)} />}
    </>
  );
}
