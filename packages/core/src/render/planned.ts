import { playedWithin, type Played } from '../edits/cut.ts';
import type { Framing } from '../framing/framing.ts';
import type { MasterFacts } from '../masters/facts.ts';
import type { DrawnFrom } from '../masters/textless.ts';
import type { Placement } from '../specs/schema.ts';
import { dress, type Dressed } from '../layers/dress.ts';
import { makePlan, planFingerprint } from './plan.ts';
import type { PlannedVersion } from './plan-schema.ts';

/** What a version's plan is worked out from; every part is taken to be the same for as long as it is the same object. */
export interface VersionParts {
  facts: MasterFacts;
  /** Null while the master's bytes are being summed. */
  sha256: string | null;
  placement: Placement;
  framing: Framing;
  /** Missing or null for the full film. */
  cut?: Played | null | undefined;
  /** The master's frame that its cover shows; missing or null until somebody picks one. */
  coverFrame?: number | null | undefined;
  /** How far its picture is sharpened; missing or null for not at all. */
  sharpen?: number | null | undefined;
  /** Whether the film is a textless master, or one is asked for and the film stands in for it. */
  textless?: DrawnFrom['textless'] | undefined;
  /** What is laid over it; missing for nothing. */
  dressed?: Dressed | undefined;
}

/** A version's plan as it stands now. */
export interface VersionAsPlanned extends PlannedVersion {
  /** Undefined while the master's bytes are being summed: there is nothing to compare it with. */
  readonly fingerprint: string | undefined;
}

/** Stands for a sum that is not known yet. */
const noSum = '0'.repeat(64);

/** Plans by the framing that they were made with; one framing is seldom planned for more than one place. */
const known = new WeakMap<Framing, { parts: VersionParts; plan: VersionAsPlanned }[]>();
const mostForOneFraming = 16;

const sameCut = (a: Played | null | undefined, b: Played | null | undefined): boolean =>
  a?.kept === b?.kept && a?.pace === b?.pace && a?.joinMs === b?.joinMs;

const sameDressed = (a: Dressed | undefined, b: Dressed | undefined): boolean =>
  a?.dressing === b?.dressing &&
  a?.versionId === b?.versionId &&
  a?.keeps === b?.keeps &&
  a?.faces === b?.faces &&
  a?.shaper === b?.shaper &&
  a?.approved === b?.approved;

const sameParts = (a: VersionParts, b: VersionParts): boolean =>
  a.facts === b.facts &&
  a.sha256 === b.sha256 &&
  a.placement === b.placement &&
  (a.coverFrame ?? null) === (b.coverFrame ?? null) &&
  (a.sharpen ?? null) === (b.sharpen ?? null) &&
  a.textless === b.textless &&
  sameCut(a.cut, b.cut) &&
  sameDressed(a.dressed, b.dressed);

/** The plan of a version, worked out once for the same parts, whoever asks: server and screen plan what has changed. */
export function planVersion(parts: VersionParts): VersionAsPlanned {
  const plans = known.get(parts.framing) ?? [];
  const there = plans.find((p) => sameParts(p.parts, parts));
  if (there) return there.plan;
  const plan = planAnew(parts);
  known.set(parts.framing, [{ parts, plan }, ...plans].slice(0, mostForOneFraming));
  return plan;
}

function planAnew({
  facts,
  sha256,
  placement,
  framing,
  cut,
  coverFrame,
  sharpen,
  textless,
  dressed,
}: VersionParts): VersionAsPlanned {
  const bare = makePlan({
    facts,
    sha256: sha256 ?? noSum,
    placement,
    framing,
    coverFrame,
    sharpen,
    textless,
    ...playedWithin(cut, facts.video.frames),
  });
  const planned = dressed ? dress(bare, placement, dressed) : bare;
  let fingerprint: string | undefined;
  return {
    ...planned,
    get fingerprint() {
      return sha256 === null ? undefined : (fingerprint ??= planFingerprint(planned.plan));
    },
  };
}
