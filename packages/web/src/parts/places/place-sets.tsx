import TextField from '@mui/material/TextField';
import { useSnackbar } from 'notistack';
import { useState, type FormEvent } from 'react';
import { problemLine } from '@mivvy/core';
import type { PlaceSet } from '@mivvy/api';
import { problemOf } from '../../api/client.ts';
import { usePlaceSetChange } from '../../api/changes.ts';
import { usePlaceSets } from '../../api/queries.ts';
import type { PlaceChoice } from './place-list.tsx';
import styles from './places.module.css';

const same = (a: readonly string[], b: readonly string[]) =>
  a.length === b.length && a.every((id) => b.includes(id));

/** Asks for the name of a set. */
function NameForm({ name, onDone }: { name: string; onDone: (name: string | null) => void }) {
  const [text, setText] = useState(name);
  const submit = (event: FormEvent) => {
    event.preventDefault();
    if (text.trim()) onDone(text.trim());
  };
  return (
    <form className={styles.set} onSubmit={submit}>
      <TextField
        label="Name of the set"
        size="small"
        value={text}
        autoFocus
        onChange={(event) => setText(event.target.value.slice(0, 60))}
        onKeyDown={(event) => {
          if (event.key !== 'Escape') return;
          event.stopPropagation();
          onDone(null);
        }}
      />
      <button className="fix tall" type="submit" disabled={!text.trim()}>
        Save
      </button>
    </form>
  );
}

/** What can be done with a named set while what is in it is chosen. */
function SetActions({ set, choice }: { set: PlaceSet; choice: PlaceChoice }) {
  const change = usePlaceSetChange();
  const { enqueueSnackbar } = useSnackbar();
  const [naming, setNaming] = useState(false);
  const told = {
    onError: (error: Error) => enqueueSnackbar(problemLine(problemOf(error)), { variant: 'error' }),
  };
  if (naming)
    return (
      <NameForm
        name={set.name}
        onDone={(name) => {
          setNaming(false);
          if (name) change.mutate({ kind: 'change', id: set.id, name }, told);
        }}
      />
    );
  return (
    <span className="quiet small">
      (
      {!same(choice.chosen, set.placementIds) && choice.chosen.length > 0 && (
        <>
          <button
            type="button"
            className="fix"
            onClick={() =>
              change.mutate({ kind: 'change', id: set.id, placementIds: [...choice.chosen] }, told)
            }
          >
            make it what is ticked
          </button>
          ,{' '}
        </>
      )}
      <button type="button" className="fix" onClick={() => setNaming(true)}>
        rename
      </button>
      ,{' '}
      <button
        type="button"
        className="fix"
        onClick={() => change.mutate({ kind: 'forget', id: set.id }, told)}
      >
        forget
      </button>
      )
    </span>
  );
}

/** Sets in which places are taken together: what was taken last, named ones, and what is ticked, to be named. */
export function PlaceSets({ choice, known }: { choice: PlaceChoice; known: ReadonlySet<string> }) {
  const sets = usePlaceSets().data ?? [];
  const change = usePlaceSetChange();
  const { enqueueSnackbar } = useSnackbar();
  const [naming, setNaming] = useState(false);
  const [openId, setOpenId] = useState<string | null>(null);
  const { chosen, taken, choose } = choice;
  const free = (set: PlaceSet) => set.placementIds.filter((id) => known.has(id) && !taken.has(id));
  const offered = sets.filter((set) => free(set).length > 0);
  const unnamed = chosen.length > 1 && !sets.some((s) => !s.last && same(s.placementIds, chosen));
  if (offered.length === 0 && !unnamed) return null;
  return (
    <div className={styles.sets} role="group" aria-label="Sets of places">
      {offered.map((set) => (
        <span key={set.id} className={styles.set}>
          <button
            type="button"
            className="fix tall"
            aria-pressed={same(free(set), chosen)}
            onClick={() => {
              choose(free(set));
              setOpenId(set.id);
            }}
          >
            {set.last ? `The same as last time (${free(set).length})` : `${set.name} (${free(set).length})`}
          </button>
          {!set.last && openId === set.id && <SetActions set={set} choice={choice} />}
        </span>
      ))}
      {naming ? (
        <NameForm
          name=""
          onDone={(name) => {
            setNaming(false);
            if (name)
              change.mutate(
                { kind: 'save', name, placementIds: [...chosen] },
                {
                  onError: (error) => enqueueSnackbar(problemLine(problemOf(error)), { variant: 'error' }),
                },
              );
          }}
        />
      ) : (
        unnamed && (
          <button type="button" className="fix tall" onClick={() => setNaming(true)}>
            Save these {chosen.length} as a set
          </button>
        )
      )}
    </div>
  );
}
