import LinearProgress from '@mui/material/LinearProgress';
import { format, differenceInSeconds } from 'date-fns';
import { useSnackbar } from 'notistack';
import { Link } from 'react-router';
import { durationLabel, ownFaultCode, problemLine } from '@mivvy/core';
import type { Job, Master, Version, VersionForecast } from '@mivvy/api';
import { problemOf } from '../../api/client.ts';
import { useJobAction } from '../../api/changes.ts';
import { unbroken } from '../../parts/joined.ts';
import { frameOf, Proof } from '../../parts/proof.tsx';
import { Stamp } from '../../parts/stamp.tsx';
import { forecastWords } from './forecast-words.ts';
import { MoveButtons, type QueuePlace } from './move-buttons.tsx';
import styles from './job-row.module.css';

function StateStamp({ job }: { job: Job }) {
  switch (job.state) {
    case 'queued':
      return <Stamp shape="idle">In the queue</Stamp>;
    case 'running':
      return <Stamp shape="act">{job.stage || 'starting'}</Stamp>;
    case 'done':
      return <Stamp shape="pass">Made</Stamp>;
    case 'failed':
      return <Stamp shape="fail">Not made</Stamp>;
    case 'cancelled':
      return <Stamp shape="idle">Stopped</Stamp>;
  }
}

function progressWords(job: Job, now: Date): string {
  const elapsed = job.startedAt ? Math.max(0, differenceInSeconds(now, new Date(job.startedAt))) : 0;
  const parts = [`${Math.round(job.fraction * 100)} %`, `${durationLabel(elapsed)} so far`];
  if (job.etaSeconds !== null) parts.push(`${durationLabel(job.etaSeconds)} left`);
  if (job.machine !== null) parts.push(`on ${job.machine}`);
  if (job.speed >= 0.05) parts.push(`${job.speed.toFixed(1)} × real time`);
  return parts.join(' · ');
}

/** One file of the run: what it is, how far it has come or how it ended, and what can be done about it. */
export function JobRow({
  job,
  version,
  master,
  now,
  productionId,
  forecast,
  place,
}: {
  job: Job;
  version: Version | undefined;
  master: Master | undefined;
  now: Date;
  productionId: string;
  forecast: VersionForecast | undefined;
  /** Its place in the queue; null where it does not wait. */
  place: QueuePlace | null;
}) {
  const action = useJobAction(productionId);
  const { enqueueSnackbar } = useSnackbar();
  const act = (what: 'cancel' | 'retry') =>
    action.mutate(
      { jobId: job.id, action: what },
      { onError: (error) => enqueueSnackbar(problemLine(problemOf(error)), { variant: 'error' }) },
    );
  const frame = version ? frameOf(version, master) : { width: 1, height: 1 };
  const k = 52 / Math.max(frame.width, frame.height);
  const took =
    job.startedAt && job.finishedAt
      ? durationLabel(differenceInSeconds(new Date(job.finishedAt), new Date(job.startedAt)))
      : null;
  return (
    <li className="job" data-state={job.state}>
      <div className="thumb">
        {version && (
          <div style={{ width: frame.width * k, height: frame.height * k }}>
            <Proof version={version} master={master} overlays={{ blocked: false, margin: false }} />
          </div>
        )}
      </div>
      <div className={styles.words}>
        <b className={styles.name}>{job.label}</b>
        <div className="quiet clip">{master?.name}</div>
      </div>
      <StateStamp job={job} />
      <div className={styles.words}>
        {job.state === 'running' && (
          <>
            <LinearProgress
              variant="determinate"
              value={job.fraction * 100}
              aria-label={`${job.label}, made so far`}
            />
            <div className={`quiet ${styles.note}`}>{progressWords(job, now)}</div>
          </>
        )}
        {job.state === 'queued' && (
          <span className="quiet">
            asked for at {format(new Date(job.createdAt), 'HH:mm')}
            {forecast && <br />}
            {forecast && unbroken(forecastWords(forecast))}
          </span>
        )}
        {job.state === 'done' && (
          <span className="quiet">
            at {format(new Date(job.finishedAt ?? job.createdAt), 'd MMM, HH:mm')}
            {took && `, in ${took}`}
            {job.machine !== null && `, on ${job.machine}`}
          </span>
        )}
        {job.state === 'cancelled' && (
          <span className="quiet">stopped before it was finished; nothing was left behind</span>
        )}
        {job.state === 'failed' && job.problem && <p className="warn fault">{problemLine(job.problem)}</p>}
      </div>
      <div className="acts">
        {place && <MoveButtons job={job} place={place} />}
        {(job.state === 'running' || job.state === 'queued') && (
          <button className="fix tall" onClick={() => act('cancel')}>
            Stop
          </button>
        )}
        {(job.state === 'failed' || job.state === 'cancelled') && (
          <button className="fix tall" onClick={() => act('retry')}>
            Start again
          </button>
        )}
        {job.state === 'failed' && (
          <a className="fix tall" href={`/api/jobs/${job.id}/log`} target="_blank" rel="noreferrer">
            Log
          </a>
        )}
        {job.problem?.code === ownFaultCode && (
          <a className="fix tall" href={`/api/jobs/${job.id}/fault-report`} download>
            Save fault report
          </a>
        )}
        {job.state === 'done' && version && (
          <Link className="fix tall" to={`/productions/${productionId}/deliverables/${version.id}`}>
            See the file
          </Link>
        )}
      </div>
    </li>
  );
}
