import { Link } from 'react-router';
import { frameToTimecode } from '@mivvy/core';
import { usePlayCut } from '../../api/changes.ts';
import { NotesHere } from '../../parts/notes-here.tsx';
import { savingWords } from '../../parts/saving-words.ts';
import { useDesk } from '../../play/use-desk.tsx';
import { CutSentences, EditLists, RemoveCut } from './cut-note.tsx';
import { PlaceTimes } from './place-times.tsx';
import { useTiming } from './timing-session.tsx';

/** The cuts of the film, and the full film. */
function Cuts({ base, onNew }: { base: string; onNew: () => void }) {
  const { master, cut, work } = useTiming();
  return (
    <div className="cuts" role="navigation" aria-label="Cuts of this film">
      <Link to={base} className={cut ? '' : 'on'} aria-current={cut ? undefined : 'page'}>
        Full film
      </Link>
      {master.cuts.map((c) => (
        <Link
          key={c.id}
          to={`${base}/${c.id}`}
          className={c.id === cut?.id ? 'on' : ''}
          aria-current={c.id === cut?.id ? 'page' : undefined}
        >
          {c.id === cut?.id ? work.name : c.name}
        </Link>
      ))}
      <button className="fix tall" onClick={onNew}>
        New cut
      </button>
    </div>
  );
}

/** What the cut is, in sentences, and what it leaves of each place's time. */
export function CutPane({
  base,
  onNew,
  onGo,
}: {
  base: string;
  onNew: () => void;
  onGo: (cutId: string | null) => void;
}) {
  const {
    production,
    master,
    shownMaster,
    cut,
    work,
    change,
    saving,
    frames,
    rate,
    mine,
    timed,
    shown,
    show,
  } = useTiming();
  const playCut = usePlayCut();
  const desk = useDesk();
  return (
    <section className="note" aria-label="Cut">
      <Cuts base={base} onNew={onNew} />
      {mine.map(({ version }) => (
        <NotesHere
          key={version.id}
          version={version}
          master={master}
          onSeek={(frame) => desk.seek(frame)}
          named
        />
      ))}
      {change ? (
        <CutSentences master={master} work={work} change={change} />
      ) : (
        <p>
          The full film: every frame of it in its order,{' '}
          <span className="mono">{frameToTimecode(frames, rate)}</span> long. It is never changed.
        </p>
      )}
      <PlaceTimes
        timed={timed}
        others={mine.filter((t) => !timed.includes(t)).map((t) => t.version)}
        master={shownMaster}
        cut={cut ? work : null}
        shownId={shown?.version.id}
        onShow={show}
        onPace={(pace) => change?.({ pace })}
        onPlay={(id) => playCut.mutate({ versionIds: [id], cutId: cut?.id ?? null })}
      />
      {timed.length === 0 && (
        <p className="quiet">No version plays {cut ? 'this cut' : 'the full film'} yet.</p>
      )}
      <EditLists master={master} versions={timed.map((t) => t.version)} onMade={onGo} />
      {cut && (
        <RemoveCut
          key={cut.id}
          cut={cut}
          playing={timed.length}
          productionId={production.id}
          onGone={() => onGo(null)}
        />
      )}
      {saving && (
        <p className="quiet small" role="status">
          {savingWords[saving]}
        </p>
      )}
    </section>
  );
}
