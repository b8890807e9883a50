import { useState } from 'react';
import { useKey } from '../keys/use-key.ts';
import type { Overlays } from './proof.tsx';
import styles from './overlay-switches.module.css';

const storageKey = 'mivvy.overlays';

function remembered(): Overlays {
  try {
    const kept = JSON.parse(localStorage.getItem(storageKey) ?? 'null') as Partial<Overlays> | null;
    return { blocked: kept?.blocked !== false, margin: kept?.margin !== false };
  } catch {
    return { blocked: true, margin: true };
  }
}

/** Whether the outlet's furniture and the safe margin are drawn over proofs; kept for this browser. */
export function useOverlays(): [Overlays, (change: Partial<Overlays>) => void] {
  const [overlays, set] = useState(remembered);
  const change = (patch: Partial<Overlays>) => {
    const next = { ...overlays, ...patch };
    set(next);
    localStorage.setItem(storageKey, JSON.stringify(next));
  };
  useKey('Everywhere.blocked', () => change({ blocked: !overlays.blocked }));
  useKey('Everywhere.margin', () => change({ margin: !overlays.margin }));
  return [overlays, change];
}

/** The two switches, as words that can be clicked. */
export function OverlaySwitches({
  overlays,
  onChange,
}: {
  overlays: Overlays;
  onChange: (change: Partial<Overlays>) => void;
}) {
  return (
    <span className={styles.switches}>
      <button
        className="fix tall"
        aria-pressed={overlays.blocked}
        onClick={() => onChange({ blocked: !overlays.blocked })}
      >
        {overlays.blocked ? 'Blocked areas shown' : 'Blocked areas hidden'}
      </button>
      <button
        className="fix tall"
        aria-pressed={overlays.margin}
        onClick={() => onChange({ margin: !overlays.margin })}
      >
        {overlays.margin ? 'Margin shown' : 'Margin hidden'}
      </button>
    </span>
  );
}
