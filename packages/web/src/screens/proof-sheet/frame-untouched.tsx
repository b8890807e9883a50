import Button from '@mui/material/Button';
import { useSnackbar } from 'notistack';
import { countWords, problemLine, usualLively } from '@mivvy/core';
import { problemOf } from '../../api/client.ts';
import { useFollow } from '../../api/changes.ts';
import { usePreferences } from '../../api/queries.ts';
import { useSeen } from '../../parts/seen.tsx';
import { useThisProduction } from '../../parts/this-production.ts';
import { standsInCentre } from './framed-words.ts';

/** Frames every version that still stands in the centre although its film has been looked at: one press, where it is seen. */
export function FrameUntouched() {
  const production = useThisProduction();
  const seen = useSeen();
  const preferences = usePreferences().data;
  const follow = useFollow(production.id);
  const { enqueueSnackbar } = useSnackbar();
  const untouched = production.versions.filter((v) => {
    const master = production.masters.find((m) => m.id === v.masterId);
    return master && v.placement && standsInCentre(v, master) && seen.get(v.masterId)?.look.state === 'done';
  });
  if (untouched.length === 0 || !preferences) return null;
  const run = () =>
    follow.mutate(
      { versionIds: untouched.map((v) => v.id), lively: usualLively, handMade: false },
      {
        onSuccess: ({ words }) => words.forEach((w) => enqueueSnackbar(w)),
        onError: (error) => enqueueSnackbar(problemLine(problemOf(error)), { variant: 'error' }),
      },
    );
  return (
    <div className="untouched">
      <p>{countWords(untouched.length, 'version stands', 'versions stand')} in the centre.</p>
      <Button variant="outlined" size="small" disabled={follow.isPending} onClick={run}>
        Frame by what is seen
      </Button>
    </div>
  );
}
