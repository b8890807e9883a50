import { shotIndexAt, type Shot } from '../shots/shots.ts';
import { troubleKind, type Trouble, type TroubleCode } from './trouble-kinds.ts';

/** The troubles of one version. */
export interface TroublesOfVersion {
  versionId: string;
  troubles: readonly Trouble[];
}

/** What a row says of the way in which things are hidden: the worst of them. */
const worstFirst: readonly TroubleCode[] = ['face-cut', 'seen-cut', 'seen-blocked', 'seen-margin'];

/** One thing that is wrong, with every version that has it: what a person reads, and mends, in one go. */
export interface Cause {
  /** Tells it from the other causes of the film. */
  key: string;
  /** What is wrong; the worst of it where people are hidden in several ways. */
  code: TroubleCode;
  severity: Trouble['severity'];
  /** The keep that it is about. */
  keepId?: string;
  /** The seen things that it is about, each once: people of one shot are one cause. */
  seen: NonNullable<Trouble['seen']>[];
  /** Index of the shot in which it begins; null where it is about the film as a whole. */
  shot: number | null;
  /** Master frame at which it begins first. */
  from: number;
  /** Where it stands, in the order of the versions, and of the film in each. */
  places: { versionId: string; trouble: Trouble }[];
}

const rank = { fault: 0, look: 1, note: 2 } as const;

/** Which cause a trouble belongs to. Titles are told of one by one; people in one shot together. */
function keyOf({ code, keepId, layerId, seen }: Trouble, shot: number | null): string {
  const about = seen
    ? `seen-${seen.what} ${seen.what === 'title' ? seen.id : ''}`
    : `${code} ${keepId ?? layerId ?? ''}`;
  return `${about} ${shot ?? 'film'}`;
}

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
      const key = keyOf(trouble, shot);
      const cause = causes.get(key) ?? {
        key,
        code,
        severity,
        ...(keepId === undefined ? {} : { keepId }),
        seen: [],
        shot,
        from: span.from,
        places: [],
      };
      if (rank[severity] < rank[cause.severity]) cause.severity = severity;
      if (seen && worstFirst.indexOf(code) < worstFirst.indexOf(cause.code)) cause.code = code;
      if (seen && !cause.seen.some((thing) => thing.id === seen.id)) cause.seen.push(seen);
      cause.from = Math.min(cause.from, span.from);
      cause.places.push({ versionId, trouble });
      causes.set(key, cause);
    }
  return [...causes.values()].sort(
    (a, b) => rank[a.severity] - rank[b.severity] || a.from - b.from || b.places.length - a.places.length,
  );
}
