import type { Stage, Standing } from '@mivvy/core';
import type { Version } from '@mivvy/api';

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

/** How each part of the whole way is stamped. */
const stages: Record<Stage, { shape: Shape; word: string }> = {
  planned: { shape: 'idle', word: 'Planned' },
  'at-fault': { shape: 'fail', word: 'At fault' },
  framed: { shape: 'act', word: 'Ready to export' },
  making: { shape: 'idle', word: 'Being made' },
  'not-made': { shape: 'fail', word: 'Not made' },
  failed: { shape: 'fail', word: 'Failed its check' },
  behind: { shape: 'look', word: 'Behind' },
  passed: { shape: 'pass', word: 'Passed' },
  'in-review': { shape: 'idle', word: 'In review' },
  'changes-asked': { shape: 'look', word: 'Changes asked' },
  approved: { shape: 'pass', word: 'Approved' },
  dispatched: { shape: 'pass', word: 'Dispatched' },
  live: { shape: 'pass', word: 'Live' },
};

export function StageStamp({ stage }: { stage: Stage }) {
  const { shape, word } = stages[stage];
  return <Stamp shape={shape}>{word}</Stamp>;
}

export const stageWord = (stage: Stage): string => stages[stage].word;

/** A version's place on the whole way, told more exactly while its file is still being made. */
export function VersionStamp({ version }: { version: Version }) {
  return version.standing === 'passed' ? (
    <StageStamp stage={version.stage} />
  ) : (
    <StandingStamp standing={version.standing} />
  );
}

export const versionWord = (version: Version): string =>
  version.standing === 'passed' ? stageWord(version.stage) : standingWord(version.standing);
