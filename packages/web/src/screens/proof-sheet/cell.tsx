import { Link } from 'react-router';
import { rateLabel, timeLeftWords } from '@mivvy/core';
import type { Master, Version } from '@mivvy/api';
import { Proof, TroubleStrip, type Overlays } from '../../parts/proof.tsx';
import { VersionStamp } from '../../parts/stamp.tsx';
import { cutOf, versionName, type Planned } from '../../parts/versions.ts';
import { proofSize, wordsWidth } from './sheet-scale.ts';

/** How a version's length stands against its limit, in words. */
function lengthWords(version: Version, master: Master, planned: Planned | null): string {
  if (!planned) return version.placement ? 'Waiting for its master' : 'Not in the spec book any more';
  const { plan, delivered } = planned.planned;
  const cut = cutOf(version, master);
  const words = timeLeftWords(planned.time);
  // The cut and the rate are said only where they are not the edit's own.
  return [
    cut?.name,
    words[0]!.toUpperCase() + words.slice(1),
    delivered.step.kind === 'every' && delivered.step.n === 1 ? null : `${rateLabel(plan.rate)} fps`,
  ]
    .filter(Boolean)
    .join(', ');
}

/** One version on the sheet: its live proof, and what it stands at. */
export function Cell({
  version,
  master,
  planned,
  overlays,
  scale,
  onEnlarge,
}: {
  version: Version;
  master: Master;
  planned: Planned | null;
  overlays: Overlays;
  scale: number;
  onEnlarge: (version: Version) => void;
}) {
  const size = proofSize(version, scale);
  return (
    <div className="cellbox" style={{ width: Math.max(size.width, wordsWidth) }}>
      {master.facts && (
        <button
          className="fix enlarge"
          onClick={() => onEnlarge(version)}
          aria-label={`Enlarge ${versionName(version)}`}
        >
          Enlarge
        </button>
      )}
      <Link
        className="cell"
        to={`framing/${version.id}`}
        aria-label={`${versionName(version)}, open its framing`}
        data-placement={version.placementId}
      >
        <div className="crops" style={size}>
          <Proof version={version} master={master} overlays={overlays} width={size.width} />
        </div>
        <div style={{ width: size.width }}>
          <TroubleStrip planned={planned} master={master} />
        </div>
        <div className="words">
          <div className="tagline">
            <span className="letter">{version.tag}</span>
            <span className="name">{versionName(version)}</span>
          </div>
          <div className="quiet small">{lengthWords(version, master, planned)}</div>
          <VersionStamp standing={version.standing} troubles={planned?.troubles ?? []} />
        </div>
      </Link>
    </div>
  );
}
