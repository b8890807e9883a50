import { useQueryClient } from '@tanstack/react-query';
import { useSnackbar } from 'notistack';
import { problemLine, type Framing } from '@mivvy/core';
import type { Version } from '@mivvy/api';
import { problemOf } from '../../api/client.ts';
import { refreshProduction, saveFraming, stepFraming } from '../../api/queries.ts';
import { useDraft } from '../../parts/use-draft.ts';

/** A version's framing in the hand. */
export function useFramingEdit(version: Version) {
  const client = useQueryClient();
  const { enqueueSnackbar } = useSnackbar();
  const {
    shown: framing,
    saving,
    hand,
  } = useDraft<Version, Framing>(version, 'framing', {
    valueOf: (base) => base.framing,
    save: (base, value) => saveFraming(client, base, value),
    refresh: () => void refreshProduction(client, version.productionId),
  });
  /** Takes the last change back, or does it again; what is in the hand is saved first, so that it can be taken back too. */
  const step = async (direction: 'undo' | 'redo') => {
    await hand.save();
    await stepFraming(client, version, direction).catch((error: unknown) =>
      enqueueSnackbar(problemLine(problemOf(error)), { variant: 'error' }),
    );
  };
  return { framing, setFraming: (value: Framing) => hand.take(value), saving, step };
}
