import { problemLine, type Framing } from '@mivvy/core';
import type { Version } from '@mivvy/api';
import { problemOf, RequestProblem } from '../../api/client.ts';

/** How long the hand must rest before a framing is saved, and before a failed save is tried again, milliseconds. */
const restMs = 350;
const againMs = 3000;

/** What the hand holds: a framing that is not saved yet, and how saving it goes. */
interface DraftState {
  /** What is to be shown: the draft, or the newest framing that is known to be saved. */
  framing: Framing;
  draft: Framing | null;
  saving: 'saved' | 'waiting' | 'sending' | 'failed';
}

export interface DraftDoors {
  save: (version: Version, framing: Framing) => Promise<Version>;
  /** Somebody else changed the version meanwhile: show theirs and say so. */
  onOvertaken: (sentence: string) => void;
  onFailed: (sentence: string) => void;
}

/**
 * A version's framing in the hand: changes show at once and are saved when the hand rests. If another window changed
 * the version meanwhile, its framing is shown instead and that is said; nothing is overwritten unseen.
 */
export class FramingDraft {
  private state: DraftState;
  private readonly listeners = new Set<() => void>();
  private timer: ReturnType<typeof setTimeout> | undefined;

  constructor(
    private base: Version,
    private readonly doors: DraftDoors,
  ) {
    this.state = { framing: base.framing, draft: null, saving: 'saved' };
  }

  snapshot = () => this.state;
  subscribe = (listener: () => void) => {
    this.listeners.add(listener);
    return () => this.listeners.delete(listener);
  };

  private set(patch: Partial<DraftState>): void {
    this.state = { ...this.state, ...patch };
    this.listeners.forEach((tell) => tell());
  }

  /**
   * The version as the screens have it now. While something is in the hand, the server decides who was first; an answer
   * that was asked for before the last save is older than what is known, and is passed over.
   */
  follow(version: Version): void {
    if (this.state.draft !== null || version.revision < this.base.revision) return;
    this.base = version;
    if (this.state.framing !== version.framing) this.set({ framing: version.framing });
  }

  /** Takes a changed framing into the hand. */
  take(framing: Framing): void {
    this.set({ framing, draft: framing, saving: this.state.saving === 'sending' ? 'sending' : 'waiting' });
    if (this.state.saving !== 'sending') this.saveAfter(restMs);
  }

  private saveAfter(ms: number): void {
    clearTimeout(this.timer);
    this.timer = setTimeout(() => void this.save(), ms);
  }

  /** Saves what is in the hand now. */
  async save(): Promise<void> {
    clearTimeout(this.timer);
    const wanted = this.state.draft;
    if (!wanted || this.state.saving === 'sending') return;
    this.set({ saving: 'sending' });
    try {
      this.base = await this.doors.save(this.base, wanted);
      const done = this.state.draft === wanted;
      this.set(done ? { framing: this.base.framing, draft: null, saving: 'saved' } : { saving: 'waiting' });
      // A change that came while this one was on its way is saved next.
      if (!done) this.saveAfter(restMs);
    } catch (error) {
      if (error instanceof RequestProblem && error.status === 409) {
        this.set({ framing: this.base.framing, draft: null, saving: 'saved' });
        this.doors.onOvertaken(problemLine(error.problem));
      } else {
        this.set({ saving: 'failed' });
        this.doors.onFailed(problemLine(problemOf(error)));
        this.saveAfter(againMs);
      }
    }
  }
}
