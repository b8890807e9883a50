import { useQueryClient } from '@tanstack/react-query';
import { useSnackbar } from 'notistack';
import { useEffect, useState, useSyncExternalStore } from 'react';
import { problemLine, type Framing } from '@mivvy/core';
import type { Version } from '@mivvy/api';
import { problemOf } from '../../api/client.ts';
import { refreshProduction, saveFraming, stepFraming } from '../../api/queries.ts';
import { FramingDraft } from './framing-draft.ts';

/** A version's framing in the hand, kept for as long as the screen shows that version. */
export function useFramingEdit(version: Version) {
  const client = useQueryClient();
  const { enqueueSnackbar } = useSnackbar();
  const [hand] = useState(
    () =>
      new FramingDraft(version, {
        save: (base, framing) => saveFraming(client, base, framing),
        onOvertaken: (sentence) => {
          enqueueSnackbar(sentence, { variant: 'warning', autoHideDuration: 8000 });
          void refreshProduction(client, version.productionId);
        },
        onFailed: (sentence) => enqueueSnackbar(`The framing is not saved yet. ${sentence}`, { variant: 'error' }),
      }),
  );
  const { framing, saving } = useSyncExternalStore(hand.subscribe, hand.snapshot);
  useEffect(() => hand.follow(version), [hand, version]);
  // Leaving the screen saves what is in the hand.
  useEffect(() => () => void hand.save(), [hand]);
  /** Takes the last change back, or does it again; what is in the hand is saved first, so that it can be taken back too. */
  const step = async (direction: 'undo' | 'redo') => {
    await hand.save();
    await stepFraming(client, version, direction).catch((error: unknown) => enqueueSnackbar(problemLine(problemOf(error)), { variant: 'error' }));
  };
  return { framing, setFraming: (framing: Framing) => hand.take(framing), saving, step };
}
