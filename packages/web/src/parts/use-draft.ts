import { useSnackbar } from 'notistack';
import { useEffect, useState, useSyncExternalStore } from 'react';
import { Draft } from './draft.ts';

/** Something of a screen in the hand, kept for as long as the screen shows it; leaving the screen saves it. */
export function useDraft<Base extends { revision: number }, Value>(
  base: Base,
  what: string,
  doors: {
    valueOf: (base: Base) => Value;
    save: (base: Base, value: Value) => Promise<Base>;
    refresh: () => void;
  },
) {
  const { enqueueSnackbar } = useSnackbar();
  const [hand] = useState(
    () =>
      new Draft<Base, Value>(base, {
        valueOf: doors.valueOf,
        save: doors.save,
        onOvertaken: (sentence) => {
          enqueueSnackbar(sentence, { variant: 'warning', autoHideDuration: 8000 });
          doors.refresh();
        },
        onFailed: (sentence) =>
          enqueueSnackbar(`The ${what} is not saved yet. ${sentence}`, { variant: 'error' }),
      }),
  );
  const { shown, saving } = useSyncExternalStore(hand.subscribe, hand.snapshot);
  useEffect(() => hand.follow(base), [hand, base]);
  useEffect(() => () => void hand.save(), [hand]);
  return { shown, saving, hand };
}
