import { canonicalJson } from '../canonical.ts';
import type { RenderPlan } from '../render/plan-schema.ts';

/** Where a version's deliverable stands. One word for each; the interface stamps it with a shape of its own. */
export type Standing =
  | 'blocked'
  | 'at-fault'
  | 'to-make'
  | 'queued'
  | 'making'
  | 'passed'
  | 'failed-check'
  | 'failed'
  | 'behind'
  | 'comparing'
  | 'changed-on-disk';

/** Whether a file on the disk is the one that was made: known to be, known not to be, or not known yet. */
export type OnDisk = 'intact' | 'comparing' | 'changed';

/** What a standing is worked out from. */
export interface StandingInput {
  /** Something stops it from being exported. */
  refused: boolean;
  /** It has a fault that nobody has accepted: it can be exported, and somebody should know of it before. */
  faulty: boolean;
  /** State of the newest export job, if there is one. */
  job: 'queued' | 'running' | 'done' | 'failed' | 'cancelled' | undefined;
  /** True when that job started after the newest file was made. */
  jobNewer: boolean;
  /** The newest file, if there is one. */
  file: { fingerprint: string; passed: boolean; onDisk: OnDisk } | undefined;
  /** Fingerprint of the plan as it stands now; undefined while the master is still being read. */
  current: string | undefined;
}

/**
 * Works out a deliverable's standing: the one place where it is decided, for every screen and every count. A file's own
 * failure is told before the version's faults, and these before anything that says it is in order.
 */
export function standingOf(input: StandingInput): Standing {
  if (input.job === 'running') return 'making';
  if (input.job === 'queued') return 'queued';
  if (input.job === 'failed' && input.jobNewer) return 'failed';
  if (input.file?.onDisk === 'changed') return 'changed-on-disk';
  if (input.file?.onDisk === 'comparing') return 'comparing';
  if (input.refused) return 'blocked';
  const upToDate = input.current === undefined || input.file?.fingerprint === input.current;
  if (input.file && upToDate && !input.file.passed) return 'failed-check';
  if (input.faulty) return 'at-fault';
  if (!input.file) return 'to-make';
  return upToDate ? 'passed' : 'behind';
}

/** Standings whose version can be exported, and whose newest file, if there is one, is not what it should be. */
export const exportable: readonly Standing[] = ['at-fault', 'to-make', 'behind', 'failed', 'failed-check'];

/** Why a file is behind: the parts of its plan that differ from the plan as it stands, in plain words. */
export function behindReasons(made: RenderPlan, now: RenderPlan): string[] {
  const differs = (pick: (plan: RenderPlan) => unknown) =>
    canonicalJson(pick(made)) !== canonicalJson(pick(now));
  const reasons: string[] = [];
  if (differs((p) => p.master.sha256)) reasons.push('the master was replaced');
  if (differs((p) => p.framing)) reasons.push('the framing was moved');
  if (differs((p) => p.kept)) reasons.push('the cut changed');
  if (differs((p) => p.pace)) reasons.push('the pace changed');
  if (differs((p) => p.frame)) reasons.push('the frame size changed');
  if (differs((p) => p.rate)) reasons.push('the frame rate changed');
  if (differs((p) => p.video)) reasons.push('the encoding numbers changed');
  if (differs((p) => p.audio && { ...p.audio, joinMs: 0 })) reasons.push('the sound’s numbers changed');
  else if (!differs((p) => p.kept) && differs((p) => p.audio?.joinMs))
    reasons.push('the joins of the sound changed');
  if (differs((p) => [p.container, p.maxBytes])) reasons.push('the container or size limit changed');
  return reasons.length ? reasons : ['it was made by an earlier release of Mivvy'];
}
