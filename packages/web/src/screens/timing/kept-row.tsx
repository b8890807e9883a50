import { useDrag } from '@use-gesture/react';
import { memo, useMemo, type PointerEvent, type RefObject } from 'react';
import type { FrameSpan } from '@mivvy/core';
import type { FilmActivity } from '@mivvy/api';

/** An edge of a kept span, by its place in the order. */
export interface Edge {
  index: number;
  side: 'from' | 'to';
}
/** In and out points; either may be missing. */
export interface Marks {
  in: number | null;
  out: number | null;
}

const at = (frame: number, frames: number) => `${(frame / Math.max(1, frames)) * 100}%`;
const span = (s: FrameSpan, frames: number) => ({
  left: at(s.from, frames),
  width: at(s.to - s.from, frames),
});

/** A handle at an edge, to be dragged along the film. */
function Handle({
  edge,
  frame,
  frames,
  box,
  held,
  onTake,
  onTrim,
}: {
  edge: Edge;
  frame: number;
  frames: number;
  box: RefObject<HTMLDivElement | null>;
  held: boolean;
  onTake: (edge: Edge) => void;
  onTrim: (edge: Edge, frame: number) => void;
}) {
  const bind = useDrag(
    ({ xy: [x], first }) => {
      const area = box.current?.getBoundingClientRect();
      if (!area) return;
      if (first) onTake(edge);
      onTrim(edge, Math.round(((x - area.left) / area.width) * frames));
    },
    { pointer: { keys: false }, filterTaps: true },
  );
  const { onPointerDown, ...rest } = bind() as { onPointerDown: (event: PointerEvent) => void };
  // The axis under it neither scrubs nor takes the focus.
  return (
    <i
      {...rest}
      onPointerDown={(event) => {
        event.stopPropagation();
        onPointerDown(event);
      }}
      onMouseDown={(event) => event.preventDefault()}
      className={`${edge.side}${held ? ' held' : ''}`}
      style={{ left: at(frame, frames) }}
    />
  );
}

/** What is kept of the film, numbered in the order in which it plays; what is marked to go is hatched over it. */
export const KeptRow = memo(function KeptRow({
  kept,
  frames,
  chosen,
  edge,
  marks,
  going,
  box,
  onTake,
  onTrim,
}: {
  kept: readonly FrameSpan[];
  frames: number;
  chosen: number | null;
  edge: Edge | null;
  marks: Marks;
  going: readonly FrameSpan[];
  box: RefObject<HTMLDivElement | null>;
  onTake: ((edge: Edge) => void) | null;
  onTrim: (edge: Edge, frame: number) => void;
}) {
  return (
    <div className="keptrow" ref={box} data-testid="kept-row">
      {kept.map((s, i) => (
        <div
          key={`${s.from}`}
          className={`keptspan${chosen === i ? ' chosen' : ''}`}
          style={span(s, frames)}
          aria-hidden
        >
          <span>{i + 1}</span>
        </div>
      ))}
      {going.map((s) => (
        <div key={s.from} className="going" style={span(s, frames)} aria-hidden />
      ))}
      {marks.in !== null && <b className="mark-in" style={{ left: at(marks.in, frames) }} aria-hidden />}
      {marks.out !== null && (
        <b className="mark-out" style={{ left: at(marks.out + 1, frames) }} aria-hidden />
      )}
      {onTake &&
        kept.length <= 200 &&
        kept.flatMap((s, i) =>
          (['from', 'to'] as const).map((side) => (
            <Handle
              key={`${i} ${side}`}
              edge={{ index: i, side }}
              frame={s[side]}
              frames={frames}
              box={box}
              held={edge?.index === i && edge.side === side}
              onTake={onTake}
              onTrim={onTrim}
            />
          )),
        )}
    </div>
  );
});

/** How many points the loudness is drawn with. */
const levelPoints = 700;
/** Quieter than this is drawn as nothing, dB below full scale. */
const floorDb = -60;

/** Loudness along the film, with where somebody speaks and where nothing is heard. */
export const LevelRow = memo(function LevelRow({
  along,
  frames,
}: {
  along: FilmActivity | undefined;
  frames: number;
}) {
  const path = useMemo(() => {
    const levels = along?.levels;
    if (!levels?.length) return null;
    const count = Math.min(levelPoints, levels.length);
    const points = Array.from({ length: count }, (_, k) => {
      const part = levels.slice(
        Math.floor((k * levels.length) / count),
        Math.max(Math.floor((k * levels.length) / count) + 1, Math.floor(((k + 1) * levels.length) / count)),
      );
      const loud = Math.max(floorDb, ...part);
      return `${((k / (count - 1 || 1)) * 1000).toFixed(1)},${(30 - (30 * (loud - floorDb)) / -floorDb).toFixed(1)}`;
    });
    return `M0,30L${points.join('L')}L1000,30Z`;
  }, [along]);
  return (
    <div className="levelrow" aria-hidden>
      {along && !along.levels && <span className="quiet">This film has no sound.</span>}
      {path && (
        <svg viewBox="0 0 1000 30" preserveAspectRatio="none">
          <path d={path} />
        </svg>
      )}
      {along?.speech.map((s) => (
        <u key={s.from} className="speech" style={span(s, frames)} title="Speech" />
      ))}
      {along?.silences.map((s) => (
        <u key={s.from} className="silence" style={span(s, frames)} title="Silence" />
      ))}
    </div>
  );
});
