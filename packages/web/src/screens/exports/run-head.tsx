import { addSeconds, format } from 'date-fns';
import { useEffect } from 'react';
import { bytesLabel } from '@mivvy/core';
import type { Job, VersionForecast } from '@mivvy/api';
import { usePreferenceChange } from '../../api/changes.ts';
import { usePreferences } from '../../api/queries.ts';
import { MadeBy } from './made-by.tsx';
import { TellWhenDone } from './tell-when-done.tsx';

interface RunHeadProps {
  active: readonly Job[];
  forecasts: readonly VersionForecast[];
  freeBytes: number | undefined;
  now: Date;
}

/** How long what is left of a run takes, seconds; null where nothing like one of its files was made here yet. */
function secondsLeft({ active, forecasts }: Pick<RunHeadProps, 'active' | 'forecasts'>): number | null {
  let sum = 0;
  for (const job of active) {
    const told = forecasts.find((f) => f.versionId === job.subjectId)?.seconds ?? null;
    const left = job.etaSeconds ?? (told === null ? null : told * (1 - job.fraction));
    if (left === null) return null;
    sum += left;
  }
  return sum;
}

/** The page's title tells how far the run is, also from another tab. */
function useTitle(active: readonly Job[]): void {
  const running = active.find((job) => job.state === 'running');
  const percent = running ? Math.round(running.fraction * 100) : null;
  useEffect(() => {
    const before = document.title;
    if (percent !== null) document.title = `${percent} %, ${active.length} to make · Mivvy`;
    return () => {
      document.title = before;
    };
  }, [percent, active.length]);
}

/** What is left of the run: when it will be ready, what it will need of the disk, and how it is held back. */
export function RunHead({ active, forecasts, freeBytes, now }: RunHeadProps) {
  const preferences = usePreferences().data;
  const prefer = usePreferenceChange();
  useTitle(active);
  const paused = preferences?.exportsPaused ?? false;
  const left = secondsLeft({ active, forecasts });
  const expected = active.flatMap((job) => forecasts.find((f) => f.versionId === job.subjectId)?.bytes ?? []);
  const most = expected.reduce((sum, bytes) => sum + bytes.most, 0);
  const tooFull = freeBytes !== undefined && most > freeBytes;
  const ready = left === null || active.length === 0 || paused ? null : addSeconds(now, left);
  return (
    <div>
      <h2>{active.length ? `${active.length} to make` : 'Nothing in the queue'}</h2>
      <p className="quiet">
        {ready && `Ready about ${format(ready, 'HH:mm')}. `}
        {expected.length > 0 && `At most about ${bytesLabel(most)}`}
        {expected.length > 0 && freeBytes !== undefined && `, of ${bytesLabel(freeBytes)} that are free`}
        {expected.length > 0 && '. '}
        {(active.length > 0 || paused) && (
          <button className="fix" onClick={() => prefer.mutate({ exportsPaused: !paused })}>
            {paused ? 'Go on with the run' : 'Pause the run'}
          </button>
        )}
        {active.length > 0 && <TellWhenDone />}
      </p>
      {paused && <p className="warn">Paused: what is being made is finished, and nothing else is begun.</p>}
      {!paused && active.length > 0 && <MadeBy />}
      {tooFull && (
        <p className="warn fault">
          That is more than is free on the disk: the run would stop on the way. Make room first.
        </p>
      )}
    </div>
  );
}
