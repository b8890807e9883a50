import { useEffect, useMemo } from 'react';
import { oneShot, problemLine, shotSpans } from '@mivvy/core';
import type { Master, Version } from '@mivvy/api';
import { WholeMaster } from '../../parts/proof.tsx';
import { KeepRow } from '../../parts/score/rows.tsx';
import { Score } from '../../parts/score/score.tsx';
import { ShotRow } from '../../parts/score/shot-row.tsx';
import { Transport } from '../../parts/transport.tsx';
import { useDesk, useHeadPart, useSpanAtHead } from '../../play/use-desk.tsx';
import { fitted } from '../framing/fitted.ts';
import { KeepSurface } from './keep-surface.tsx';
import type { MasterAtHand } from './master-at-hand.ts';
import styles from './masters.module.css';
import { SharedOverlay } from './shared-overlay.tsx';
import { sharedWindows } from './shared-panel.tsx';

/** The windows of versions over the picture, frame by frame. */
function SharedWindows({ master, versions }: { master: Master; versions: readonly Version[] }) {
  const frame = useHeadPart('frame');
  const shared = sharedWindows(master, versions, frame);
  return <SharedOverlay shared={shared} masterSize={master.facts!.video.displayed} />;
}

/** The film's length, with its shots and keeps. */
function MasterScore({ master }: { master: Master }) {
  const { frames } = master.facts!.video;
  const shots = master.shots ?? oneShot;
  const spans = useMemo(() => shotSpans(shots, frames), [shots, frames]);
  const shot = spans[useSpanAtHead(spans)] ?? spans.at(-1);
  return (
    <>
      <Transport master={master} shot={shot} />
      <Score master={master}>
        <ShotRow master={master} shots={shots} chosen={shot} words={(i) => `cam ${shots[i]!.setup}`} />
        {master.keeps.length > 0 && <KeepRow keeps={master.keeps} frames={frames} />}
      </Score>
    </>
  );
}

/** The chosen film, live, with what is worked on over it. */
export function MasterStage({ master, atHand }: { master: Master; atHand: MasterAtHand }) {
  const desk = useDesk();
  const { tab, keepId, setKeepId, drawing, setDrawing, together } = atHand;
  const usable = master.state !== 'failed' && master.facts !== null;
  useEffect(() => {
    if (usable) desk.lead(master.id);
  }, [desk, usable, master.id]);
  if (!usable)
    return (
      <div className="stage">
        <div className="well">
          <p className={styles.unusable}>
            {master.problem ? problemLine(master.problem) : 'Reading the file'}
          </p>
        </div>
      </div>
    );
  return (
    <div className="stage">
      <div className="well">
        <div className="on-master" style={fitted(master.facts!.video.displayed)}>
          <WholeMaster master={master} />
          {tab === 'keeps' && (
            <KeepSurface
              master={master}
              chosenId={keepId}
              onChoose={setKeepId}
              drawing={drawing}
              onDraw={setDrawing}
            />
          )}
          {tab === 'shared' && <SharedWindows master={master} versions={together} />}
        </div>
      </div>
      <MasterScore master={master} />
    </div>
  );
}
