import LinearProgress from '@mui/material/LinearProgress';
import { format, differenceInSeconds } from 'date-fns';
import { useSnackbar } from 'notistack';
import { useEffect, useState } from 'react';
import { Link } from 'react-router';
import { countWords, durationLabel, problemLine } from '@mivvy/core';
import type { Job, Master, Version } from '@mivvy/api';
import { problemOf } from '../../api/client.ts';
import { useJobAction } from '../../api/changes.ts';
import { useJobs } from '../../api/queries.ts';
import { ExportVersions, readyToExport } from '../../parts/export-versions.tsx';
import { Empty, Failed, Loading } from '../../parts/notices.tsx';
import { frameOf, Proof } from '../../parts/proof.tsx';
import { Stamp } from '../../parts/stamp.tsx';
import { useThisProduction } from '../../parts/this-production.ts';
import './exports.css';

/** The time, once a second, for whatever shows how long something has been running. */
function useClock(on: boolean): Date {
  const [time, setTime] = useState(() => new Date());
  useEffect(() => {
    if (!on) return;
    const timer = setInterval(() => setTime(new Date()), 1000);
    return () => clearInterval(timer);
  }, [on]);
  return time;
}

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
  if (job.speed >= 0.05) parts.push(`${job.speed.toFixed(1)} × real time`);
  return parts.join(' · ');
}

function JobRow({
  job,
  version,
  master,
  now,
  productionId,
}: {
  job: Job;
  version: Version | undefined;
  master: Master | undefined;
  now: Date;
  productionId: string;
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
      <div style={{ minWidth: 0 }}>
        <b style={{ fontWeight: 650, fontSize: 14 }}>{job.label}</b>
        <div className="quiet clip">{master?.name}</div>
      </div>
      <StateStamp job={job} />
      <div style={{ minWidth: 0 }}>
        {job.state === 'running' && (
          <>
            <LinearProgress
              variant="determinate"
              value={job.fraction * 100}
              aria-label={`${job.label}, made so far`}
            />
            <div className="quiet" style={{ marginTop: 4 }}>
              {progressWords(job, now)}
            </div>
          </>
        )}
        {job.state === 'queued' && (
          <span className="quiet">asked for at {format(new Date(job.createdAt), 'HH:mm')}</span>
        )}
        {job.state === 'done' && (
          <span className="quiet">
            at {format(new Date(job.finishedAt ?? job.createdAt), 'd MMM, HH:mm')}
            {took && `, in ${took}`}
          </span>
        )}
        {job.state === 'cancelled' && (
          <span className="quiet">stopped before it was finished; nothing was left behind</span>
        )}
        {job.state === 'failed' && job.problem && <p className="warn fault">{problemLine(job.problem)}</p>}
      </div>
      <div className="acts">
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
        {job.state === 'done' && version && (
          <Link className="fix tall" to={`/productions/${productionId}/deliverables/${version.id}`}>
            See the file
          </Link>
        )}
      </div>
    </li>
  );
}

/** Exports: the queue, what runs, and what ended how. */
export function ExportsScreen() {
  const production = useThisProduction();
  const query = useJobs(production.id);
  const jobs = (query.data ?? []).filter((j) => j.kind === 'export');
  const running = jobs.some((j) => j.state === 'running');
  const now = useClock(running);
  const ready = readyToExport(production.versions);
  const order: Job['state'][] = ['running', 'queued', 'failed', 'done', 'cancelled'];
  // The running one first, then the queue in its own order, then what ended, newest first.
  const sorted = [...jobs].sort(
    (a, b) =>
      order.indexOf(a.state) - order.indexOf(b.state) ||
      (a.state === 'queued'
        ? a.createdAt.localeCompare(b.createdAt)
        : b.createdAt.localeCompare(a.createdAt)),
  );
  const active = jobs.filter((j) => j.state === 'running' || j.state === 'queued').length;
  const exportAll = (
    <ExportVersions versions={ready}>Export {countWords(ready.length, 'version')}</ExportVersions>
  );
  if (query.isPending) return <Loading what="the queue" />;
  if (query.isError) return <Failed error={query.error} onRetry={() => void query.refetch()} />;
  if (jobs.length === 0)
    return (
      <Empty title="Nothing has been exported yet" action={exportAll}>
        Each file is made with its place’s own frame, rate and bitrate, then measured.
      </Empty>
    );
  return (
    <div className="exports scroll">
      <header>
        <h2>{active ? `${active} to make` : 'Nothing in the queue'}</h2>
        {exportAll}
      </header>
      <ul>
        {sorted.map((job) => {
          const version = production.versions.find((v) => v.id === job.subjectId);
          return (
            <JobRow
              key={job.id}
              job={job}
              version={version}
              master={production.masters.find((m) => m.id === version?.masterId)}
              now={now}
              productionId={production.id}
            />
          );
        })}
      </ul>
    </div>
  );
}
