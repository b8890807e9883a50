import type { Response } from 'express';

/** Answers that are on their way, by the session or token that asked: they end with it. */
export class Live {
  private readonly answers = new Map<string, Set<Response>>();

  /** Keeps an answer until it has been given. */
  add(by: string, response: Response): void {
    const own = this.answers.get(by) ?? new Set();
    this.answers.set(by, own.add(response));
    response.once('close', () => {
      own.delete(response);
      if (own.size === 0) this.answers.delete(by);
    });
  }

  /** Cuts off whatever still goes to some sessions or tokens: uploads, films, event streams. */
  cutOff(ended: readonly string[], but?: Response): void {
    for (const by of ended)
      for (const response of this.answers.get(by) ?? []) if (response !== but) response.socket?.destroy();
  }
}
