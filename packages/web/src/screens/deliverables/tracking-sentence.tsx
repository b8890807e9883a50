import { useSnackbar } from 'notistack';
import type { Version } from '@mivvy/api';
import { problemOf } from '../../api/client.ts';
import { useTrack } from '../../api/ledger.ts';
import { dayDistance, dayWords, isLate } from '../../parts/days.ts';
import { EditableText } from '../../parts/editable-text.tsx';
import { useThisProduction } from '../../parts/this-production.ts';
import { EditableDay } from '../../parts/tracking/editable-day.tsx';

/** When a deliverable is due and who has it, as a sentence that is changed where it stands. */
export function TrackingSentence({ version }: { version: Version }) {
  const production = useThisProduction();
  const track = useTrack(production.id);
  const { enqueueSnackbar } = useSnackbar();
  const change = (what: { dueOn?: string | null; holder?: string }) =>
    track.mutate(
      { versionIds: [version.id], ...what },
      { onError: (error) => enqueueSnackbar(problemOf(error).sentence, { variant: 'error' }) },
    );
  const due = version.dueOn ?? production.dueOn;
  const open = version.stage !== 'dispatched' && version.stage !== 'live';
  return (
    <p className="sentence">
      Due{' '}
      <EditableDay
        label="Due"
        value={version.dueOn}
        none={production.dueOn ? `${dayWords(production.dueOn)}, as the production` : 'on no day'}
        onChange={(dueOn) => change({ dueOn })}
      />
      {due && open && <span className={isLate(due) ? 'late' : ''}> ({dayDistance(due)})</span>}.{' '}
      <EditableText
        label="Who has it"
        value={version.holder}
        shown={version.holder || 'Nobody'}
        hint="A name; empty: nobody"
        wrong={(text) => (text.length > 60 ? 'at most 60 letters' : undefined)}
        onChange={(holder) => change({ holder })}
      />{' '}
      has it.
    </p>
  );
}
