import { useDrag } from '@use-gesture/react';
import { useRef, useState, type RefObject } from 'react';
import { clamp } from '@mivvy/core';
import { OverlaySwitches, useOverlays } from '../../parts/overlay-switches.tsx';
import { Proof } from '../../parts/proof.tsx';
import { StandingStamp } from '../../parts/stamp.tsx';
import { TrueSize } from '../../parts/true-size.tsx';
import { fitted } from './fitted.ts';
import { useFraming } from './framing-session.tsx';
import { dividedAt, useHeld } from './master-pane.tsx';
import { usePictureHand } from './picture-hand.ts';
import type { Panel } from './shot-editor.ts';

/** The line between two stacked windows, to be dragged. */
function Divide({ at, surface }: { at: number; surface: RefObject<HTMLDivElement | null> }) {
  const { edit } = useFraming();
  const bind = useDrag(
    ({ xy: [, y] }) => {
      const box = surface.current?.getBoundingClientRect();
      if (!box) return;
      const divide = Number(clamp((y - box.top) / box.height, 0.2, 0.8).toFixed(3));
      edit((shot) => {
        const { fill } = shot.clip;
        return shot.withFill(fill.kind === 'stacked' ? { ...fill, divide } : fill);
      });
    },
    { pointer: { keys: false } },
  );
  return (
    <div
      {...bind()}
      className="divide"
      style={{ top: `${at * 100}%` }}
      role="separator"
      aria-label="Divide between the two windows"
    />
  );
}

/** The version as it will be, live; dragged, the picture moves behind the frame. */
export function ProofPane() {
  const { version, shown, master, frameSize, clip, panel, setPanel, settleHead } = useFraming();
  const [overlays, setOverlays] = useOverlays();
  const [trueSize, setTrueSize] = useState(false);
  const surface = useRef<HTMLDivElement>(null);
  const held = useHeld();
  const divide = clip.fill.kind === 'stacked' ? dividedAt(clip.fill.divide, frameSize) : null;
  const pick = (_fx: number, fy: number) => {
    const which: Panel = divide !== null && fy > divide ? 'lower' : 'upper';
    if (divide !== null && which !== panel) setPanel(which);
    return held(which);
  };
  usePictureHand(surface, pick, 'proof', settleHead, () => undefined);
  return (
    <section className="proof" aria-label="Proof">
      <div className="bar">
        <b>{version.tag} · proof</b>
        <StandingStamp standing={version.standing} />
      </div>
      <div className="fitbox">
        <div ref={surface} className="crops on-proof" style={fitted(frameSize)} data-testid="proof-surface">
          <Proof version={shown} master={master} overlays={overlays} />
          {divide !== null && <Divide at={divide} surface={surface} />}
        </div>
      </div>
      <OverlaySwitches overlays={overlays} onChange={setOverlays} />
      <button className="fix tall" onClick={() => setTrueSize(true)}>
        True size
      </button>
      {trueSize && (
        <TrueSize version={shown} master={master} overlays={overlays} onClose={() => setTrueSize(false)} />
      )}
    </section>
  );
}
