import { lazy, Suspense } from 'react';
import { anchored } from '@mivvy/core';
import { useKey } from '../../keys/use-key.ts';
import { OverlaySwitches, useOverlays } from '../../parts/overlay-switches.tsx';
import { Proof } from '../../parts/proof.tsx';
import { useWidth } from '../../parts/use-width.ts';
import { versionName } from '../../parts/versions.ts';
import { fitted } from '../framing/fitted.ts';
import styles from './layers.module.css';
import { useChosenBox, useLayers } from './layers-session.tsx';

/** Drawing and dragging come when they are first needed. */
const Handles = lazy(() => import('./handles.tsx'));

const steps: Record<string, readonly [number, number]> = {
  ArrowLeft: [-1, 0],
  ArrowRight: [1, 0],
  ArrowUp: [0, -1],
  ArrowDown: [0, 1],
};

/** Keys that move the layer at hand, by pixels of the delivered frame. */
function useLayerKeys(enabled: boolean): void {
  const { place, frameSize, clear, chosen, change } = useLayers();
  const held = useChosenBox();
  const nudge = (key: string, by: number) => {
    const [dx, dy] = steps[key] ?? [0, 0];
    if (!held) return;
    const { box } = held.planned;
    place(held.layer.id, anchored({ ...box, x: box.x + dx * by, y: box.y + dy * by }, frameSize, clear));
  };
  useKey('Layers.nudge', (event) => nudge(event.key, 1), { enabled });
  useKey('Layers.nudgeFar', (event) => nudge(event.key, 10), { enabled });
  useKey(
    'Layers.remove',
    () => chosen && change((now) => ({ ...now, layers: now.layers.filter((l) => l.id !== chosen.id) })),
    { enabled: enabled && chosen !== undefined },
  );
}

/** The proof at work: the version's frame with everything that is laid over it, and handles on what is at hand. */
export function ProofDesk({ handles }: { handles: boolean }) {
  const { version, master, frameSize, scope, setScope } = useLayers();
  const [overlays, setOverlays] = useOverlays();
  const [measure, , width] = useWidth();
  const held = useChosenBox();
  useLayerKeys(handles);
  const height = (width * frameSize.height) / frameSize.width;
  const box = held?.planned.box;
  return (
    <section className={styles.desk} aria-label="Proof">
      <div className={styles.bar}>
        <span>
          <b>{version.tag} · proof</b> <span className="quiet">{versionName(version)}</span>
        </span>
        {handles && box && (
          <span className="mono quiet" data-testid="layer-numbers">
            x {box.x} · y {box.y} · w {box.width} · h {box.height}
          </span>
        )}
      </div>
      <div className={styles.well}>
        <div ref={measure} className="crops" style={{ ...fitted(frameSize), position: 'relative' }}>
          <Proof version={version} master={master} overlays={overlays} width={width} />
          {handles && (
            <div className={styles.over} data-testid="handles">
              <Suspense fallback={null}>
                <Handles width={width} height={height} />
              </Suspense>
            </div>
          )}
        </div>
      </div>
      <div className={styles.bar}>
        <OverlaySwitches overlays={overlays} onChange={setOverlays} />
        {handles && (
          <span>
            Moves are for{' '}
            <button className="fix tall" onClick={() => setScope(scope === 'every' ? 'this' : 'every')}>
              {scope === 'every' ? 'every version' : `${version.tag} alone`}
            </button>
          </span>
        )}
      </div>
    </section>
  );
}
