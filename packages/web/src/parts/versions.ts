import {
  drawnFrom,
  partAccepted,
  seenLeft,
  planVersion as planParts,
  timeLeft,
  troublesOf,
  type Acceptance,
  type Dressed,
  type DrawnFrom,
  type Dressing,
  type MarginChoice,
  type PlannedVersion,
  type SeenThing,
  type Shaper,
  type TimeLeft,
  type Trouble,
} from '@mivvy/core';
import type { Cut, Master, Version } from '@mivvy/api';
import { lettersNow } from '../letters/letters.ts';

/** Name of a version as it is said: the outlet, then the slot. */
export function versionName(version: Version): string {
  return version.outlet && version.placement
    ? `${version.outlet.name} ${version.placement.name.toLowerCase()}`
    : version.placementId;
}

/** A version's plan and troubles as they stand now, worked out here so that they follow the hand. */
export interface Planned {
  planned: PlannedVersion;
  /** Those that still ask for a person. */
  troubles: Trouble[];
  /** How its length stands against its place's limits. */
  time: TimeLeft;
  /** Those that a person has accepted. */
  accepted: { trouble: Trouble; acceptance: Acceptance }[];
}

/** The cut that a version plays; undefined for the full film. */
export const cutOf = (version: Version, master: Master | undefined): Cut | undefined =>
  version.cutId === null ? undefined : master?.cuts.find((c) => c.id === version.cutId);

/** The film that a version's pictures come from: its master, or that one's textless master. */
export function drawnMaster<M extends Master | undefined>(
  version: Pick<Version, 'textless'>,
  master: M,
  textlessMasters: readonly Master[],
): M | Master {
  if (!master || drawnFrom(version.textless, master).textless !== 'used') return master;
  return textlessMasters.find(({ id }) => id === master.textless!.masterId) ?? master;
}

/** What a cut is called where the full film is one of the choices. */
export const cutName = (cut: Cut | undefined): string => (cut ? `“${cut.name}”` : 'the full film');

/** Plans by the version that they were made for. What did not change is the same object, so it is never planned again. */
interface Known {
  master: Master;
  margin: MarginChoice;
  seen: readonly SeenThing[] | undefined;
  shaper: Shaper | null;
  planned: Planned | null;
}
const plans = new WeakMap<Version, Known>();

/** A version's plan and troubles; worked out once for the same version, master, margin and seen things, whoever asks. */
export function planVersion(
  version: Version,
  master: Master | undefined,
  margin: MarginChoice,
  seen: readonly SeenThing[] | undefined,
): Planned | null {
  if (!version.placement || !master?.facts || master.state !== 'ready') return null;
  const known = plans.get(version);
  const shaper = lettersNow();
  if (known?.master === master && known.margin === margin && known.seen === seen && known.shaper === shaper)
    return known.planned;
  const planned = planAnew(version, master, margin, seen);
  plans.set(version, { master, margin, seen, shaper, planned });
  return planned;
}

/** What is laid over a version; the letters that it needs have come by then, or it is shown without. */
function dressedOf(
  version: Version,
  { dressing }: Master,
  { keeps, faces }: Pick<DrawnFrom, 'keeps' | 'faces'>,
): Dressed | undefined {
  const shaper = lettersNow();
  return shaper && isDressed(dressing)
    ? { dressing, versionId: version.id, keeps, faces, shaper, approved: version.approved }
    : undefined;
}

/** Something is laid over a film, or is to be. */
export const isDressed = ({ layers, captions, draftMark }: Dressing): boolean =>
  layers.length > 0 || captions.length > 0 || draftMark;

/** A version planned as if its film, its framing or what is laid over it were what is given here. */
export function planAnew(
  version: Version,
  master: Master,
  margin: MarginChoice,
  seen: readonly SeenThing[] | undefined,
): Planned | null {
  if (!version.placement || !master.facts) return null;
  // The plan is core's to remember, as on the server; what stands here is what a screen says of it.
  const film = drawnFrom(version.textless, master);
  const { facts, sha256, keeps, textless } = film;
  const planned = planParts({
    facts: facts!,
    sha256,
    textless,
    placement: version.placement,
    framing: version.framing,
    coverFrame: version.coverFrame,
    sharpen: version.sharpen,
    cut: cutOf(version, master),
    dressed: dressedOf(version, master, film),
  });
  const all = troublesOf(planned, version.placement, {
    keeps,
    margin,
    ...(seen ? { seen: textless === 'used' ? seenLeft(seen, master.textless!.differs) : seen } : {}),
  });
  const { open, accepted } = partAccepted(all, version.accepted, planned.plan, keeps);
  return { planned, troubles: open, time: timeLeft(planned.plan, version.placement), accepted };
}
