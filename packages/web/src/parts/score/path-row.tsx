import { useMemo } from 'react';
import { layoutAt, setFrames, type Framing, type Size, type Unit } from '@mivvy/core';
import type { Master } from '@mivvy/api';
import { at, useScoreScale } from './score-view.tsx';

/** How many points the window's way is drawn with, over what is in view. */
const pathPoints = 500;

/** The window's way from side to side (or up and down) through the film, with its keyframes; drawn where it is in view. */
export function PathRow({
  framing,
  units,
  master,
  frameSize,
}: {
  framing: Framing;
  units: readonly Unit[];
  master: Master;
  frameSize: Size;
}) {
  const { view } = useScoreScale();
  const { displayed, frames } = master.facts!.video;
  const [from, to] = [Math.floor(view.from), Math.min(frames, Math.ceil(view.to))];
  const { lines, dots } = useMemo(() => {
    const step = Math.max(1, Math.floor((to - from) / pathPoints));
    const x = (f: number) => ((f - from) / Math.max(1, to - from)) * 1000;
    const y = (f: number) => {
      const w = layoutAt(framing, f, displayed, frameSize).panels[0]!.source;
      const [roomX, roomY] = [displayed.width - w.width, displayed.height - w.height];
      // The direction that has more room is the one that is framed in; the middle where there is none.
      const share = roomX >= roomY ? (roomX > 0.5 ? w.x / roomX : 0.5) : w.y / roomY;
      return 4 + share * 32;
    };
    const lines = units
      .filter((u) => u.to > from && u.from < to)
      .map((u) => {
        const points: string[] = [];
        const [start, end] = [Math.max(u.from, from), Math.min(u.to, to)];
        for (let f = start; f < end; f += step) points.push(`${x(f + 0.5).toFixed(2)},${y(f).toFixed(2)}`);
        points.push(`${x(end).toFixed(2)},${y(end - 1).toFixed(2)}`);
        return `M${points.join('L')}`;
      });
    const dots = framing.stretches.flatMap((s) =>
      setFrames(s.move)
        .map((o) => s.from + o)
        .filter((f) => f >= Math.max(s.from, from) && f < to)
        .map((f) => ({ f, y: y(f) })),
    );
    return { lines, dots };
  }, [framing, units, from, to, displayed, frameSize]);
  return (
    <div className="pathrow" aria-hidden>
      <svg
        viewBox="0 0 1000 40"
        preserveAspectRatio="none"
        style={{ left: at(from, frames), width: at(to - from, frames) }}
      >
        {lines.map((d, i) => (
          <path key={i} d={d} />
        ))}
      </svg>
      {dots.slice(0, 400).map(({ f, y }) => (
        <i key={f} style={{ left: at(f + 0.5, frames), top: `${(y / 40) * 100}%` }} />
      ))}
    </div>
  );
}
