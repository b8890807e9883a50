import Menu from '@mui/material/Menu';
import MenuItem from '@mui/material/MenuItem';
import TextField from '@mui/material/TextField';
import { useState, type FormEvent } from 'react';
import { durationLabel, frameToSeconds, frameToTimecode, troubleKind } from '@mivvy/core';
import type { Master } from '@mivvy/api';
import { unbroken } from '../../parts/joined.ts';
import { Stamp } from '../../parts/stamp.tsx';
import { TroubleThumb } from '../../parts/trouble-thumb.tsx';
import {
  causeThing,
  troubleWord,
  useGoToTrouble,
  type MasterCause,
  type PlacedTrouble,
} from '../../parts/troubles.ts';
import { versionName } from '../../parts/versions.ts';
import { useRemedies, type Remedies } from './use-remedies.ts';

/** Asks why a trouble is in order, once for all versions that have it. */
function ReasonForm({ onAccept }: { onAccept: (reason: string) => void }) {
  const [reason, setReason] = useState('');
  const submit = (event: FormEvent) => {
    event.preventDefault();
    if (reason.trim()) onAccept(reason.trim());
  };
  return (
    <form className="reason" onSubmit={submit}>
      <TextField
        label="Why it is in order"
        size="small"
        value={reason}
        autoFocus
        fullWidth
        onChange={(event) => setReason(event.target.value)}
      />
      <button className="fix tall" type="submit" disabled={!reason.trim()}>
        Accept
      </button>
    </form>
  );
}

/** Everything that can be done about a cause, for all of its versions at once. */
function MendMenu({
  cause,
  remedies,
  anchor,
  onAccept,
  onClose,
}: {
  cause: MasterCause;
  remedies: Remedies;
  anchor: HTMLElement;
  onAccept: () => void;
  onClose: () => void;
}) {
  const all = new Set(cause.versions.map((place) => place.version.id)).size;
  const some = (n: number) => (n === all ? (all === 1 ? 'in it' : `in all ${all}`) : `in ${n} of ${all}`);
  const act = (run: () => void) => () => {
    onClose();
    run();
  };
  const { moved, whole, save, setAside, keep } = remedies;
  return (
    <Menu open anchorEl={anchor} onClose={onClose}>
      {moved.length > 0 && (
        <MenuItem onClick={act(() => save(moved))}>Move the window clear, {some(moved.length)}</MenuItem>
      )}
      {whole.length > 0 && (
        <MenuItem onClick={act(() => save(whole))}>
          Show the shot whole over a soft copy, {some(whole.length)}
        </MenuItem>
      )}
      {keep && <MenuItem onClick={act(keep)}>Make it a keep: it must be seen</MenuItem>}
      {setAside && (
        <MenuItem onClick={act(setAside)}>
          {cause.seen.length === 1 ? 'It does' : 'They do'} not matter, in any version
        </MenuItem>
      )}
      <MenuItem onClick={act(onAccept)}>Accept {some(all)}, with a reason …</MenuItem>
    </Menu>
  );
}

/** One thing that is wrong: where, in which versions, and what mends it for all of them. */
export function CauseRow({
  cause,
  master,
  named,
}: {
  cause: MasterCause;
  master: Master;
  /** The master is named: there is more than one. */
  named: boolean;
}) {
  const go = useGoToTrouble();
  const remediesOf = useRemedies(cause, master);
  const [menu, setMenu] = useState<{ anchor: HTMLElement; remedies: Remedies } | null>(null);
  const [accepting, setAccepting] = useState(false);
  const [first] = cause.versions;
  const { rate } = master.facts!.video;
  const thing = causeThing(cause, master.keeps);
  const sameArea = new Set(cause.places.map((p) => p.trouble.area)).size === 1;
  const word = troubleWord({ code: cause.code, ...(sameArea ? { area: first!.trouble.area } : {}) }, thing);
  const longest = Math.max(...cause.places.map(({ trouble: t }) => t.span.to - t.span.from));
  // A version is named once, however many people it hides.
  const [tagged, sentences] = [new Map<string, PlacedTrouble>(), new Map<string, string[]>()];
  for (const place of cause.versions) {
    const { id } = place.version;
    if (!tagged.has(id)) tagged.set(id, place);
    sentences.set(id, [...(sentences.get(id) ?? []), place.trouble.sentence]);
  }
  const where =
    cause.shot === null || thing === undefined
      ? first!.trouble.sentence
      : `Shot ${cause.shot + 1}, from ${frameToTimecode(cause.from, rate)}, ${durationLabel(frameToSeconds(longest, rate))}`;
  return (
    <li className="look-item" data-cause={cause.key}>
      <TroubleThumb version={first!.version} master={master} frame={cause.from} width={46} />
      <div>
        <Stamp shape={cause.severity === 'fault' ? 'fail' : 'look'}>
          {word[0]!.toUpperCase() + word.slice(1)}
        </Stamp>
        <p className="tags">
          {[...tagged.values()].map((place) => (
            <button
              key={place.version.id}
              className="letter"
              title={`${versionName(place.version)}: ${sentences.get(place.version.id)!.join(' ')}`}
              aria-label={`Go to it in ${versionName(place.version)}`}
              onClick={() => go(place)}
            >
              {place.version.tag}
            </button>
          ))}
        </p>
        <p className="quiet">
          {named && `${master.name}. `}
          {unbroken(where)}
        </p>
        <p className="acts">
          <button className="fix tall" onClick={() => go(first!)}>
            {tagged.size === 1 ? 'Look at it' : 'Go through them'}
          </button>
          {troubleKind(cause.code).mendedIn === 'framing' && (
            <button
              className="fix tall"
              aria-haspopup="menu"
              onClick={(event) => setMenu({ anchor: event.currentTarget, remedies: remediesOf() })}
            >
              Mend
            </button>
          )}
        </p>
        {accepting && (
          <ReasonForm
            onAccept={(reason) => {
              remediesOf().accept(reason);
              setAccepting(false);
            }}
          />
        )}
      </div>
      {menu && (
        <MendMenu
          cause={cause}
          remedies={menu.remedies}
          anchor={menu.anchor}
          onAccept={() => setAccepting(true)}
          onClose={() => setMenu(null)}
        />
      )}
    </li>
  );
}
