import type { Move } from '@mivvy/core';

/** What each kind of move is called. */
export const moveWords: Record<Move['kind'], { words: string; more: string; short: string }> = {
  hold: { words: 'holds still', more: 'one window for the whole shot', short: 'hold' },
  glide: { words: 'glides', more: 'once, from one window to another', short: 'glide' },
  path: { words: 'passes through keyframes', more: 'as many as are set', short: 'moves' },
  follow: { words: 'follows', more: 'a subject, on a way that is worked out', short: 'follows' },
};
