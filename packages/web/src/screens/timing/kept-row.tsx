import { useDrag } from '@use-gesture/react';
import { memo, useMemo, type PointerEvent, type RefObject } from 'react';
import { curveBetween, levelsOfDetail, type FrameSpan } from '@mivvy/core';
import type { FilmActivity } from '@mivvy/api';
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

/** How many points the loudness is drawn with, over what is in view. */
const levelPoints = 700;
/** Quieter than this is drawn as nothing, dB below full scale. */
const floorDb = -60;

/** Loudness along the film, with where somebody speaks and where nothing is heard; drawn where it is in view. */
export const LevelRow = memo(function LevelRow({
  along,
  frames,
}: {
  along: FilmActivity | undefined;
  frames: number;
}) {
  const scale = useScoreScale();
  const { view } = scale;
  const levels = along?.levels;
  const detail = useMemo(() => (levels?.length ? levelsOfDetail(levels) : null), [levels]);
  const path = useMemo(() => {
    if (!detail) return null;
    const points = curveBetween(detail, view.from, view.to, levelPoints).map(({ at: frame, value }) => {
      const x = ((frame - view.from) / (view.to - view.from)) * 1000;
      const loud = Math.max(floorDb, value);
      return { x: x.toFixed(1), y: (30 - (30 * (loud - floorDb)) / -floorDb).toFixed(1) };
    });
    const [first, last] = [points[0], points.at(-1)];
    if (!first || !last) return null;
    return `M${first.x},30L${points.map((p) => `${p.x},${p.y}`).join('L')}L${last.x},30Z`;
  }, [detail, view]);
  const marks = (spans: readonly FrameSpan[] | undefined, kind: 'speech' | 'silence', title: string) =>
    spans
      ?.filter((s) => inView(scale, s.from, s.to))
      .map((s) => <u key={s.from} className={kind} style={span(s, frames)} title={title} />);
  return (
    <div className="levelrow" aria-hidden>
      {along && !levels && <span className="quiet">This film has no sound.</span>}
      {path && (
        <svg
          viewBox="0 0 1000 30"
          preserveAspectRatio="none"
          style={{ left: at(view.from, frames), width: at(view.to - view.from, frames) }}
        >
          <path d={path} />
        </svg>
      )}
      {marks(along?.speech, 'speech', 'Speech')}
      {marks(along?.silences, 'silence', 'Silence')}
    </div>
  );
});
