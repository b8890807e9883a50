import type { Placement, Problem } from '@mivvy/core';
import type { Receipt } from '@mivvy/api';
import type { BesideFile } from '../files/beside-file.ts';

/** One file on its way to one destination. */
export interface Consignment {
  /** The file, whole and known to be what was checked. */
  path: string;
  fileName: string;
  bytes: number;
  sha256: string;
  /** Its captions and its cover, where it has them: they go with it, or it does not go. */
  beside: readonly BesideFile[];
  /** The same for every try: whoever honours it takes the file once. */
  key: string;
  /** An outlet's id, or a folder. */
  destination: string;
  placement: Placement;
  /** When it is to be shown, ISO 8601; null for at once. */
  publishAt: string | null;
  /** What was begun in earlier tries, for a connector that can go on where one broke off: its own word by a file's sum. */
  begun: Map<string, string>;
}

/** What became of a try. `again` may be tried once more, after `waitMs` at the soonest. */
export type Outcome =
  | { kind: 'arrived'; receipt: Receipt }
  | { kind: 'refused'; problem: Problem }
  | { kind: 'again'; problem: Problem; waitMs?: number };

/** What is known of a file where it went. */
export type Whereabouts =
  | { kind: 'unknown' }
  | { kind: 'nothing' }
  | { kind: 'there'; receipt: Receipt; state: 'waiting' | 'live' }
  | { kind: 'taken-down'; reason: string };

/**
 * A way of handing files over. A real outlet's is written after the example of the stand-ins' (`outlet-connector.ts`)
 * and put into the table of `connectors.ts`; nothing else needs to know of it.
 */
export interface Connector {
  /**
   * Hands a file over. Errors of the line and of the other side are outcomes, never thrown; only an abort throws.
   * Must not leave half a file at the destination.
   */
  send(
    consignment: Consignment,
    context: { signal: AbortSignal; progress: (fraction: number) => void },
  ): Promise<Outcome>;
  /** Looks what is there under the consignment's key: before every try, and afterwards until it is live. */
  look(consignment: Consignment): Promise<Whereabouts>;
  /** Takes a copy back that is not what was sent. */
  takeBack(consignment: Consignment): Promise<void>;
}
