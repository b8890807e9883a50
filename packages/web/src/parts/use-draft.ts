import { useSnackbar } from 'notistack';
import { createElement, useEffect, useState, useSyncExternalStore } from 'react';
import { Draft } from './draft.ts';
import { OnTop } from './on-top.tsx';

/** Something of a screen in the hand, kept for as long as the screen shows it; leaving the screen saves it. */
export function useDraft<Base extends { revision: number }, Value>(
  base: Base,
  what: string,
  callbacks: {
    valueOf: (base: Base) => Value;
    save: (base: Base, value: Value) => Promise<Base>;
    refresh: () => void;
  },
) {
  const { enqueueSnackbar, closeSnackbar } = useSnackbar();
  const [draft] = useState(() => {
    const draft: Draft<Base, Value> = new Draft<Base, Value>(base, {
      valueOf: callbacks.valueOf,
      save: callbacks.save,
      onOvertaken: (sentence, mine) => {
        const key = enqueueSnackbar(sentence, {
          variant: 'warning',
          autoHideDuration: 20_000,
          action: createElement(OnTop, {
            onClick: () => {
              closeSnackbar(key);
              draft.take(mine);
            },
          }),
        });
        callbacks.refresh();
      },
      onFailed: (sentence) =>
        enqueueSnackbar(`The ${what} is not saved yet. ${sentence}`, { variant: 'error' }),
    });
    return draft;
  });
  const { shown, saving } = useSyncExternalStore(draft.subscribe, draft.snapshot);
  useEffect(() => draft.follow(base), [draft, base]);
  useEffect(() => () => void draft.save(), [draft]);
  return { shown, saving, draft };
}
