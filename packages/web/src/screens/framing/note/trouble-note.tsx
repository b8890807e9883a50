import TextField from '@mui/material/TextField';
import { useSnackbar } from 'notistack';
import { useMemo, useState } from 'react';
import {
  durationLabel,
  frameRules,
  frameToSeconds,
  keepsWithin,
  listWords,
  problemLine,
  suggestMend,
  troubleMark,
  type Trouble,
} from '@mivvy/core';
import { problemOf } from '../../../api/client.ts';
import { useAccept } from '../../../api/changes.ts';
import { useThisProduction } from '../../../parts/this-production.ts';
import type { Planned } from '../../../parts/versions.ts';
import { useFraming } from '../framing-session.tsx';

/** One trouble of the shot at hand, with what would mend it. */
export function TroubleNote({ trouble, planned }: { trouble: Trouble; planned: Planned }) {
  const { version, master, units, unit, framing, frameSize, change } = useFraming();
  const { margin } = useThisProduction();
  const [asking, setAsking] = useState(false);
  const [reason, setReason] = useState('');
  const accept = useAccept();
  const { enqueueSnackbar } = useSnackbar();
  const facts = master.facts!.video;
  const mend = useMemo(() => {
    const keep = master.keeps.find((k) => k.id === trouble.keepId);
    if (!keep) return null;
    const how =
      trouble.code === 'keep-cut'
        ? { kind: 'cut' as const }
        : trouble.code === 'keep-margin'
          ? { kind: 'margin' as const }
          : { kind: 'blocked' as const, area: trouble.area ?? '' };
    return suggestMend(
      { keep, how, span: trouble.span },
      framing,
      units,
      unit,
      keepsWithin(master.keeps, facts.frames),
      facts.displayed,
      frameRules(version.placement!, frameSize, margin),
    );
  }, [trouble, framing, units, unit, master.keeps, facts, frameSize, margin, version.placement]);
  const seconds = durationLabel(frameToSeconds(trouble.span.to - trouble.span.from, facts.rate));
  const ways = mend
    ? [
        mend.zoomsOut ? 'zooming out' : '',
        Math.abs(mend.dx) >= 0.5
          ? `${Math.round(Math.abs(mend.dx))} px ${mend.dx > 0 ? 'right' : 'left'}`
          : '',
        Math.abs(mend.dy) >= 0.5 ? `${Math.round(Math.abs(mend.dy))} px ${mend.dy > 0 ? 'down' : 'up'}` : '',
      ].filter(Boolean)
    : [];
  return (
    <div className={`warn ${trouble.severity === 'fault' ? 'fault' : ''}`} style={{ marginBottom: 10 }}>
      {trouble.sentence.replace(/\.$/, '')}
      {trouble.keepId && ` for ${seconds}`}.{' '}
      {mend ? (
        <>
          Moving the window <b>{listWords(ways)}</b> clears it.{' '}
          <button className="fix" onClick={() => change(mend.framing)}>
            Move it
          </button>
        </>
      ) : trouble.keepId ? (
        'No still window here shows it clear of everything else.'
      ) : (
        trouble.mend
      )}{' '}
      <button className="fix" onClick={() => setAsking(!asking)}>
        Accept
      </button>
      {asking && (
        <form
          style={{ display: 'flex', gap: 8, marginTop: 8 }}
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
