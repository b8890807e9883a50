import Button from '@mui/material/Button';
import Dialog from '@mui/material/Dialog';
import DialogActions from '@mui/material/DialogActions';
import DialogContent from '@mui/material/DialogContent';
import Slider from '@mui/material/Slider';
import { useState } from 'react';
import type { Master, Version } from '@mivvy/api';
import { Choice } from './choice.tsx';
import { frameOf, Proof, type Overlays } from './proof.tsx';
import styles from './true-size.module.css';

const storageKey = 'mivvy.pixels-per-mm';
/** What style sheets take a screen to be: 96 pixels an inch. */
const nominal = 96 / 25.4;
/** Width of a bank card (ISO/IEC 7810 ID-1, from memory): at hand wherever somebody sits. Millimetres. */
const cardWidth = 85.6;
const cardHeight = 53.98;

/** Widths that films are looked at in, millimetres (common practice, no source). */
const screens = [
  { value: '65', name: 'a small phone', more: '65 mm wide' },
  { value: '71', name: 'a phone', more: '71 mm wide' },
  { value: '78', name: 'a large phone', more: '78 mm wide' },
  { value: '160', name: 'a tablet', more: '160 mm wide' },
] as const;

function remembered(): number {
  const kept = Number(localStorage.getItem(storageKey));
  return kept > 1 && kept < 20 ? kept : nominal;
}

/** A proof as wide as it will be in somebody's hand, once this monitor has been measured against a card. */
export function TrueSize({
  version,
  master,
  overlays,
  onClose,
}: {
  version: Version;
  master: Master;
  overlays: Overlays;
  onClose: () => void;
}) {
  const [perMm, setPerMm] = useState(remembered);
  const [screen, setScreen] = useState<(typeof screens)[number]['value']>('71');
  const [measuring, setMeasuring] = useState(false);
  const frame = frameOf(version, master);
  const width = Number(screen) * perMm;
  const change = (value: number) => {
    setPerMm(value);
    localStorage.setItem(storageKey, String(value));
  };
  return (
    <Dialog open onClose={onClose} maxWidth={false} aria-labelledby="true-title">
      <DialogContent>
        <h2 id="true-title" className={styles.title}>
          As wide as on{' '}
          <Choice
            label="Screen"
            value={screen}
            shown={screens.find((s) => s.value === screen)!.name}
            options={screens}
            onChange={setScreen}
          />
        </h2>
        {measuring ? (
          <div style={{ width: Math.max(360, cardWidth * perMm) }}>
            <p className={styles.about}>Hold a bank card against the frame and make both as wide.</p>
            <div
              style={{
                width: cardWidth * perMm,
                height: cardHeight * perMm,
                border: '2px solid var(--ink)',
                borderRadius: 3 * perMm,
              }}
              data-testid="card"
            />
            <Slider
              aria-label="Width of the card"
              min={2.5}
              max={8}
              step={0.01}
              value={perMm}
              onChange={(_e, value) => change(value as number)}
              sx={{ mt: 2 }}
            />
          </div>
        ) : (
          <div className={`well ${styles.frame}`}>
            <div
              style={{ width, height: (width * frame.height) / frame.width, flex: 'none' }}
              data-testid="true-size"
            >
              <Proof version={version} master={master} overlays={overlays} />
            </div>
          </div>
        )}
      </DialogContent>
      <DialogActions sx={{ p: 2 }}>
        <Button onClick={() => setMeasuring(!measuring)}>
          {measuring ? 'Done measuring' : 'Measure this monitor'}
        </Button>
        <Button variant="contained" onClick={onClose}>
          Close
        </Button>
      </DialogActions>
    </Dialog>
  );
}
