import { useDrag } from '@use-gesture/react';
import { memo, useMemo, useRef } from 'react';
import type { ScoreView, Shot } from '@mivvy/core';
import type { Master } from '@mivvy/api';
import { useHeadPart } from '../../play/use-desk.tsx';
import { at } from './score-view.tsx';

/** The head on the overview. */
function OverviewHead({ frames }: { frames: number }) {
  const frame = useHeadPart('frame');
  return <b style={{ left: at(frame + 0.5, frames) }} />;
}

/** Where the film is cut, over its whole length. */
const Cuts = memo(function Cuts({ shots, frames }: { shots: readonly Shot[]; frames: number }) {
  const d = useMemo(
    () =>
      shots
        .slice(1)
        .map((s) => `M${((s.from / frames) * 1000).toFixed(2)} 0V1`)
        .join(''),
    [shots, frames],
  );
  return (
    <svg viewBox="0 0 1000 1" preserveAspectRatio="none">
      <path d={d} />
    </svg>
  );
});

/** The whole film above its score: what part of it is shown, which can be dragged along. */
export function Overview({
  master,
  shots,
  view,
  onMove,
  onShot,
  onAll,
  onZoom,
}: {
  master: Master;
  shots: readonly Shot[];
  view: ScoreView;
  onMove: (from: number) => void;
  onShot: () => void;
  onAll: () => void;
  onZoom: (factor: number) => void;
}) {
  const frames = master.facts?.video.frames ?? 1;
  const box = useRef<HTMLDivElement>(null);
  const length = view.to - view.from;
  const isWhole = length >= frames - 1e-6;
  const bind = useDrag(
    ({
      xy: [x],
      first,
      memo: grip = 0 as number,
    }: {
      xy: [number, number];
      first: boolean;
      memo?: number;
    }) => {
      const area = box.current?.getBoundingClientRect();
      if (!area) return grip;
      const frame = ((x - area.left) / area.width) * frames;
      // Taken where it is held; pressed beside it, its middle comes there.
      const inside = frame >= view.from && frame <= view.to;
      const held = first ? (inside ? frame - view.from : length / 2) : grip;
      onMove(frame - held);
      return held;
    },
    { pointer: { keys: false } },
  );
  return (
    <div className="overviewline">
      <div
        {...(isWhole ? {} : bind())}
        ref={box}
        className={`overview${isWhole ? '' : ' part'}`}
        data-testid="overview"
        aria-hidden
      >
        <Cuts shots={shots} frames={frames} />
        {!isWhole && (
          <div className="shown" style={{ left: at(view.from, frames), width: at(length, frames) }} />
        )}
        <OverviewHead frames={frames} />
      </div>
      <span className="zoomers" role="group" aria-label="What the score shows">
        <button type="button" className="fix" onClick={() => onZoom(1 / 2)} aria-label="Zoom the score out">
          −
        </button>
        <button type="button" className="fix" onClick={() => onZoom(2)} aria-label="Zoom the score in">
          +
        </button>
        <button type="button" className="fix" onClick={onShot}>
          this shot
        </button>
        <button type="button" className="fix" disabled={isWhole} onClick={onAll}>
          all
        </button>
      </span>
    </div>
  );
}
