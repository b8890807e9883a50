import type { Standing } from '@mivvy/core';

type Shape = 'pass' | 'look' | 'fail' | 'act' | 'idle';

/** How each standing is stamped: a shape of its own, and a word. */
const standings: Record<Standing, { shape: Shape; word: string }> = {
  blocked: { shape: 'fail', word: 'Breaks a rule' },
  'at-fault': { shape: 'fail', word: 'At fault' },
  'to-make': { shape: 'act', word: 'Ready to export' },
  queued: { shape: 'idle', word: 'In the queue' },
  making: { shape: 'idle', word: 'Being made' },
  passed: { shape: 'pass', word: 'Passed' },
  'failed-check': { shape: 'fail', word: 'Failed its check' },
  failed: { shape: 'fail', word: 'Not made' },
  behind: { shape: 'look', word: 'Behind' },
  comparing: { shape: 'idle', word: 'Being compared' },
  'changed-on-disk': { shape: 'fail', word: 'Changed on disk' },
};

export function Stamp({ shape, children }: { shape: Shape; children: React.ReactNode }) {
  return (
    <span className={`stamp ${shape}`}>
      <i aria-hidden />
      {children}
    </span>
  );
}

export function StandingStamp({ standing }: { standing: Standing }) {
  const { shape, word } = standings[standing];
  return <Stamp shape={shape}>{word}</Stamp>;
}

export const standingWord = (standing: Standing): string => standings[standing].word;
