import { useSnackbar } from 'notistack';
import { useState } from 'react';
import { useNavigate } from 'react-router';
import { problemLine } from '@mivvy/core';
import type { Version } from '@mivvy/api';
import { problemOf } from '../../../api/client.ts';
import { useRemoveVersion } from '../../../api/changes.ts';

/** Takes a version out of the production, asking first. */
export function RemoveVersion({ version }: { version: Version }) {
  const [asking, setAsking] = useState(false);
  const removal = useRemoveVersion(version.productionId);
  const navigate = useNavigate();
  const { enqueueSnackbar } = useSnackbar();
  if (!asking)
    return (
      <button className="fix tall" onClick={() => setAsking(true)}>
        Remove this version
      </button>
    );
  return (
    <p className="warn fault">
      Remove it{version.deliverable && ' with the files made for it'}?{' '}
      <button
        className="fix"
        disabled={removal.isPending}
        onClick={() =>
          removal.mutate(version.id, {
            onSuccess: () => void navigate(`/productions/${version.productionId}`),
            onError: (error) => enqueueSnackbar(problemLine(problemOf(error)), { variant: 'error' }),
          })
        }
      >
        Remove
      </button>
      {' · '}
      <button className="fix" onClick={() => setAsking(false)}>
        Keep it
      </button>
    </p>
  );
}
