import { useQueryClient } from '@tanstack/react-query';
import { useSnackbar } from 'notistack';
import { problemLine, type Framing } from '@mivvy/core';
import type { Version } from '@mivvy/api';
import { problemOf } from '../../api/client.ts';
import { refreshProduction } from '../../api/cache.ts';
import { saveFraming, stepFraming } from '../../api/changes.ts';
import { useDraft } from '../../parts/use-draft.ts';

/** A version's framing in the hand. */
export interface FramingEdit {
  framing: Framing;
  /** The same at this very moment, for what happens between two drawings. */
  framingNow: () => Framing;
  setFraming: (framing: Framing) => void;
  saving: 'saved' | 'waiting' | 'sending' | 'failed';
  /** Takes the last change back, or does it again. */
  step: (direction: 'undo' | 'redo') => Promise<void>;
}

/** Takes a version's framing into the hand. */
export function useFramingEdit(version: Version): FramingEdit {
  const client = useQueryClient();
  const { enqueueSnackbar } = useSnackbar();
  const {
    shown: framing,
    saving,
    draft,
  } = useDraft<Version, Framing>(version, 'framing', {
    valueOf: (base) => base.framing,
    save: (base, value) => saveFraming(client, base, value),
    refresh: () => void refreshProduction(client, version.productionId),
  });
  /** Takes the last change back, or does it again; what is in the hand is saved first, so that it can be taken back too. */
  const step = async (direction: 'undo' | 'redo') => {
    if (!(await draft.save())) return;
    await stepFraming(client, version, direction).catch((error: unknown) =>
      enqueueSnackbar(problemLine(problemOf(error)), { variant: 'error' }),
    );
  };
  return {
    framing,
    framingNow: () => draft.snapshot().shown,
    setFraming: (value) => draft.take(value),
    saving,
    step,
  };
}
