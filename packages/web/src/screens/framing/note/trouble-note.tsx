import TextField from '@mui/material/TextField';
import { useSnackbar } from 'notistack';
import { useMemo, useState } from 'react';
import {
  durationLabel,
  frameRules,
  frameToSeconds,
  hidingOf,
  problemLine,
  suggestMend,
  troubleMark,
  type Trouble,
} from '@mivvy/core';
import { problemOf } from '../../../api/client.ts';
import { useAccept, useMasterWork } from '../../../api/changes.ts';
import { useSeen } from '../../../parts/seen.tsx';
import { unbroken } from '../../../parts/joined.ts';
import { useThisProduction } from '../../../parts/this-production.ts';
import type { Planned } from '../../../parts/versions.ts';
import { useFraming } from '../framing-session.tsx';
import styles from './trouble-note.module.css';
import { movedWords, WaysOut } from './ways-out.tsx';

/** One trouble of the shot at hand, with what would mend it. */
export function TroubleNote({ trouble, planned }: { trouble: Trouble; planned: Planned }) {
  const { version, master, keeps, units, unit, framing, frameSize, change } = useFraming();
  const { margin } = useThisProduction();
  const [asking, setAsking] = useState(false);
  const [looking, setLooking] = useState(false);
  const [reason, setReason] = useState('');
  const accept = useAccept();
  const { enqueueSnackbar } = useSnackbar();
  const facts = master.facts!.video;
  const seen = useSeen().get(master.id);
  const work = useMasterWork(master.id);
  const things = useMemo(() => [...keeps, ...(seen?.things ?? [])], [keeps, seen]);
  const mend = useMemo(() => {
    const id = trouble.keepId ?? trouble.seen?.id;
    const keep = things.find((k) => k.id === id);
    if (!keep) return null;
    const how = hidingOf(trouble);
    return suggestMend(
      { keep, how, span: trouble.span },
      framing,
      units,
      unit,
      things,
      facts.displayed,
      frameRules(version.placement!, frameSize, margin),
    );
  }, [trouble, framing, units, unit, things, facts, frameSize, margin, version.placement]);
  const seconds = durationLabel(frameToSeconds(trouble.span.to - trouble.span.from, facts.rate));
  return (
    <div className={`warn ${trouble.severity === 'fault' ? 'fault' : ''} ${styles.warning}`}>
      {unbroken(trouble.sentence.replace(/\.$/, ''))}
      {trouble.keepId && ` for ${unbroken(seconds)}`}.{' '}
      {mend ? (
        <>
          Moving the window <b>{movedWords(mend)}</b> clears it.{' '}
          <button className="fix" onClick={() => change(mend.framing)}>
            Move it
          </button>
        </>
      ) : (trouble.keepId ?? trouble.seen) ? (
        'No still window here shows it clear of everything else.'
      ) : (
        trouble.mend
      )}{' '}
      {(trouble.keepId ?? trouble.seen) && (
        <>
          <button className="fix" onClick={() => setLooking(true)}>
            See the ways out
          </button>{' '}
        </>
      )}
      {trouble.seen && (
        <>
          <button
            className="fix"
            disabled={work.isPending}
            onClick={() =>
              work.mutate(
                {
                  kind: 'work',
                  revision: master.revision,
                  unimportant: [...master.unimportant, trouble.seen!.id],
                },
                {
                  onError: (error) => enqueueSnackbar(problemLine(problemOf(error)), { variant: 'error' }),
                },
              )
            }
          >
            It does not matter
          </button>{' '}
        </>
      )}
      <button className="fix" onClick={() => setAsking(!asking)}>
        Accept
      </button>
      {looking && <WaysOut trouble={trouble} things={things} onClose={() => setLooking(false)} />}
      {asking && (
        <form
          className={styles.form}
          onSubmit={(event) => {
            event.preventDefault();
            if (!reason.trim()) return;
            accept.mutate(
              {
                versionId: version.id,
                mark: troubleMark(trouble, planned.planned.plan, master.keeps),
                reason,
              },
              {
                onSuccess: () => setAsking(false),
                onError: (error) => enqueueSnackbar(problemLine(problemOf(error)), { variant: 'error' }),
              },
            );
          }}
        >
          <TextField
            label="Why it is in order"
            value={reason}
            onChange={(event) => setReason(event.target.value)}
            autoFocus
            fullWidth
          />
          <button className="fix tall" type="submit" disabled={!reason.trim() || accept.isPending}>
            Accept
          </button>
        </form>
      )}
    </div>
  );
}
