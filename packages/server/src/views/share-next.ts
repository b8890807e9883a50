/**
 * Makes an answer for many who ask for the same at once. Who asks while it is being made may have changed something
 * since that began, so all of those share the making that follows it: at most two for any crowd.
 */
export class ShareNext<Answer> {
  private readonly running = new Map<string, Promise<Answer>>();
  private readonly next = new Map<string, Promise<Answer>>();

  /** The answer to `key` as it is now or later, made by `make` once for all who wait for it. */
  ask(key: string, make: () => Promise<Answer>): Promise<Answer> {
    const waiting = this.next.get(key);
    if (waiting) return waiting;
    const running = this.running.get(key);
    if (!running) return this.start(key, make);
    const after = running
      .catch(() => undefined)
      .then(() => {
        this.next.delete(key);
        return this.start(key, make);
      });
    this.next.set(key, after);
    return after;
  }

  private start(key: string, make: () => Promise<Answer>): Promise<Answer> {
    const started = make().finally(() => {
      if (this.running.get(key) === started) this.running.delete(key);
    });
    this.running.set(key, started);
    return started;
  }
}
