import { problemLine } from '@mivvy/core';
import { problemOf, RequestProblem } from '../api/client.ts';

/** How long the hand must rest before what it holds is saved, and before a failed save is tried again, milliseconds. */
const restMs = 350;
const againMs = 3000;

/** What the hand holds: something that is not saved yet, and how saving it goes. */
interface DraftState<Value> {
  /** What is to be shown: the draft, or the newest that is known to be saved. */
  shown: Value;
  draft: Value | null;
  saving: 'saved' | 'waiting' | 'sending' | 'failed';
}

export interface DraftCallbacks<Base, Value> {
  /** What of the thing is in the hand; the same object for as long as the thing is the same. */
  valueOf: (base: Base) => Value;
  save: (base: Base, value: Value) => Promise<Base>;
  /** Somebody else changed the thing meanwhile: show theirs, say so, and offer to put what was in the hand on top. */
  onOvertaken: (sentence: string, mine: Value) => void;
  onFailed: (sentence: string) => void;
}

/**
 * Something in the hand, such as a version's framing or a cut: changes show at once and are saved when the hand rests.
 * If another window changed the thing meanwhile, theirs is shown instead and that is said; what was in the hand can be put
 * on top of it. Nothing is overwritten unseen, and nothing is lost.
 */
export class Draft<Base extends { revision: number }, Value> {
  private state: DraftState<Value>;
  private readonly listeners = new Set<() => void>();
  private timer: ReturnType<typeof setTimeout> | undefined;
  /** What the hand rested on, oldest first: each is a step that can be taken back by itself, however slow saving is. */
  private readonly steps: Value[] = [];
  /** Steps are on their way, one after the other; whether all of them were saved. */
  private sending: Promise<boolean> | null = null;

  constructor(
    private base: Base,
    private readonly doors: DraftCallbacks<Base, Value>,
  ) {
    this.state = { shown: doors.valueOf(base), draft: null, saving: 'saved' };
  }

  snapshot = () => this.state;
  subscribe = (listener: () => void) => {
    this.listeners.add(listener);
    return () => this.listeners.delete(listener);
  };

  private set(patch: Partial<DraftState<Value>>): void {
    this.state = { ...this.state, ...patch };
    this.listeners.forEach((tell) => tell());
  }

  /**
   * The thing as the screens have it now. While something is in the hand, the server decides who was first; an answer
   * that was asked for before the last save is older than what is known, and is passed over.
   */
  follow(base: Base): void {
    if (this.state.draft !== null || base.revision < this.base.revision) return;
    const same = this.base.revision === base.revision && this.state.shown === this.doors.valueOf(base);
    this.base = base;
    if (!same) this.set({ shown: this.doors.valueOf(base) });
  }

  /** Takes a change into the hand. */
  take(value: Value): void {
    this.set({ shown: value, draft: value, saving: this.state.saving === 'sending' ? 'sending' : 'waiting' });
    this.saveAfter(restMs);
  }

  private saveAfter(ms: number): void {
    clearTimeout(this.timer);
    this.timer = setTimeout(() => void this.save(), ms);
  }

  /**
   * Saves what is in the hand now, after what is on its way.
   *
   * @returns whether all of it is saved; false also where somebody else was first
   */
  save(): Promise<boolean> {
    clearTimeout(this.timer);
    const { draft } = this.state;
    if (draft !== null && draft !== this.steps.at(-1)) this.steps.push(draft);
    if (this.steps.length > 0) this.sending ??= this.sendSteps();
    return this.sending ?? Promise.resolve(true);
  }

  private async sendSteps(): Promise<boolean> {
    let saved = true;
    while (saved && this.steps.length > 0) saved = await this.send(this.steps[0]!);
    this.sending = null;
    return saved;
  }

  private async send(step: Value): Promise<boolean> {
    this.set({ saving: 'sending' });
    try {
      this.base = await this.doors.save(this.base, step);
      this.steps.shift();
      this.set(
        this.state.draft === step
          ? { shown: this.doors.valueOf(this.base), draft: null, saving: 'saved' }
          : { saving: 'waiting' },
      );
      return true;
    } catch (error) {
      if (error instanceof RequestProblem && error.status === 409) {
        // What came while it was on its way is in the hand too.
        const mine = this.state.draft ?? step;
        clearTimeout(this.timer);
        this.steps.length = 0;
        this.set({ shown: this.doors.valueOf(this.base), draft: null, saving: 'saved' });
        this.doors.onOvertaken(problemLine(error.problem), mine);
      } else {
        this.set({ saving: 'failed' });
        this.doors.onFailed(problemLine(problemOf(error)));
        this.saveAfter(againMs);
      }
      return false;
    }
  }
}
