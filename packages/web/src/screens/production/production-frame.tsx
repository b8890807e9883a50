import { Link, Outlet, useLocation, useParams } from 'react-router';
import { durationLabel } from '@mivvy/core';
import type { Job } from '@mivvy/api';
import { useActiveJobs, useProduction } from '../../api/queries.ts';
import { Failed, Loading } from '../../parts/notices.tsx';
import { PlacesOnArrival } from '../../parts/places/places-on-arrival.tsx';
import { useLetters } from '../../letters/letters.ts';
import { isDressed } from '../../parts/versions.ts';
import { useRunEnd } from '../../parts/run-end.ts';
import { ScoreViewProvider } from '../../parts/score/score-view.tsx';
import { SeenProvider } from '../../parts/seen.tsx';
import { ProductionContext } from '../../parts/this-production.ts';
import { TopBar } from '../../parts/top-bar.tsx';
import { PlayDeskProvider } from '../../play/use-desk.tsx';

const withPercent = (words: string, { fraction }: Job) => `${words} ${Math.round(fraction * 100)}\u00a0%`;
/** What a running job is called, of each kind. */
const wordsOf: Readonly<Record<Job['kind'], (job: Job) => string>> = {
  ingest: ({ label }) => `Reading ${label}`,
  prepare: ({ label }) => `Reading ${label}`,
  look: (job) => withPercent(`Looking at ${job.label}`, job),
  match: (job) => withPercent(`Matching ${job.label}`, job),
  export: (job) => withPercent(job.label, job),
  check: (job) => withPercent(`Checking ${job.label}`, job),
  dispatch: (job) => withPercent(`To ${job.label}`, job),
};

/** What runs now, in the header: one line that leads to the queue. */
function Running({ productionId, name }: { productionId: string; name: string }) {
  const jobs = useActiveJobs(productionId);
  const exports = jobs.filter((j) => j.kind === 'export');
  useRunEnd(exports.length, name);
  const current = exports.find((j) => j.state === 'running') ?? jobs.find((j) => j.state === 'running');
  if (!current) return null;
  const words = wordsOf[current.kind](current);
  const more = exports.length > 1 ? ` · ${exports.length - 1} more` : '';
  const left =
    current.etaSeconds !== null && current.kind === 'export'
      ? ` · ${durationLabel(current.etaSeconds)} left`
      : '';
  return (
    <Link className="runchip" to={`/productions/${productionId}/exports`} aria-live="off">
      <span className="clip">
        {words}
        {left}
        {more}
      </span>
    </Link>
  );
}

/** Everything around a production's screens: the header with the road, and one play head for them all. */
export function ProductionFrame() {
  const { productionId = '' } = useParams();
  const query = useProduction(productionId);
  const base = `/productions/${productionId}`;
  const production = query.data;
  const hasVersions = (production?.versions.length ?? 0) > 0;
  // What is laid over a picture is set in letters that are fetched once, and only where there is something.
  const needsLetters = production?.masters.some((m) => isDressed(m.dressing)) ?? false;
  const letters = useLetters(needsLetters);
  const road = [
    { to: `${base}/masters`, name: 'Masters' },
    { to: base, name: 'Proof sheet', end: true },
    // Stops without anything to show are not on the road yet.
    ...(hasVersions
      ? [
          { to: `${base}/framing`, name: 'Framing' },
          { to: `${base}/timing`, name: 'Timing' },
          { to: `${base}/layers`, name: 'Layers' },
          { to: `${base}/exports`, name: 'Exports' },
          { to: `${base}/deliverables`, name: 'Deliverables' },
          { to: `${base}/dispatch`, name: 'Dispatch' },
        ]
      : []),
  ];
  const { pathname } = useLocation();
  const here = road.findLast((stop) => (stop.end ? pathname === stop.to : pathname.startsWith(stop.to)));
  return (
    <div className="desk">
      <TopBar
        where={
          production && (
            <>
              {production.client && `${production.client} · `}
              <b>{production.name}</b>
            </>
          )
        }
        road={road}
        running={production && <Running productionId={productionId} name={production.name} />}
      />
      <main>
        <h1 className="sr">
          {here?.name ?? 'Production'}
          {production && `, ${production.name}`}
        </h1>
        {query.isPending || (needsLetters && letters.isPending) ? (
          <Loading what="the production" />
        ) : !production ? (
          <Failed error={query.error} onRetry={() => void query.refetch()} />
        ) : (
          <PlayDeskProvider key={productionId}>
            <ProductionContext value={production}>
              <SeenProvider production={production}>
                <ScoreViewProvider>
                  <Outlet />
                </ScoreViewProvider>
              </SeenProvider>
              <PlacesOnArrival productionId={production.id} />
            </ProductionContext>
          </PlayDeskProvider>
        )}
      </main>
    </div>
  );
}
