import { useEffect, useState } from 'react';
import { useNavigate, useSearchParams } from 'react-router';
import { withUnitMarks } from '@mivvy/core';
import { useKey } from '../../keys/use-key.ts';
import { useWorthLooks, type WorthALook } from '../../parts/following.ts';
import { useThisProduction } from '../../parts/this-production.ts';
import { versionName } from '../../parts/versions.ts';
import { useDesk } from '../../play/use-desk.tsx';
import { useFraming } from './framing-session.tsx';

const keyOf = (w: WorthALook) => `${w.version.id} ${w.unit.from}`;

/** The review round: the shots that are worth a look, worst first, each to be accepted or corrected where it stands. */
function useRound() {
  const { version, framing, unit, units, change } = useFraming();
  const production = useThisProduction();
  const desk = useDesk();
  const navigate = useNavigate();
  const [search, setSearch] = useSearchParams();
  const on = search.has('round');
  const worth = useWorthLooks(production);
  const [passed, setPassed] = useState<readonly string[]>([]);
  const left = worth.filter((w) => !passed.includes(keyOf(w)));
  const here = worth.find((w) => w.version.id === version.id && w.unit.from === unit.from);
  const go = (to: WorthALook | undefined) => {
    if (!to) return;
    if (to.version.id !== version.id)
      void navigate(`/productions/${production.id}/framing/${to.version.id}?round=${to.unit.from}`);
    else {
      desk.pause();
      desk.seek(to.unit.from);
    }
  };
  // Coming from another version, the round goes on at the shot that it came for.
  const wanted = Number(search.get('round') ?? '');
  useEffect(() => {
    if (on && Number.isInteger(wanted) && wanted > 0) desk.seek(wanted);
  }, [desk, on, wanted, version.id]);
  const next = (after = here) => {
    const rest = left.filter((w) => !after || keyOf(w) !== keyOf(after));
    if (after) setPassed((p) => [...p, keyOf(after)]);
    go(rest[0]);
  };
  const accept = () => {
    if (!here) return;
    change(withUnitMarks(framing, unit, units.at(-1)!.to, { seen: true }));
    next(here);
  };
  const start = () => {
    setSearch({ round: '' });
    go(worth[0]);
  };
  return { on, here, left, worth, accept, next, start, end: () => setSearch({}) };
}

/** How many shots are worth a look; leads into the round. */
export function RoundCall() {
  const { on, worth, start } = useRound();
  if (on || worth.length === 0) return null;
  return (
    <p className="roundcall">
      <button className="fix" onClick={start}>
        {worth.length === 1 ? 'One shot is worth a look' : `${worth.length} shots are worth a look`}
      </button>
    </p>
  );
}

/** The round's own line above the panes, while one goes it. */
export function RoundBar() {
  const { on, here, left, worth, accept, next, end } = useRound();
  useKey('Framing.good', accept, { enabled: on });
  useKey('Framing.nextWorthALook', () => next(), { enabled: on });
  if (!on) return null;
  return (
    <div className="roundbar" role="region" aria-label="Round">
      <b>
        {here
          ? `Worth a look: ${worth.indexOf(here) + 1} of ${worth.length}`
          : left.length
            ? `${left.length} left to look at`
            : 'The round is done'}
      </b>
      <span className="clip">
        {here ? (
          <>
            {versionName(here.version)}, shot {here.unit.shot + 1},{' '}
            <span className="mono">{here.judgement.figure}</span> of 100: {here.judgement.words[0] ?? ''}
          </>
        ) : left.length ? (
          'Press u for the next one.'
        ) : (
          'Every shot that was worth a look has been looked at.'
        )}
      </span>
      {here && (
        <button className="fix tall" onClick={accept}>
          It is good (y)
        </button>
      )}
      {left.length > 0 && (
        <button className="fix tall" onClick={() => next()}>
          Next (u)
        </button>
      )}
      <button className="fix tall" onClick={end}>
        End the round
      </button>
    </div>
  );
}
