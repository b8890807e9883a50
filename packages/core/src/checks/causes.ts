import { shotIndexAt, type Shot } from '../shots/shots.ts';
import { troubleKind, type Trouble, type TroubleCode } from './trouble-kinds.ts';

/** The troubles of one version. */
export interface TroublesOfVersion {
  versionId: string;
  troubles: readonly Trouble[];
}

/** One thing that is wrong, with every version that has it: what a person reads, and mends, in one go. */
export interface Cause {
  /** Tells it from the other causes of the film. */
  key: string;
  code: TroubleCode;
  severity: Trouble['severity'];
  /** The keep, or the seen thing, that it is about. */
  keepId?: string;
  seen?: NonNullable<Trouble['seen']>;
  /** Index of the shot in which it begins; null where it is about the film as a whole. */
  shot: number | null;
  /** Master frame at which it begins first. */
  from: number;
  /** Where it stands, in the order of the versions, and of the film in each. */
  places: { versionId: string; trouble: Trouble }[];
}

const rank = { fault: 0, look: 1, note: 2 } as const;

/**
 * Troubles of a film's versions, one row a cause: the same kind, about the same thing, in the same shot. Every trouble
 * is in exactly one of them. Worst first, then in the film's order.
 */
export function causesOf(versions: readonly TroublesOfVersion[], shots: readonly Shot[]): Cause[] {
  const causes = new Map<string, Cause>();
  for (const { versionId, troubles } of versions)
    for (const trouble of troubles) {
      const { code, severity, keepId, seen, span } = trouble;
      const shot = troubleKind(code).scope === 'span' ? shotIndexAt(shots, span.from) : null;
      const key = [code, keepId ?? seen?.id ?? '', shot ?? 'film'].join(' ');
      const cause = causes.get(key) ?? {
        key,
        code,
        severity,
        ...(keepId === undefined ? {} : { keepId }),
        ...(seen === undefined ? {} : { seen }),
        shot,
        from: span.from,
        places: [],
      };
      cause.from = Math.min(cause.from, span.from);
      cause.places.push({ versionId, trouble });
      causes.set(key, cause);
    }
  return [...causes.values()].sort(
    (a, b) => rank[a.severity] - rank[b.severity] || a.from - b.from || b.places.length - a.places.length,
  );
}
