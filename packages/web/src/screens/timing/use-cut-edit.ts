import { useQueryClient } from '@tanstack/react-query';
import { useSnackbar } from 'notistack';
import { problemLine } from '@mivvy/core';
import type { Cut } from '@mivvy/api';
import { problemOf } from '../../api/client.ts';
import { refreshProduction } from '../../api/cache.ts';
import { saveCut, stepCut, type CutWork } from '../../api/changes.ts';
import { useDraft } from '../../parts/use-draft.ts';

/** A cut in the hand. */
export interface CutEdit {
  work: CutWork;
  /** The same at this very moment, for what happens between two drawings. */
  workNow: () => CutWork;
  change: (patch: Partial<CutWork>) => void;
  saving: 'saved' | 'waiting' | 'sending' | 'failed';
  step: (direction: 'undo' | 'redo') => Promise<void>;
}

/** Takes a cut into the hand. */
export function useCutEdit(cut: Cut, productionId: string): CutEdit {
  const client = useQueryClient();
  const { enqueueSnackbar } = useSnackbar();
  const { shown, saving, draft } = useDraft<Cut, CutWork>(cut, 'cut', {
    valueOf: (base) => base,
    save: (base, work) => saveCut(client, base, work),
    refresh: () => void refreshProduction(client, productionId),
  });
  const workNow = () => draft.snapshot().shown;
  const change = (patch: Partial<CutWork>) => {
    if (patch.kept?.length === 0)
      return void enqueueSnackbar('A cut keeps at least one frame.', { variant: 'warning' });
    const { name, kept, pace, joinMs } = workNow();
    draft.take({ name, kept, pace, joinMs, ...patch });
  };
  /** Takes the last change back, or does it again; what is in the hand is saved first, so that it can be taken back too. */
  const step = async (direction: 'undo' | 'redo') => {
    if (!(await draft.save())) return;
    await stepCut(client, cut, direction).catch((error: unknown) =>
      enqueueSnackbar(problemLine(problemOf(error)), { variant: 'error' }),
    );
  };
  return { work: shown, workNow, change, saving, step };
}
