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

/** An area that takes dropped films; `choose` opens the file chooser. */
export function DropArea({
  productionId,
  children,
  className,
}: {
  productionId: string;
  className?: string;
  children: (choose: () => void, over: boolean) => ReactNode;
}) {
  const { getRootProps, getInputProps, open, isDragActive } = useDropzone({
    noClick: true,
    noKeyboard: true,
    useFsAccessApi: false,
    onDrop: (files) => sendFilms(files, productionId),
  });
  return (
    <div
      {...getRootProps({ className })}
      style={{ flex: 1, minHeight: 0, display: 'flex', flexDirection: 'column', position: 'relative' }}
    >
      <input {...getInputProps()} data-testid="film-chooser" />
      {children(open, isDragActive)}
      {isDragActive && (
        <div
          style={{
            position: 'absolute',
            inset: 10,
            border: '2px dashed var(--teal)',
            background: 'color-mix(in srgb, var(--sheet) 88%, transparent)',
            display: 'grid',
            placeItems: 'center',
            fontSize: 20,
            fontWeight: 650,
            zIndex: 5,
            pointerEvents: 'none',
          }}
        >
          Drop the film here
        </div>
      )}
    </div>
  );
}

/** Films on their way to this production. */
export function ArrivingList({ productionId }: { productionId: string }) {
  const arriving = useArriving(productionId);
  if (arriving.length === 0) return null;
  return (
    <ul
      aria-label="Films on their way"
      style={{ display: 'grid', gap: 12, padding: '12px 18px', borderBottom: '1px solid var(--rule)' }}
    >
      {arriving.map((a) => (
        <li
          key={a.key}
          style={{
            display: 'grid',
            gridTemplateColumns: 'minmax(0, 1fr) auto',
            gap: '4px 16px',
            alignItems: 'center',
          }}
        >
          <div className="clip">
            <b style={{ fontWeight: 600 }}>{a.name}</b>{' '}
            <span className="quiet">
              {bytesLabel(a.sent)} of {bytesLabel(a.bytes)}
              {a.state === 'waiting'
                ? ' · connection lost, trying again'
                : a.secondsLeft !== null && a.sent < a.bytes
                  ? ` · ${durationLabel(a.secondsLeft)} left`
                  : ''}
            </span>
          </div>
          <div style={{ display: 'flex', gap: 14 }}>
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
            <p className="warn fault" role="alert" style={{ gridColumn: '1 / -1' }}>
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
        <h2 id="inbox-title" style={{ fontSize: 17, marginBottom: 4 }}>
          From the inbox folder
        </h2>
        <p className="quiet" style={{ marginBottom: 14 }}>
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
          <ul style={{ display: 'grid' }}>
            {inbox.data.map((film) => (
              <li
                key={film.path}
                style={{
                  display: 'grid',
                  gridTemplateColumns: 'minmax(0, 1fr) 90px 90px',
                  alignItems: 'center',
                  borderTop: '1px solid var(--rule)',
                  minHeight: 42,
                }}
              >
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
