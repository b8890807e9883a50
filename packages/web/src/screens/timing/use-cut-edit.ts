import { useQueryClient } from '@tanstack/react-query';
import { useSnackbar } from 'notistack';
import { problemLine } from '@mivvy/core';
import type { Cut } from '@mivvy/api';
import { problemOf } from '../../api/client.ts';
import { refreshProduction, saveCut, stepCut, type CutWork } from '../../api/queries.ts';
import { useDraft } from '../../parts/use-draft.ts';

/** A cut in the hand. */
export function useCutEdit(cut: Cut, productionId: string) {
  const client = useQueryClient();
  const { enqueueSnackbar } = useSnackbar();
  const { shown, saving, hand } = useDraft<Cut, CutWork>(cut, 'cut', {
    valueOf: (base) => base,
    save: (base, work) => saveCut(client, base, work),
    refresh: () => void refreshProduction(client, productionId),
  });
  const change = (patch: Partial<CutWork>) => {
    if (patch.kept?.length === 0) enqueueSnackbar('A cut keeps at least one frame.', { variant: 'warning' });
    else hand.take({ name: shown.name, kept: shown.kept, pace: shown.pace, joinMs: shown.joinMs, ...patch });
  };
  /** Takes the last change back, or does it again; what is in the hand is saved first, so that it can be taken back too. */
  const step = async (direction: 'undo' | 'redo') => {
    await hand.save();
    await stepCut(client, cut, direction).catch((error: unknown) =>
      enqueueSnackbar(problemLine(problemOf(error)), { variant: 'error' }),
    );
  };
  return { work: shown, change, saving, step };
}
