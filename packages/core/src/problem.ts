/**
 * Something that went wrong, as a value: a stable code for programs, a sentence for a producer, and what to do about it.
 * Problems travel through results, HTTP answers and job rows; exceptions are for our own mistakes only.
 */
export interface Problem {
  /** Stable kebab-case code, e.g. `not-a-video`. */
  code: string;
  /** What happened, in one sentence without jargon. */
  sentence: string;
  /** What to do about it, in one sentence; empty where nothing can be done. */
  mend: string;
  /** How many bytes must be free before it goes on, where want of room is foreseen. */
  bytesNeeded?: number | undefined;
}

/** Either a value or the problem that stands in its place. */
export type Result<T> = { ok: true; value: T } | { ok: false; problem: Problem };

/** A successful {@link Result}. */
export function ok<T>(value: T): Result<T> {
  return { ok: true, value };
}

/** A failed {@link Result}. */
export function fail<T = never>(code: string, sentence: string, mend = ''): Result<T> {
  return { ok: false, problem: { code, sentence, mend } };
}

/**
 * The first fault of something that a schema has refused, with its path: `outlets.0.name: it is missing`. How many more
 * there are is said behind it.
 */
export function faultLine({
  issues,
}: {
  issues: readonly { path: readonly PropertyKey[]; message: string }[];
}): string {
  const [first, ...more] = issues;
  if (!first) return 'it is not understood';
  const path = first.path.map(String).join('.');
  const message = /received undefined$/.test(first.message)
    ? 'it is missing'
    : first.message.replace(/^Invalid input: /, '');
  return `${path ? `${path}: ` : ''}${message}${more.length ? ` (and ${more.length} more)` : ''}`;
}

/** The code of {@link ownFault}. */
export const ownFaultCode = 'own-fault';

/**
 * A fault of Mivvy's, whatever the film: it stopped at a step that should never fail.
 *
 * @param doing the step, as in “drawing frame 212”
 */
export const ownFault = (doing: string): Problem => ({
  code: ownFaultCode,
  sentence: `Mivvy failed while ${doing}; this is a fault in Mivvy, not in your film.`,
  mend: 'Your work is safe. Start it again. If it fails again, send us its fault report; the film is not in it.',
});

/** Both halves of a problem, as one line of prose. */
export function problemLine(problem: Problem): string {
  return problem.mend ? `${problem.sentence} ${problem.mend}` : problem.sentence;
}
