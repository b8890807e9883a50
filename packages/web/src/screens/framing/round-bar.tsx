import { useEffect, useState } from 'react';
import { useKeys } from '../../parts/use-keys.ts';
import { useNavigate, useSearchParams } from 'react-router';
import { withUnitMarks, type Framing } from '@mivvy/core';
import type { Version } from '@mivvy/api';
import { useWorthLooks, type WorthALook } from '../../parts/following.ts';
import { useThisProduction } from '../../parts/this-production.ts';
import { versionName } from '../../parts/versions.ts';
import { useDesk } from '../../play/use-desk.tsx';
import type { ShotEditor } from './shot-editor.ts';

const keyOf = (w: WorthALook) => `${w.version.id} ${w.unit.from}`;

/** The review round: the shots that are worth a look, worst first, each to be accepted or corrected where it stands. */
export function RoundBar({
  version,
  framing,
  hand,
  change,
}: {
  version: Version;
  framing: Framing;
  hand: ShotEditor;
  change: (framing: Framing) => void;
}) {
  const production = useThisProduction();
  const desk = useDesk();
  const navigate = useNavigate();
  const [search, setSearch] = useSearchParams();
  const on = search.has('round');
  const worth = useWorthLooks(production);
  const [passed, setPassed] = useState<readonly string[]>([]);
  const left = worth.filter((w) => !passed.includes(keyOf(w)));
  const here = worth.find((w) => w.version.id === version.id && w.unit.from === hand.unit.from);
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
    change(withUnitMarks(framing, hand.unit, hand.units.at(-1)!.to, { seen: true }));
    next(here);
  };
  const deps = [on, here, left, framing, hand.unit];
  useKeys('y', accept, { enabled: on }, deps);
  useKeys('u', () => next(), { enabled: on }, deps);
  if (!on) {
    return worth.length ? (
      <p className="roundcall">
        <button
          className="fix"
          onClick={() => {
            setSearch({ round: '' });
            go(worth[0]);
          }}
        >
          {worth.length === 1 ? 'One shot is worth a look' : `${worth.length} shots are worth a look`}
        </button>
      </p>
    ) : null;
  }
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
      <button className="fix tall" onClick={() => setSearch({})}>
        End the round
      </button>
    </div>
  );
}
