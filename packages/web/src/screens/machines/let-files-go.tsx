import Button from '@mui/material/Button';
import Dialog from '@mui/material/Dialog';
import DialogActions from '@mui/material/DialogActions';
import DialogContent from '@mui/material/DialogContent';
import { useState } from 'react';
import { bytesLabel, countWords } from '@mivvy/core';

/** Lets older files go, once it has been said that they cannot be fetched again. */
export function LetFilesGo({
  count,
  bytes,
  productions,
  disabled,
  onGo,
}: {
  count: number;
  bytes: number;
  productions: number;
  disabled: boolean;
  onGo: () => void;
}) {
  const [isOpen, setOpen] = useState(false);
  const what = `${countWords(count, 'older file')} (${bytesLabel(bytes)})`;
  return (
    <>
      <Button variant="outlined" disabled={disabled} onClick={() => setOpen(true)}>
        Clear {what} …
      </Button>
      <Dialog open={isOpen} onClose={() => setOpen(false)} aria-labelledby="let-go-title">
        <DialogContent>
          <h2 id="let-go-title">Clear older files</h2>
          <p>
            {what} of {countWords(productions, 'production')} will be removed from the disk and cannot be
            fetched again. Their reports, sums and history stay, and so does every file that was approved or
            went out.
          </p>
        </DialogContent>
        <DialogActions sx={{ p: 2 }}>
          <Button onClick={() => setOpen(false)}>Keep them all</Button>
          <Button
            variant="contained"
            onClick={() => {
              setOpen(false);
              onGo();
            }}
          >
            Clear {countWords(count, 'file')}
          </Button>
        </DialogActions>
      </Dialog>
    </>
  );
}
