import Button from '@mui/material/Button';
import Dialog from '@mui/material/Dialog';
import DialogActions from '@mui/material/DialogActions';
import DialogContent from '@mui/material/DialogContent';
import { useMemo } from 'react';
import {
  durationLabel,
  frameRules,
  frameToSeconds,
  listWords,
  oneShot,
  waysOut,
  type Framing,
  type Trouble,
  type Watchable,
  type WayOut,
} from '@mivvy/core';
import { StillProof } from '../../../parts/still-proof.tsx';
import { useThisProduction } from '../../../parts/this-production.ts';
import { useFraming } from '../framing-session.tsx';
import { SayAnewWay } from './say-anew-way.tsx';
import { TextlessWay, titleLeftOut } from './textless-way.tsx';
import styles from './ways-out.module.css';

/** How far a window moves, for a sentence: “40 px left and 12 px up”. */
export function movedWords({ dx, dy, zoomsOut }: NonNullable<WayOut['moved']>): string {
  return listWords(
    [
      zoomsOut ? 'zooming out' : '',
      Math.abs(dx) >= 0.5 ? `${Math.round(Math.abs(dx))} px ${dx > 0 ? 'right' : 'left'}` : '',
      Math.abs(dy) >= 0.5 ? `${Math.round(Math.abs(dy))} px ${dy > 0 ? 'down' : 'up'}` : '',
    ].filter(Boolean),
  );
}

/** What a way out does, in a sentence. */
function wayWords(way: WayOut, lasts: string): string {
  switch (way.kind) {
    case 'move':
      return `The window moves ${movedWords(way.moved!)}, through the whole shot.`;
    case 'move-while':
      return `The window glides ${movedWords(way.moved!)} for the ${lasts} that it is there, and back.`;
    case 'whole-while':
      return `For those ${lasts} the whole picture stands over a soft copy of itself.`;
    case 'whole':
      return 'The whole picture stands over a soft copy of itself, all through the shot.';
  }
}

/** The ways out of a trouble, each drawn as its middle picture would be, so that one is chosen by what it looks like. */
export function WaysOut({
  trouble,
  things,
  onClose,
}: {
  trouble: Trouble;
  things: readonly Watchable[];
  onClose: () => void;
}) {
  const { version, master, drawn, framing, frameSize, change } = useFraming();
  const { margin } = useThisProduction();
  const { frames, rate, displayed } = master.facts!.video;
  const ways = useMemo(
    () =>
      waysOut(
        {
          framing,
          shots: master.shots ?? oneShot,
          frames,
          rate,
          masterSize: displayed,
          rules: frameRules(version.placement!, frameSize, margin),
          watched: things,
        },
        trouble,
      ),
    [framing, master.shots, frames, rate, displayed, version.placement, frameSize, margin, things, trouble],
  );
  // Words and marks can be said again elsewhere in the frame; a face or a product cannot.
  const keep = master.keeps.find(
    ({ id, kind }) => id === trouble.keepId && kind !== 'face' && kind !== 'product',
  );
  const drawnWithout = useMemo(
    () => titleLeftOut(version, master, trouble, things),
    [version, master, trouble, things],
  );
  const lasts = durationLabel(frameToSeconds(trouble.span.to - trouble.span.from, rate));
  const middle = Math.floor((trouble.span.from + trouble.span.to - 1) / 2);
  const proofOf = (of: Framing, label: string) => (
    <StillProof master={drawn} framing={of} frame={middle} size={frameSize} label={label} longest={210} />
  );
  return (
    <Dialog open onClose={onClose} maxWidth={false} aria-labelledby="ways-title">
      <DialogContent>
        <h2 id="ways-title" className={styles.title}>
          {ways.length === 0 && !keep && !drawnWithout ? 'No framing of this shot shows it' : 'Ways out'}
        </h2>
        <p className="quiet">{trouble.sentence}</p>
        <ul className={styles.ways}>
          <li>
            {proofOf(framing, 'As it is')}
            <p className="quiet">As it is.</p>
          </li>
          {ways.map((way) => (
            <li key={way.kind}>
              {proofOf(way.framing, wayWords(way, lasts))}
              <p>{wayWords(way, lasts)}</p>
              <button
                className="fix tall"
                onClick={() => {
                  change(way.framing);
                  onClose();
                }}
              >
                Take it
              </button>
            </li>
          ))}
          {drawnWithout && <TextlessWay title={drawnWithout} frame={middle} onTaken={onClose} />}
          {keep && <SayAnewWay keep={keep} frame={middle} onTaken={onClose} />}
        </ul>
        {ways.length === 0 && !keep && !drawnWithout && (
          <p>
            Lay the same words over this version in Layers, inside its clear area, or accept that it is cut.
          </p>
        )}
      </DialogContent>
      <DialogActions>
        <Button onClick={onClose}>Leave it</Button>
      </DialogActions>
    </Dialog>
  );
}
