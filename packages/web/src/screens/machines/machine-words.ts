import { countWords } from '@mivvy/core';
import type { Machine } from '@mivvy/api';

type Record = Pick<Machine, 'made' | 'speed'>;

/** What a machine has made, and how fast; beside the server where both have made something. */
export function recordWords({ made, speed }: Record, server?: Record): string {
  if (made === 0) return 'It has made nothing yet.';
  const all = `It has made ${countWords(made, 'file')}`;
  if (speed === null) return `${all}.`;
  const pace = speed.toFixed(speed < 1 ? 2 : 1);
  const beside =
    server?.speed != null ? `, ${(speed / server.speed).toFixed(1)} × as fast as the server` : '';
  return `${all}${made > 1 ? ', the last of them' : ''} at ${pace} × real time${beside}.`;
}

/** How a machine stands, and the shape of its stamp. */
export function standingOf(machine: Machine): {
  shape: 'pass' | 'look' | 'fail' | 'act' | 'idle';
  word: string;
} {
  if (!machine.there) return { shape: 'look', word: 'Not heard of' };
  if (machine.trouble) return { shape: 'fail', word: 'Takes nothing' };
  if (machine.draining && machine.doing.length) return { shape: 'act', word: 'Finishing' };
  if (machine.draining) return { shape: 'idle', word: 'Takes nothing' };
  return machine.doing.length ? { shape: 'act', word: 'At work' } : { shape: 'idle', word: 'Waits' };
}

/** How many at once it may do, as a choice. */
export const limits = ['bears', '1', '2', '3', '4', '6', '8'] as const;
export type Limit = (typeof limits)[number];
export const limitWords = (limit: string): string =>
  limit === 'bears'
    ? 'as many at once as it bears'
    : limit === '1'
      ? 'one at a time'
      : `${limit} at once at most`;
