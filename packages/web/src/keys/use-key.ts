import { useHotkeys, type HotkeyCallback } from 'react-hotkeys-hook';
import { matches } from './match.ts';
import { keyAction, type KeyName } from './registry.ts';

interface UseKeyOptions {
  /** False while the key does nothing here. */
  enabled?: boolean;
  /** It works while text is typed, too: for keys that type nothing. */
  whileTyping?: boolean;
}

/**
 * Binds a key of the table; the callback of the newest drawing is called. It is heard wherever the focus is, except
 * where text is typed: the play head's axis is a slider, and whoever has just clicked on it still works by key.
 */
export function useKey(
  name: KeyName,
  callback: HotkeyCallback,
  { enabled = true, whileTyping = false }: UseKeyOptions = {},
): void {
  const { keys, instead } = keyAction(name);
  // Every press is heard, and told by the character that it types: the package tells by the place on the keyboard.
  useHotkeys('*', callback, {
    enabled,
    enableOnFormTags: whileTyping ? true : ['slider'],
    ignoreModifiers: true,
    ignoreEventWhen: (event) => !keys.some((key) => matches(event, key)),
    preventDefault: instead ?? false,
  });
}
