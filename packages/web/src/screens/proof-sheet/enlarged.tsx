import Button from '@mui/material/Button';
import Dialog from '@mui/material/Dialog';
import { useKey } from '../../keys/use-key.ts';
import { Link } from 'react-router';
import { layoutAt, sizeLabel } from '@mivvy/core';
import type { Master, Version } from '@mivvy/api';
import { frameOf, Proof, TroubleStrip, WholeMaster, type Overlays } from '../../parts/proof.tsx';
import { Transport } from '../../parts/transport.tsx';
import { versionName, type Planned } from '../../parts/versions.ts';
import { useHeadPart } from '../../play/use-desk.tsx';
import { Dimmed, placeOver } from '../framing/over-master.tsx';
import '../framing/framing.css';
import styles from './enlarged.module.css';

/** One proof as large as the screen allows, beside its master; page keys go to the next. */
export function Enlarged({
  version,
  master,
  planned,
  overlays,
  onStep,
  onClose,
}: {
  version: Version;
  master: Master;
  planned: Planned | null;
  overlays: Overlays;
  onStep: (by: number) => void;
  onClose: () => void;
}) {
  const frame = useHeadPart('frame');
  const { displayed, frames } = master.facts!.video;
  const size = frameOf(version, master);
  const windows = layoutAt(version.framing, Math.min(frame, frames - 1), displayed, size).panels.map(
    (p) => p.source,
  );
  useKey('Everywhere.versionAfter', () => onStep(1), { whileTyping: true });
  useKey('Everywhere.versionBefore', () => onStep(-1), { whileTyping: true });
  const fitted = (s: { width: number; height: number }) => ({
    aspectRatio: `${s.width} / ${s.height}`,
    width: `min(100cqw, ${(100 * s.width) / s.height}cqh)`,
  });
  return (
    <Dialog open onClose={onClose} fullScreen aria-labelledby="enlarged-title">
      <div className="enlarged">
        <header>
          <h2 id="enlarged-title">
            <span className="letter">{version.tag}</span> {versionName(version)}{' '}
            <span className={`quiet ${styles.light}`}>{sizeLabel(size)}</span>
          </h2>
          <Transport master={master} />
          <span className={styles.gap} />
          <Button onClick={() => onStep(-1)}>Before</Button>
          <Button onClick={() => onStep(1)}>Next</Button>
          <Link className="fix tall" to={`/productions/${version.productionId}/framing/${version.id}`}>
            Frame it
          </Link>
          <Button variant="contained" onClick={onClose}>
            Close
          </Button>
        </header>
        <div className="pair">
          <div className="well">
            <div className="on-master" style={{ ...fitted(displayed), cursor: 'default' }}>
              <WholeMaster master={master} />
              <Dimmed windows={windows} masterSize={displayed} strength={0.55} />
              {windows.map((w, i) => (
                <div key={i} className="window" style={placeOver(w, displayed)}>
                  <span className="tag">{version.tag}</span>
                </div>
              ))}
            </div>
          </div>
          <div className="well">
            <div style={fitted(size)} data-testid="enlarged-proof">
              <Proof version={version} master={master} overlays={overlays} />
            </div>
          </div>
        </div>
        <TroubleStrip planned={planned} master={master} />
      </div>
    </Dialog>
  );
}
