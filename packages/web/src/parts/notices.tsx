import type { ReactNode } from 'react';
import Button from '@mui/material/Button';
import LinearProgress from '@mui/material/LinearProgress';
import type { Problem } from '@mivvy/core';
import { problemOf } from '../api/client.ts';

/** What stands where there is nothing yet: what it is for, and the first thing to do. */
export function Empty({
  title,
  children,
  action,
}: {
  title: string;
  children?: ReactNode;
  action?: ReactNode;
}) {
  return (
    <div className="empty">
      <h2>{title}</h2>
      {children && <p>{children}</p>}
      {action}
    </div>
  );
}

/** A screen that is being fetched; it appears only when that takes long enough to be noticed. */
export function Loading({ what }: { what: string }) {
  return (
    <div className="empty" aria-busy="true" role="status">
      <p>Fetching {what} …</p>
      <LinearProgress aria-label={`Fetching ${what}`} sx={{ width: 180 }} />
    </div>
  );
}

/** A screen that could not be fetched, with the way on. */
export function Failed({ error, onRetry }: { error: unknown; onRetry?: () => void }) {
  const problem = problemOf(error);
  return (
    <Empty
      title={problem.sentence}
      action={
        onRetry && (
          <Button variant="outlined" onClick={onRetry}>
            Try again
          </Button>
        )
      }
    >
      {problem.mend}
    </Empty>
  );
}

/** A problem where it stands. */
export function ProblemNote({ problem, children }: { problem: Problem; children?: ReactNode }) {
  return (
    <p className="warn fault" role="alert">
      {problem.sentence} {problem.mend} {children}
    </p>
  );
}
