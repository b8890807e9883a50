import Button from '@mui/material/Button';
import Dialog from '@mui/material/Dialog';
import DialogActions from '@mui/material/DialogActions';
import DialogContent from '@mui/material/DialogContent';
import TextField from '@mui/material/TextField';
import { useQuery } from '@tanstack/react-query';
import { useSnackbar } from 'notistack';
import { useState } from 'react';
import { differenceWords, type BookChange } from '@mivvy/core';
import { problemOf } from '../../api/client.ts';
import { previewFile, useTakeFile } from '../../api/spec-book.ts';
import { ProblemNote } from '../../parts/notices.tsx';
import { useWho } from '../../parts/who.ts';
import styles from './spec-book.module.css';

const kindWords: Record<BookChange['kind'], string> = {
  new: 'is new',
  changed: 'changes',
  checked: 'was checked since',
  same: 'stays as it is',
};
/** So many lines are shown; a file of thousands is counted. */
const mostLines = 200;

/** What a file would change, placement by placement, before it does. */
export function TakeFile({
  file,
  onClose,
}: {
  file: { fileName: string; text: string };
  onClose: () => void;
}) {
  const { enqueueSnackbar } = useSnackbar();
  const [who, setWho] = useWho();
  const [reason, setReason] = useState('');
  const preview = useQuery({
    queryKey: ['book-preview', file.fileName, file.text],
    queryFn: () => previewFile(file),
    retry: false,
    gcTime: 0,
  });
  const take = useTakeFile();
  const changes = preview.data?.filter((c) => c.kind !== 'same') ?? [];
  const same = (preview.data?.length ?? 0) - changes.length;
  return (
    <Dialog open onClose={onClose} fullWidth maxWidth="sm" aria-labelledby="take-title">
      <DialogContent className={styles.take}>
        <h2 id="take-title">{file.fileName}</h2>
        {preview.isPending && <p className="quiet">Comparing it with the book …</p>}
        {preview.isError && <ProblemNote problem={problemOf(preview.error)} />}
        {take.isError && <ProblemNote problem={problemOf(take.error)} />}
        {preview.data && (
          <>
            <ul>
              {changes.slice(0, mostLines).map((change) => (
                <li key={change.placementId}>
                  <b>
                    {change.outlet}, {change.name}
                  </b>{' '}
                  {kindWords[change.kind]}
                  {change.differences.length > 0 && `: ${change.differences.map(differenceWords).join('; ')}`}
                  .
                </li>
              ))}
            </ul>
            {changes.length > mostLines && <p>And {changes.length - mostLines} more.</p>}
            <p className="quiet">
              {changes.length === 0 ? 'Nothing would change. ' : ''}
              {same > 0 && `${same} of its placements stand in the book as they are.`}
            </p>
            {changes.length > 0 && (
              <div className={styles.fields}>
                <TextField
                  label="Who"
                  size="small"
                  value={who}
                  onChange={(event) => setWho(event.target.value)}
                />
                <TextField
                  label="Why"
                  size="small"
                  value={reason}
                  onChange={(event) => setReason(event.target.value)}
                />
              </div>
            )}
          </>
        )}
      </DialogContent>
      <DialogActions sx={{ p: 2 }}>
        <Button onClick={onClose}>Leave the book as it is</Button>
        <Button
          variant="contained"
          disabled={changes.length === 0 || take.isPending}
          onClick={() =>
            take.mutate(
              { ...file, by: who, reason },
              {
                onSuccess: () => {
                  enqueueSnackbar(`${file.fileName} is in the book.`);
                  onClose();
                },
              },
            )
          }
        >
          Take it in
        </Button>
      </DialogActions>
    </Dialog>
  );
}
