import { useSnackbar } from 'notistack';
import { useEffect, useState, useSyncExternalStore } from 'react';
import { Draft } from './draft.ts';

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
  const { enqueueSnackbar } = useSnackbar();
  const [draft] = useState(
    () =>
      new Draft<Base, Value>(base, {
        valueOf: callbacks.valueOf,
        save: callbacks.save,
        onOvertaken: (sentence) => {
          enqueueSnackbar(sentence, { variant: 'warning', autoHideDuration: 8000 });
          callbacks.refresh();
        },
        onFailed: (sentence) =>
          enqueueSnackbar(`The ${what} is not saved yet. ${sentence}`, { variant: 'error' }),
      }),
  );
  const { shown, saving } = useSyncExternalStore(draft.subscribe, draft.snapshot);
  useEffect(() => draft.follow(base), [draft, base]);
  useEffect(() => () => void draft.save(), [draft]);
  return { shown, saving, draft };
}
