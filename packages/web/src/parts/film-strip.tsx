import { useDrag } from '@use-gesture/react';
import { useRef } from 'react';
import type { Master } from '@mivvy/api';
import { frameToTimecode } from '@mivvy/core';
import { useDesk, useHead } from '../play/use-desk.tsx';

/** The film's length in stills; drag along it to scrub. */
export function FilmStrip({ master, height }: { master: Master; height: number }) {
  const desk = useDesk();
  const { frame } = useHead();
  const box = useRef<HTMLDivElement>(null);
  const frames = master.facts?.video.frames ?? 1;
  const rate = master.facts?.video.rate ?? { num: 25, den: 1 };
  const bind = useDrag(({ xy: [x], first }) => {
    const area = box.current?.getBoundingClientRect();
    if (!area) return;
    if (first) desk.pause();
    desk.seek(((x - area.left) / area.width) * (frames - 1));
  }, { pointer: { keys: false }, filterTaps: false });
  const shape = master.facts ? master.facts.video.displayed.width / master.facts.video.displayed.height : 16 / 9;
  return (
    <div
      {...bind()}
      ref={box}
      className="film"
      style={{ height }}
      role="slider"
      tabIndex={0}
      aria-label="Play head"
      aria-valuemin={0}
      aria-valuemax={frames - 1}
      aria-valuenow={frame}
      aria-valuetext={frameToTimecode(frame, rate)}
    >
      {master.stills > 0 && <Stills master={master} shape={shape} />}
      <div className="now" style={{ left: `${(Math.min(frame, frames - 1) / Math.max(1, frames - 1)) * 100}%` }} />
    </div>
  );
}

/** A row of cells, each filled with the still nearest to its place in time. */
function Stills({ master, shape }: { master: Master; shape: number }) {
  const cells = master.stills === 1 ? 1 : shape >= 1 ? Math.min(master.stills, 12) : master.stills;
  return (
    <div className="stills" aria-hidden>
      {Array.from({ length: cells }, (_, i) => {
        const index = Math.min(master.stills - 1, Math.floor(((i + 0.5) * master.stills) / cells));
        return (
          <div key={i}>
            <img
              src={`/api/masters/${master.id}/strip`} alt="" draggable={false}
              // Large enough to cover its cell in both directions, and moved so that its own still stands in the middle.
              style={{ height: `max(100cqh, calc(100cqw / ${shape}))`, transform: `translate(${(-(index + 0.5) / master.stills) * 100}%, -50%)` }}
            />
          </div>
        );
      })}
    </div>
  );
}
