import { useEffect, useState } from 'react';
import { countWords } from '@mivvy/core';
import type { Job } from '@mivvy/api';
import { useForecasts, useJobs } from '../../api/queries.ts';
import { ExportVersions, readyToExport } from '../../parts/export-versions.tsx';
import { Empty, Failed, Loading } from '../../parts/notices.tsx';
import { useThisProduction } from '../../parts/this-production.ts';
import { EffortSentence } from './effort-sentence.tsx';
import { JobRow } from './job-row.tsx';
import { placeOf, queueOrder, runOrder } from './queue-order.ts';
import { RunHead } from './run-head.tsx';
import { ToMake } from './to-make.tsx';
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

/** Exports: the run, what is left of it, and what ended how. */
export function ExportsScreen() {
  const production = useThisProduction();
  const query = useJobs(production.id);
  const jobs = (query.data ?? []).filter((j) => j.kind === 'export');
  const active = jobs.filter((j) => j.state === 'running' || j.state === 'queued');
  const ended = jobs.filter((j) => j.state !== 'running' && j.state !== 'queued');
  const now = useClock(active.length > 0);
  const told = useForecasts(production.id, production.revision).data;
  const forecasts = told?.versions ?? [];
  const ready = readyToExport(production.versions);
  const [leftOut, setLeftOut] = useState<ReadonlySet<string>>(new Set());
  const chosen = ready.filter((v) => !leftOut.has(v.id));
  const waiting = jobs.filter((j) => j.state === 'queued').sort(queueOrder);
  const exportAll = (
    <ExportVersions versions={chosen}>Export {countWords(chosen.length, 'version')}</ExportVersions>
  );
  const row = (job: Job) => {
    const version = production.versions.find((v) => v.id === job.subjectId);
    return (
      <JobRow
        key={job.id}
        job={job}
        version={version}
        master={production.masters.find((m) => m.id === version?.masterId)}
        now={now}
        productionId={production.id}
        forecast={forecasts.find((f) => f.versionId === job.subjectId)}
        place={placeOf(job, waiting)}
      />
    );
  };
  if (query.isPending) return <Loading what="the queue" />;
  if (query.isError) return <Failed error={query.error} onRetry={() => void query.refetch()} />;
  if (jobs.length === 0 && ready.length === 0)
    return (
      <Empty title="Nothing has been exported yet">
        Each file is made with its place’s own frame, rate and bitrate, then measured.
      </Empty>
    );
  return (
    <div className="exports scroll">
      <header>
        <div>
          <RunHead active={active} forecasts={forecasts} freeBytes={told?.freeBytes} now={now} />
          <EffortSentence sample={production.versions.find((v) => v.placement && v.standing !== 'blocked')} />
        </div>
        {exportAll}
      </header>
      <ul>{active.sort(runOrder).map(row)}</ul>
      <ToMake versions={ready} forecasts={forecasts} leftOut={leftOut} onLeaveOut={setLeftOut} />
      {ended.length > 0 && (
        <h3>
          Ended{' '}
          <a
            className="fix"
            href={`/api/productions/${production.id}/reports.html`}
            target="_blank"
            rel="noreferrer"
          >
            All reports as one page
          </a>
        </h3>
      )}
      <ul>{ended.sort(runOrder).map(row)}</ul>
    </div>
  );
}
