import { useDrag } from '@use-gesture/react';
import { memo, type PointerEvent, type RefObject } from 'react';
import type { FrameSpan } from '@mivvy/core';
import { at, inView, useScoreScale } from '../../parts/score/score-view.tsx';

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
  const { snap } = useScoreScale();
  const bind = useDrag(
    ({ xy: [x], first, altKey }) => {
      const area = box.current?.getBoundingClientRect();
      if (!area) return;
      if (first) onTake(edge);
      // It is drawn to what is near; with alt it lets go of that.
      onTrim(edge, snap(Math.round(((x - area.left) / area.width) * frames), altKey));
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
  const scale = useScoreScale();
  const shown = kept
    .map((s, i) => ({ s, i }))
    // A handle that is in hand stays, wherever it is dragged.
    .filter(({ s, i }) => edge?.index === i || inView(scale, s.from, s.to));
  return (
    <div className="keptrow" ref={box} data-testid="kept-row">
      {shown.map(({ s, i }) => (
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
        shown.length <= 200 &&
        shown.flatMap(({ s, i }) =>
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
