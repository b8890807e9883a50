import LinearProgress from '@mui/material/LinearProgress';
import { useSnackbar } from 'notistack';
import { useMemo } from 'react';
import { Link } from 'react-router';
import {
  couldBeTextless,
  frameToTimecode,
  listWords,
  problemLine,
  unexplained,
  type Difference,
  type TextlessFilm,
} from '@mivvy/core';
import type { Master } from '@mivvy/api';
import { problemOf } from '../../api/client.ts';
import { useChooseTextless, useMasterWork } from '../../api/changes.ts';
import { useJobAbout } from '../../api/queries.ts';
import { Choice } from '../../parts/choice.tsx';
import { ProblemNote } from '../../parts/notices.tsx';
import { useSeen } from '../../parts/seen.tsx';
import { useThisProduction } from '../../parts/this-production.ts';
import { useDesk } from '../../play/use-desk.tsx';
import { PartOfStill } from './part-of-still.tsx';
import styles from './textless-panel.module.css';

/** Differences that are shown one by one at most. */
const mostShown = 12;

/** The film's textless master: which one it is, and how the two were matched. */
export function TextlessPanel({ master }: { master: Master }) {
  const production = useThisProduction();
  const { enqueueSnackbar } = useSnackbar();
  const choose = useChooseTextless(production.id);
  const textless = production.textlessMasters.find((each) => each.textlessOf === master.id);
  const set = (masterId: string | null) =>
    choose.mutate(
      { filmId: master.id, masterId },
      { onError: (error) => enqueueSnackbar(problemLine(problemOf(error)), { variant: 'error' }) },
    );
  return (
    <section className={styles.panel} aria-label="Textless master">
      <h3>Textless master</h3>
      {textless ? (
        <Matching
          master={master}
          textless={textless}
          onMatch={() => set(textless.id)}
          onLetGo={() => set(null)}
        />
      ) : (
        <ChooseTextless master={master} onChoose={set} />
      )}
    </section>
  );
}

/** Whose textless master a film is. */
export function IsTextless({ master }: { master: Master }) {
  const film = useThisProduction().masters.find(({ id }) => id === master.textlessOf);
  return film ? (
    <p className={styles.panel}>
      <span>
        It is the textless master of{' '}
        <Link to={`/productions/${film.productionId}/masters/${film.id}`}>{film.name}</Link>, whose page says
        how the two were matched. Versions belong to that film.
      </span>
    </p>
  ) : null;
}

/** The other films of the production, of which one may be the same edit without titles. */
function ChooseTextless({ master, onChoose }: { master: Master; onChoose: (id: string) => void }) {
  const { masters, versions } = useThisProduction();
  const others = masters.filter(
    ({ id, state }) => id !== master.id && state === 'ready' && !versions.some((v) => v.masterId === id),
  );
  const fitting = others.filter(
    ({ facts }) => master.facts && facts && couldBeTextless(master.facts, facts).ok,
  );
  if (fitting.length === 0)
    return (
      <p className="quiet">
        None. Bring in the same edit with its titles switched off: same size, length, rate and sound. Versions
        whose frame cuts a title are then drawn from it.
      </p>
    );
  return (
    <p>
      None yet.{' '}
      <Choice
        label="Textless master"
        value=""
        shown={`Use ${fitting.length === 1 ? `“${fitting[0]!.name}”` : 'another film'}`}
        options={fitting.map(({ id, name }) => ({ value: id, name }))}
        onChange={onChoose}
      />{' '}
      if it is the same edit without titles: the two are matched picture by picture.
    </p>
  );
}

