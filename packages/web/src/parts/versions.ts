import { useMemo } from 'react';
import { makePlan, troublesOf, type PlannedVersion, type Trouble } from '@mivvy/core';
import type { Master, Version } from '@mivvy/api';

/** Name of a version as it is said: the outlet, then the slot. */
export function versionName(version: Version): string {
  return version.outlet && version.placement ? `${version.outlet.name} ${version.placement.name.toLowerCase()}` : version.placementId;
}

/** A version's plan and troubles as they stand now, worked out here so that they follow the hand. */
export interface Planned {
  planned: PlannedVersion;
  troubles: Trouble[];
}

export function planVersion(version: Version, master: Master | undefined): Planned | null {
  if (!version.placement || !master?.facts || master.state !== 'ready') return null;
  const planned = makePlan({ facts: master.facts, sha256: master.sha256 ?? '0'.repeat(64), placement: version.placement, framing: version.framing });
  return { planned, troubles: troublesOf(planned, version.placement) };
}

export function usePlanned(version: Version | undefined, master: Master | undefined): Planned | null {
  return useMemo(() => (version ? planVersion(version, master) : null), [version, master]);
}
