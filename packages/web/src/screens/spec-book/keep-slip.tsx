import Button from '@mui/material/Button';
import TextField from '@mui/material/TextField';
import { useState } from 'react';
import { differenceWords, placementDifferences } from '@mivvy/core';
import { problemOf } from '../../api/client.ts';
import { useRevise } from '../../api/spec-book.ts';
import { ProblemNote } from '../../parts/notices.tsx';
import { useWho } from '../../parts/who.ts';
import { usePlacementDraft } from './placement-draft.tsx';
import styles from './spec-book.module.css';

/** What others have made of the placement since the changes were begun. */
function MadeMeanwhile() {
  const { page, placement, basedOn, rebase, letGo } = usePlacementDraft();
  const newest = page.revisions.at(-1)!;
  const mine = page.revisions.find((r) => r.number === basedOn);
  if (newest.number === basedOn || !mine) return null;
  const theirs = placementDifferences(mine.placement, newest.placement).map(differenceWords);
  const ontop = placementDifferences(newest.placement, placement).map(differenceWords);
  return (
    <div className="warn" role="alert">
      <p>
        {newest.by || 'Somebody'} made revision {newest.number} meanwhile: {theirs.join('; ')}.
      </p>
      <p>
        <button className="fix" onClick={rebase}>
          Put mine on top
        </button>{' '}
        ({ontop.join('; ')}), or{' '}
        <button className="fix" onClick={letGo}>
          take theirs
        </button>
        .
      </p>
    </div>
  );
}

/** The slip that is not kept yet: what is changed, by whom, why, and from which day on. */
export function KeepSlip() {
  const { page, placement, basedOn, isChanged, faults, letGo } = usePlacementDraft();
  const [who, setWho] = useWho();
  const [reason, setReason] = useState('');
  const [from, setFrom] = useState('');
  const revise = useRevise();
  if (!isChanged) return null;
  const newest = page.revisions.at(-1)!;
  const changed = placementDifferences(newest.placement, placement);
  const isBehind = newest.number !== basedOn;
  return (
    <form
      className={`${styles.slip} ${styles.fresh}`}
      aria-label="Changes that are not kept yet"
      onSubmit={(event) => {
        event.preventDefault();
        const change = { placement, basedOn, by: who, reason, ...(from ? { effectiveOn: from } : {}) };
        revise.mutate(change, {
          onSuccess: () => {
            letGo();
            setReason('');
            setFrom('');
          },
        });
      }}
    >
      <h3>Revision {newest.number + 1}, not kept yet</h3>
      <ul>
        {changed.map((difference) => (
          <li key={difference.path}>{differenceWords(difference)}</li>
        ))}
      </ul>
      <MadeMeanwhile />
      {faults.map((fault) => (
        <p key={fault} className="warn fault" role="alert">
          {fault[0]!.toUpperCase() + fault.slice(1)}.
        </p>
      ))}
      {revise.isError && !isBehind && <ProblemNote problem={problemOf(revise.error)} />}
      <div className={styles.fields}>
        <TextField label="Who" size="small" value={who} onChange={(event) => setWho(event.target.value)} />
        <TextField
          label="Why"
          size="small"
          value={reason}
          onChange={(event) => setReason(event.target.value)}
        />
        <TextField
          label="From"
          type="date"
          size="small"
          value={from}
          onChange={(event) => setFrom(event.target.value)}
          slotProps={{ inputLabel: { shrink: true } }}
        />
        <Button
          type="submit"
          variant="contained"
          disabled={faults.length > 0 || isBehind || revise.isPending}
        >
          Keep it
        </Button>
        <Button onClick={letGo}>Let go</Button>
      </div>
    </form>
  );
}
