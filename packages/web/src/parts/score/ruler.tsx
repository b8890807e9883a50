import { useMemo } from 'react';
import { frameToTimecode, rulerTicks, type Rate } from '@mivvy/core';
import { at, useScoreScale } from './score-view.tsx';

/** Room that a timecode takes, with what keeps it from the next; screen pixels. */
const labelWidth = 96;

/** Timecodes along the score. */
export function Ruler({ rate }: { rate: Rate }) {
  const { view, frames, pixelsPerFrame } = useScoreScale();
  const ticks = useMemo(
    () => rulerTicks(view, frames, pixelsPerFrame, rate, labelWidth),
    [view, frames, pixelsPerFrame, rate],
  );
  return (
    <div className="ruler" aria-hidden>
      {ticks.map(({ frame, labelled }) => (
        <i key={frame} className={labelled ? 'labelled' : ''} style={{ left: at(frame, frames) }}>
          {labelled && <span>{frameToTimecode(frame, rate)}</span>}
        </i>
      ))}
    </div>
  );
}
