import { Link } from 'react-router';
import { countWords, rateLabel, timeLeftWords } from '@mivvy/core';
import type { LookView, Master, Version } from '@mivvy/api';
import { Proof, TroubleStrip, type Overlays } from '../../parts/proof.tsx';
import { StandingStamp } from '../../parts/stamp.tsx';
import { cutOf, versionName, type Planned } from '../../parts/versions.ts';
import { framedWords } from './framed-words.ts';
import { leastWidth } from './sheet-scale.ts';

/** How a version's length stands against its limit, in words. */
function lengthWords(version: Version, master: Master, planned: Planned | null): string {
  if (!planned) return version.placement ? 'waiting for its master' : 'not in the spec book any more';
  const { plan, delivered } = planned.planned;
  const cut = cutOf(version, master);
  // The cut and the rate are said only where they are not the edit's own.
  return [
    cut?.name,
    timeLeftWords(planned.time),
    delivered.step.kind === 'every' && delivered.step.n === 1 ? null : `${rateLabel(plan.rate)} fps`,
  ]
    .filter(Boolean)
    .join(', ');
}

/** One version on the sheet: its live proof, and in two lines what it is and where it stands. */
export function Cell({
  version,
  master,
  planned,
  look,
  onArrival,
  overlays,
  size,
  onEnlarge,
}: {
  version: Version;
  master: Master;
  planned: Planned | null;
  look: LookView | undefined;
  /** Versions are framed by what is seen as soon as that can be done. */
  onArrival: boolean;
  overlays: Overlays;
  size: { width: number; height: number };
  onEnlarge: (version: Version) => void;
}) {
  const name = versionName(version);
  const looks = planned?.troubles.filter((t) => t.severity === 'look').length ?? 0;
  const framed = planned && framedWords(version, master, look, onArrival);
  const length = lengthWords(version, master, planned);
  const all = [
    framed,
    length,
    looks > 0 ? countWords(looks, 'thing to look at', 'things to look at') : null,
  ].filter(Boolean);
  return (
    <div className="cellbox" style={{ width: Math.max(size.width, leastWidth) }}>
      {master.facts && (
        <button
          className="fix enlarge"
          onClick={() => onEnlarge(version)}
          aria-label={`Enlarge ${name}`}
          title="Enlarge"
        >
          <span aria-hidden>⤢</span>
        </button>
      )}
      <Link
        className="cell"
        to={`framing/${version.id}`}
        aria-label={`${name}, open its framing`}
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
            <span className="name clip" title={name}>
              {name}
            </span>
          </div>
          <div className="stateline" title={all.join(', ')}>
            <StandingStamp standing={version.standing} />
            {/* There is room for one of them; all are told where the hand rests. */}
            <span className={`quiet small ${framed ? 'clip' : ''}`}>{framed ?? length}</span>
          </div>
        </div>
      </Link>
    </div>
  );
}
