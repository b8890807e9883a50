import { useHotkeys, type HotkeyCallback, type Options } from 'react-hotkeys-hook';

/**
 * Keys of a screen. They are heard wherever the focus is, except where text is typed: the play head's axis is a slider,
 * and whoever has just clicked on it still works by key.
 */
export function useKeys(
  keys: string,
  callback: HotkeyCallback,
  optionsOrDeps?: Options | readonly unknown[],
  deps?: readonly unknown[],
): void {
  const options = Array.isArray(optionsOrDeps) || !optionsOrDeps ? {} : (optionsOrDeps as Options);
  const own = Array.isArray(optionsOrDeps) ? (optionsOrDeps as readonly unknown[]) : deps;
  // Without a list of what it depends on, the newest callback is called.
  useHotkeys(keys, callback, { ...options, enableOnFormTags: ['slider'] }, own && [...own]);
}
