import { canonicalJson } from '../canonical.ts';
import type { Framing } from '../framing/framing.ts';
import type { RenderPlan } from '../render/plan-schema.ts';
import type { Shot } from '../shots/shots.ts';
import { listWords, nounFor } from '../words.ts';

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
  /** State of the newest export job, if there is one: every file is of the newest job or of an older one. */
  job: 'queued' | 'running' | 'done' | 'failed' | 'cancelled' | undefined;
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
  if (input.job === 'failed') return 'failed';
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

/** Captions without where each stands. */
const wherever = (captions: RenderPlan['captions']) =>
  captions && { ...captions, cues: captions.cues.map(({ y: _y, ...cue }) => cue) };

/** It plays the whole film, from its first frame to its last. */
const playsAll = ({ kept, master }: RenderPlan): boolean =>
  kept.length === 1 && kept[0]!.from === 0 && kept[0]!.to === master.frames;

/** The shots, from 1, that two framings show otherwise. */
function reframedShots(made: Framing, now: Framing, shots: readonly Shot[], frames: number): number[] {
  const within = ({ stretches }: Framing, from: number, to: number) =>
    canonicalJson(
      stretches
        .map((stretch, i) => ({ ...stretch, to: stretches[i + 1]?.from ?? frames }))
        .filter((stretch) => stretch.from < to && stretch.to > from)
        .map(({ from: start, to: end, move, fill }) => [
          Math.max(start, from),
          Math.min(end, to),
          move,
          fill,
        ]),
    );
  return shots.flatMap(({ from }, i) => {
    const to = shots[i + 1]?.from ?? frames;
    return within(made, from, to) === within(now, from, to) ? [] : [i + 1];
  });
}

/** More shots than this are counted and not named. */
const mostNamed = 6;

function framingReason(made: RenderPlan, now: RenderPlan, shots: readonly Shot[]): string {
  const moved = reframedShots(made.framing, now.framing, shots, now.master.frames);
  if (moved.length === 0 || moved.length === shots.length) return 'the framing was moved';
  if (moved.length > mostNamed) return `the framing of ${moved.length} shots was moved`;
  return `the framing of ${nounFor(moved.length, 'shot')} ${listWords(moved.map(String))} was moved`;
}

/**
 * Why a file is behind, in plain words: what somebody did, not which field differs. With the master's shots the
 * framing's change is told down to them.
 */
export function behindReasons(made: RenderPlan, now: RenderPlan, shots: readonly Shot[] = []): string[] {
  const differs = (pick: (plan: RenderPlan) => unknown) =>
    canonicalJson(pick(made)) !== canonicalJson(pick(now));
  const reasons: string[] = [];
  const otherFilm = differs((p) => p.master.sha256);
  const textless = differs((p) => p.master.textless);
  if (textless)
    reasons.push(
      now.master.textless
        ? 'it is drawn from the textless master now'
        : 'it is drawn from the film itself now',
    );
  else if (otherFilm)
    reasons.push(now.master.textless ? 'the textless master was replaced' : 'the master was replaced');
  if (differs((p) => p.framing)) reasons.push(framingReason(made, now, otherFilm && !textless ? [] : shots));
  // A version without a cut plays what there is: of a longer film, more.
  const cut = differs((p) => p.kept) && !(playsAll(made) && playsAll(now));
  if (cut) reasons.push('the cut changed');
  if (differs((p) => p.pace)) reasons.push('the pace changed');
  // Another film brings its own size and rate along.
  if (differs((p) => p.frame) && !otherFilm) reasons.push('the frame size changed');
  if (differs((p) => p.rate) && !otherFilm) reasons.push('the frame rate changed');
  if (differs((p) => [wherever(p.captions), p.sidecar])) reasons.push('the captions changed');
  else if (differs((p) => p.captions)) reasons.push('the captions make room for what is behind them');
  if (differs((p) => p.layers)) reasons.push('what is laid over the picture changed');
  if (differs((p) => p.sharpen)) reasons.push('the sharpening changed');
  if (differs((p) => p.cover && { ...p.cover, framing: null })) reasons.push('the cover changed');
  if (differs((p) => p.video) && !otherFilm) reasons.push('the encoding numbers changed');
  if (differs((p) => p.audio && { ...p.audio, joinMs: 0, stream: 0 }))
    reasons.push('the sound’s numbers changed');
  else if (!cut && differs((p) => p.audio?.joinMs)) reasons.push('the joins of the sound changed');
  if (differs((p) => [p.container, p.maxBytes])) reasons.push('the container or size limit changed');
  return reasons.length ? reasons : ['it was made by an earlier release of Mivvy'];
}
