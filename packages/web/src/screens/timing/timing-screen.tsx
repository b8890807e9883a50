import { useMemo, useState } from 'react';
import { Link, Navigate, useNavigate, useParams } from 'react-router';
import { asEdited, usualJoinMs } from '@mivvy/core';
import type { Cut, ProductionDetail } from '@mivvy/api';
import { Empty } from '../../parts/notices.tsx';
import { useThisProduction } from '../../parts/this-production.ts';
import { usePlanner, type Planner } from '../../parts/seen.tsx';
import { AdvicePane } from './advice-pane.tsx';
import { CutPane } from './cut-pane.tsx';
import { FilmPane } from './film-pane.tsx';
import { NewCutDialog } from './new-cut-dialog.tsx';
import { breaksTime } from './place-times.tsx';
import { TimingScore } from './timing-score.tsx';
import { TimingSessionProvider, useTiming, type TimingWork } from './timing-session.tsx';
import { useCutEdit } from './use-cut-edit.ts';
import { useTimingKeys } from './use-timing-keys.ts';
import './timing.css';

/** The panes of a cut at work: what it is, the film with its running order, what could go, and its length. */
function Panes() {
  const { production, master, cut, mine } = useTiming();
  const navigate = useNavigate();
  const [isNew, setNew] = useState(false);
  const base = `/productions/${production.id}/timing/${master.id}`;
  const go = (cutId: string | null) => void navigate(cutId === null ? base : `${base}/${cutId}`);
  useTimingKeys();
  return (
    <>
      <div className="timing">
        <CutPane base={base} onNew={() => setNew(true)} onGo={go} />
        <FilmPane onNew={() => setNew(true)} />
        <AdvicePane />
      </div>
      <TimingScore />
      {isNew && (
        <NewCutDialog master={master} versions={mine} from={cut} onMade={go} onClose={() => setNew(false)} />
      )}
    </>
  );
}

function Workplace(work: TimingWork) {
  return (
    <TimingSessionProvider {...work}>
      <Panes />
    </TimingSessionProvider>
  );
}

/** A cut in the hand. */
function CutWorkspace({ production, master, cut }: Pick<TimingWork, 'production' | 'master'> & { cut: Cut }) {
  const edit = useCutEdit(cut, production.id);
  return <Workplace production={production} master={master} cut={cut} edit={edit} work={edit.work} />;
}

/** The whole of a film, which is never changed. */
function FullFilm({ production, master }: Pick<TimingWork, 'production' | 'master'>) {
  const work = useMemo(
    () => ({
      name: 'Full film',
      kept: [{ from: 0, to: master.facts!.video.frames }],
      pace: asEdited,
      joinMs: usualJoinMs,
    }),
    [master.facts],
  );
  return <Workplace production={production} master={master} cut={undefined} edit={null} work={work} />;
}

/** Where Timing opens: at what is too long, else at the newest cut, else at the first film. */
function startOf(production: ProductionDetail, plan: Planner): string | null {
  const usable = production.masters.filter((m) => m.state === 'ready' && m.facts);
  const needy = production.versions
    .map((version) => ({
      version,
      planned: plan(
        version,
        usable.find((m) => m.id === version.masterId),
      ),
    }))
    .find(breaksTime)?.version;
  const cut = needy ? needy.cutId : usable.flatMap((m) => m.cuts).at(-1)?.id;
  const master = needy
    ? needy.masterId
    : (usable.find((m) => m.cuts.some((c) => c.id === cut)) ?? usable[0])?.id;
  return master ? `/productions/${production.id}/timing/${master}${cut ? `/${cut}` : ''}` : null;
}

/** Timing: what plays of a film, in which order, how fast, and what that leaves of each place's time. */
export function TimingScreen() {
  const production = useThisProduction();
  const { masterId, cutId } = useParams();
  const plan = usePlanner();
  const start = masterId ? null : startOf(production, plan);
  if (start) return <Navigate to={start} replace />;
  const master = production.masters.find((m) => m.id === masterId);
  if (!master?.facts || master.state === 'failed')
    return (
      <Empty
        title="No film to cut here"
        action={
          <Link className="fix tall" to={`/productions/${production.id}`}>
            To the proof sheet
          </Link>
        }
      >
        {master?.problem?.sentence ?? 'A film is cut once it has been read.'}
      </Empty>
    );
  const cut = master.cuts.find((c) => c.id === cutId);
  if (cutId && !cut)
    return (
      <Empty
        title="That cut is not here any more"
        action={
          <Link className="fix tall" to={`/productions/${production.id}/timing/${master.id}`}>
            The full film
          </Link>
        }
      />
    );
  return cut ? (
    <CutWorkspace key={cut.id} production={production} master={master} cut={cut} />
  ) : (
    <FullFilm key={master.id} production={production} master={master} />
  );
}
