import Button from '@mui/material/Button';
import { Link } from 'react-router';
import { masterSummary, problemLine } from '@mivvy/core';
import type { Master, Version } from '@mivvy/api';
import { type Overlays } from '../../parts/proof.tsx';
import { Stamp } from '../../parts/stamp.tsx';
import { type Planned } from '../../parts/versions.ts';
import { Cell } from './cell.tsx';

export interface SheetVersion {
  version: Version;
  planned: Planned | null;
}

export function MasterRow({
  master,
  versions,
  overlays,
  scale,
  first,
  onPlaces,
  onEnlarge,
}: {
  master: Master;
  versions: SheetVersion[];
  overlays: Overlays;
  scale: number;
  first: boolean;
  onPlaces: () => void;
  onEnlarge: (version: Version) => void;
}) {
  const { productionId } = master;
  return (
    <section className="row" aria-label={master.name}>
      <div className="film-note">
        <h2>
          <Link to={`/productions/${productionId}/masters/${master.id}`} style={{ textDecoration: 'none' }}>
            {master.name}
          </Link>
        </h2>
        {master.state === 'failed' ? (
          <Stamp shape="fail">Cannot be used</Stamp>
        ) : (
          <p className="quiet">{master.facts ? masterSummary(master.facts) : 'Being read'}.</p>
        )}
        {master.state === 'failed' ? (
          <p className="quiet">{master.problem && problemLine(master.problem)}</p>
        ) : versions.length ? (
          <button className="fix tall" onClick={onPlaces}>
            Add places
          </button>
        ) : (
          master.facts && (
            <Button variant={first ? 'contained' : 'outlined'} onClick={onPlaces}>
              Choose places
            </Button>
          )
        )}
      </div>
      <div className="proofs">
        {versions.map(({ version, planned }) => (
          <Cell
            key={version.id}
            version={version}
            master={master}
            planned={planned}
            overlays={overlays}
            scale={scale}
            onEnlarge={onEnlarge}
          />
        ))}
        {versions.length === 0 && master.facts && master.state === 'ready' && (
          <UnplacedMaster master={master} onPlaces={onPlaces} />
        )}
      </div>
    </section>
  );
}

/** A master that goes nowhere yet: its poster, and the next thing to do. */
function UnplacedMaster({ master, onPlaces }: { master: Master; onPlaces: () => void }) {
  const { width, height } = master.facts!.video.displayed;
  const k = Math.min(190 / width, 150 / height);
  return (
    <button
      onClick={onPlaces}
      className="cell"
      style={{
        border: 0,
        background: 'none',
        padding: 0,
        cursor: 'pointer',
        font: 'inherit',
        textAlign: 'left',
      }}
    >
      <div className="crops" style={{ width: width * k, height: height * k }}>
        <div className="picture" style={{ width: '100%', height: '100%' }}>
          {master.hasPoster ? (
            <img
              src={`/api/masters/${master.id}/poster?file=${master.fileGeneration}`}
              alt=""
              style={{ width: '100%', height: '100%' }}
            />
          ) : (
            <div className="waiting">Drawing a still</div>
          )}
        </div>
      </div>
      <span className="quiet">Goes nowhere yet</span>
    </button>
  );
}
