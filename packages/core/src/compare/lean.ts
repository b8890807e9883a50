import { median } from '../median.ts';
import type { Layout } from '../framing/framing.ts';
import type { MasterRect } from '../picture/geometry.ts';
import type { Judged } from './judge.ts';

/** How a film's windows lie beside the plan's all through: shares of a window's size, as straight lines over the frames. */
export interface Lean {
  x: Line;
  y: Line;
  width: Line;
  height: Line;
}

interface Line {
  start: number;
  slope: number;
}

/** So many of the pictures that tell anything have to agree, within this share of a window's size. */
const agreeing = 0.8;
const within = 0.002;
/** Less than this, share of a window's size, is no leaning. */
const leastLean = 0.0015;

/** The straight line that most points lie on: the median of all slopes between two of them (Theil and Sen). */
function lineThrough(points: readonly { at: number; value: number }[]): Line {
  const slopes = points.flatMap((a, i) =>
    points.slice(i + 1).flatMap((b) => (b.at === a.at ? [] : [(b.value - a.value) / (b.at - a.at)])),
  );
  const slope = median(slopes) ?? 0;
  return { slope, start: median(points.map(({ at, value }) => value - slope * at)) ?? 0 };
}

const onLine = ({ start, slope }: Line, at: number): number => start + slope * at;

/**
 * Whether a file's windows lie beside the plan's in the same way from its first frame to its last, moved, grown or
 * drifting; null where they do not, or where what was found of them does not agree.
 */
export function leanOf(all: readonly Judged[], layouts: readonly Layout[]): Lean | null {
  const told = all.flatMap((j, i) => {
    const [panel, ...more] = layouts[i]!.panels;
    const window = j.panels[0]?.window;
    if (!window || more.length || !panel) return [];
    const { source } = panel;
    return [
      {
        at: j.at,
        x: (window.x - source.x) / source.width,
        y: (window.y - source.y) / source.height,
        width: window.width / source.width - 1,
        height: window.height / source.height - 1,
      },
    ];
  });
  if (told.length < 3) return null;
  const line = (side: keyof Lean) => lineThrough(told.map((t) => ({ at: t.at, value: t[side] })));
  const lean: Lean = { x: line('x'), y: line('y'), width: line('width'), height: line('height') };
  const sides = ['x', 'y', 'width', 'height'] as const;
  const agree = told.filter((t) =>
    sides.every((side) => Math.abs(t[side] - onLine(lean[side], t.at)) <= within),
  );
  const leans = told.some((t) => sides.some((side) => Math.abs(onLine(lean[side], t.at)) > leastLean));
  return leans && agree.length >= told.length * agreeing ? lean : null;
}

/** A layout of one window as a file that leans shows it. */
export function leaning(layout: Layout, lean: Lean, at: number): Layout {
  const moved = ({ x, y, width, height }: MasterRect): MasterRect => ({
    x: x + onLine(lean.x, at) * width,
    y: y + onLine(lean.y, at) * height,
    width: width * (1 + onLine(lean.width, at)),
    height: height * (1 + onLine(lean.height, at)),
  });
  return { ...layout, panels: layout.panels.map((panel) => ({ ...panel, source: moved(panel.source) })) };
}