function Matching({
  master,
  textless,
  onMatch,
  onLetGo,
}: {
  master: Master;
  textless: Master;
  onMatch: () => void;
  onLetGo: () => void;
}) {
  const { versions } = useThisProduction();
  const job = useJobAbout(textless.productionId, textless.id);
  const drawn = versions.filter((v) => v.masterId === master.id && v.textless);
  const found = master.textless?.of === master.sha256 ? master.textless : null;
  return (
    <>
      <p>
        “{textless.name}”
        {drawn.length > 0 &&
          `; ${listWords(drawn.map((v) => v.tag))} ${drawn.length === 1 ? 'is' : 'are'} drawn from it`}
        .{' '}
        <button className="fix" onClick={onLetGo}>
          Let go of it
        </button>
      </p>
      {job && (
        <div>
          <p className="quiet">{job.stage || 'waiting to be matched'}</p>
          <LinearProgress
            variant="determinate"
            value={job.fraction * 100}
            aria-label="Matching the textless master"
          />
        </div>
      )}
      {!job && textless.textlessProblem && <ProblemNote problem={textless.textlessProblem} />}
      {!job && textless.state === 'failed' && textless.problem && <ProblemNote problem={textless.problem} />}
      {!job && !found && !textless.textlessProblem && (
        <NotMatched read={master.sha256 !== null && textless.sha256 !== null} onMatch={onMatch} />
      )}
      {found && <Found master={master} textless={textless} found={found} />}
    </>
  );
}

/** The two have not been matched: one is still being read, or the matching came to nothing. */
function NotMatched({ read, onMatch }: { read: boolean; onMatch: () => void }) {
  return read ? (
    <p>
      The two have not been matched.{' '}
      <button className="fix" onClick={onMatch}>
        Match them now
      </button>
    </p>
  ) : (
    <p className="quiet">The two are matched when both have been read through.</p>
  );
}

/** Where the two films differ: what a title explains, and what nothing does. */
function Found({ master, textless, found }: { master: Master; textless: Master; found: TextlessFilm }) {
  const seen = useSeen().get(master.id)?.things;
  const odd = useMemo(() => {
    const titles = seen?.filter(({ what }) => what === 'title') ?? [];
    return unexplained(found.differs, [...master.keeps, ...titles]);
  }, [found, master.keeps, seen]);
  const { frames } = found.facts.video;
  const explained = found.differs.length - odd.length;
  return (
    <>
      <p>
        All {frames} frames were held against each other, and the sound.{' '}
        {found.differs.length === 0 && 'The two films show the same everywhere: this one has its titles too.'}
        {explained > 0 &&
          `They differ in ${explained === 1 ? 'one place' : `${explained} places`} where a title stands. `}
        {odd.length === 0 && found.differs.length > 0 && 'Everywhere else they show the same.'}
      </p>
      {odd.length > 0 && (
        <>
          <p>
            <b>{odd.length === 1 ? 'One difference' : `${odd.length} differences`} outside the titles</b> that
            are known:
          </p>
          <ul className={styles.differences}>
            {odd.slice(0, mostShown).map((difference) => (
              <OneDifference
                key={`${difference.span.from} ${difference.box.x} ${difference.box.y}`}
                master={master}
                textless={textless}
                difference={difference}
              />
            ))}
          </ul>
          {odd.length > mostShown && <p className="quiet">And {odd.length - mostShown} more.</p>}
        </>
      )}
    </>
  );
}

/** A difference as both films show it, and the way to say that it is a title. */
function OneDifference({
  master,
  textless,
  difference: { span, box },
}: {
  master: Master;
  textless: Master;
  difference: Difference;
}) {
  const desk = useDesk();
  const work = useMasterWork(master.id);
  const { enqueueSnackbar } = useSnackbar();
  const { rate } = master.facts!.video;
  const middle = Math.floor((span.from + span.to - 1) / 2);
  const asTitle = () =>
    work.mutate(
      {
        kind: 'work',
        revision: master.revision,
        keeps: [
          ...master.keeps,
          {
            id: `title-${span.from}-${Math.round(box.x * 1000)}-${Math.round(box.y * 1000)}`,
            name: 'Title',
            kind: 'title',
            span,
            keys: [{ at: span.from, ...box }],
          },
        ],
      },
      { onError: (error) => enqueueSnackbar(problemLine(problemOf(error)), { variant: 'error' }) },
    );
  return (
    <li>
      <button className="fix tall" onClick={() => desk.seek(middle)}>
        {frameToTimecode(span.from, rate)} to {frameToTimecode(span.to - 1, rate)}
      </button>
      <div className={styles.pair}>
        <PartOfStill master={master} frame={middle} box={box} label="In the film" />
        <PartOfStill master={textless} frame={middle} box={box} label="In the textless master" />
      </div>
      <button className="fix tall" disabled={work.isPending} onClick={asTitle}>
        It is a title: keep it in view
      </button>
    </li>
  );
}
