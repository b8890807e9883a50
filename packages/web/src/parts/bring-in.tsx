import Button from '@mui/material/Button';
import Dialog from '@mui/material/Dialog';
import DialogContent from '@mui/material/DialogContent';
import LinearProgress from '@mui/material/LinearProgress';
import { useSnackbar } from 'notistack';
import { useState, type ReactNode } from 'react';
import { useDropzone } from 'react-dropzone';
import { bytesLabel, durationLabel, problemLine } from '@mivvy/core';
import type { Master } from '@mivvy/api';
import { problemOf } from '../api/client.ts';
import { useInbox } from '../api/queries.ts';
import { useTakeFromInbox } from '../api/changes.ts';
import { dropUpload, resumeUpload, sendFilms, useArriving } from '../api/uploads.ts';
import { Empty, Failed, Loading } from './notices.tsx';
import styles from './bring-in.module.css';

/** An area that takes dropped films; `choose` opens the file chooser. */
export function DropArea({
  productionId,
  children,
}: {
  productionId: string;
  children: (choose: () => void, over: boolean) => ReactNode;
}) {
  const { getRootProps, getInputProps, open, isDragActive } = useDropzone({
    noClick: true,
    noKeyboard: true,
    useFsAccessApi: false,
    onDrop: (files) => sendFilms(files, productionId),
  });
  return (
    <div {...getRootProps({ className: styles.area })}>
      <input {...getInputProps()} data-testid="film-chooser" />
      {children(open, isDragActive)}
      {isDragActive && <div className={styles.dropHere}>Drop the film here</div>}
    </div>
  );
}

/** Films on their way to this production. */
export function ArrivingList({ productionId }: { productionId: string }) {
  const arriving = useArriving(productionId);
  if (arriving.length === 0) return null;
  return (
    <ul aria-label="Films on their way" className={styles.arrivals}>
      {arriving.map((a) => (
        <li key={a.key} className={styles.arrival}>
          <div className="clip">
            <b className={styles.name}>{a.name}</b>{' '}
            <span className="quiet">
              {bytesLabel(a.sent)} of {bytesLabel(a.bytes)}
              {a.state === 'waiting'
                ? ' · connection lost, trying again'
                : a.secondsLeft !== null && a.sent < a.bytes
                  ? ` · ${durationLabel(a.secondsLeft)} left`
                  : ''}
            </span>
          </div>
          <div className={styles.actions}>
            {a.state === 'failed' && (
              <button className="fix tall" onClick={() => resumeUpload(a.key)}>
                Go on
              </button>
            )}
            <button className="fix tall" onClick={() => dropUpload(a.key)}>
              {a.state === 'failed' ? 'Clear' : 'Stop'}
            </button>
          </div>
          {a.problem ? (
            <p className={`warn fault ${styles.whole}`} role="alert">
              {a.problem.sentence} {a.problem.mend}
            </p>
          ) : (
            <LinearProgress
              variant="determinate"
              value={a.bytes ? (a.sent / a.bytes) * 100 : 0}
              aria-label={`${a.name}, sent`}
              sx={{ gridColumn: '1 / -1' }}
            />
          )}
        </li>
      ))}
    </ul>
  );
}

/** Films that lie in the server's inbox folder and are used where they lie. */
export function InboxDialog({
  productionId,
  replaces,
  open,
  onClose,
}: {
  productionId: string;
  replaces?: Master;
  open: boolean;
  onClose: () => void;
}) {
  const inbox = useInbox(open);
  const take = useTakeFromInbox(productionId);
  const { enqueueSnackbar } = useSnackbar();
  const [taken, setTaken] = useState<string[]>([]);
  return (
    <Dialog open={open} onClose={onClose} fullWidth maxWidth="sm" aria-labelledby="inbox-title">
      <DialogContent>
        <h2 id="inbox-title" className={styles.title}>
          From the inbox folder
        </h2>
        <p className={`quiet ${styles.about}`}>
          {replaces
            ? `The film chosen takes the place of “${replaces.name}”; framing and keeps carry over.`
            : 'Films lying there are used where they are, without copying.'}
        </p>
        {inbox.isPending ? (
          <Loading what="the inbox" />
        ) : inbox.isError ? (
          <Failed error={inbox.error} onRetry={() => void inbox.refetch()} />
        ) : inbox.data.length === 0 ? (
          <Empty title="The inbox is empty">
            Put films into the folder that MIVVY_INBOX names, or into “inbox” in the data folder.
          </Empty>
        ) : (
          <ul className={styles.files}>
            {inbox.data.map((film) => (
              <li key={film.path} className={styles.file}>
                <span className="clip" title={film.name}>
                  {film.name}
                </span>
                <span className="mono quiet">{bytesLabel(film.bytes)}</span>
                <Button
                  disabled={take.isPending || taken.includes(film.path)}
                  onClick={() =>
                    take.mutate(
                      { inboxFile: film.path, replaces: replaces?.id },
                      {
                        onSuccess: () => (replaces ? onClose() : setTaken([...taken, film.path])),
                        onError: (error) =>
                          enqueueSnackbar(problemLine(problemOf(error)), { variant: 'error' }),
                      },
                    )
                  }
                >
                  {taken.includes(film.path) ? 'Taken' : replaces ? 'Put in its place' : 'Bring in'}
                </Button>
              </li>
            ))}
          </ul>
        )}
      </DialogContent>
    </Dialog>
  );
}
