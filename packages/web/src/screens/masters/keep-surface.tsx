import { useDrag } from '@use-gesture/react';
import { useRef, useState } from 'react';
import {
  clampFraction,
  keepAt,
  oneShot,
  shotIndexAt,
  shotSpans,
  withKeepAt,
  type Keep,
  type MasterFraction,
} from '@mivvy/core';
import type { Master } from '@mivvy/api';
import { useHeadPart } from '../../play/use-desk.tsx';
import { useWork } from './shots-panel.tsx';

/** A region smaller than this, as a fraction of the picture's side, was a slip of the hand. */
const smallest = 0.01;

type Grip =
  { kind: 'draw'; x: number; y: number } | { kind: 'move' | 'size'; keep: Keep; rect: MasterFraction };

/** Over the picture: keeps are drawn, moved and sized here. */
export function KeepSurface({
  master,
  chosenId,
  onChoose,
  drawing,
  onDraw,
}: {
  master: Master;
  chosenId: string | null;
  onChoose: (id: string) => void;
  drawing: boolean;
  onDraw: (drawing: boolean) => void;
}) {
  const frame = useHeadPart('frame');
  const { run } = useWork(master);
  const box = useRef<HTMLDivElement>(null);
  const grip = useRef<Grip | null>(null);
  const [live, setLive] = useState<{ id: string | null; rect: MasterFraction } | null>(null);
  const { frames } = master.facts!.video;
  const at = Math.min(frame, frames - 1);

  const draw = (rect: MasterFraction) => {
    const shots = master.shots ?? oneShot;
    const span = shotSpans(shots, frames)[shotIndexAt(shots, at)]!;
    const keep: Keep = {
      id: crypto.randomUUID().slice(0, 8),
      name: `Keep ${master.keeps.length + 1}`,
      kind: 'other',
      span,
      keys: [{ at: span.from, ...clampFraction(rect) }],
    };
    run({ kind: 'work', revision: master.revision, keeps: [...master.keeps, keep] });
    onChoose(keep.id);
    onDraw(false);
  };

  const bind = useDrag(
    ({ xy: [x, y], initial: [ix, iy], first, last, event, tap }) => {
      const area = box.current!.getBoundingClientRect();
      const [u, v, u0, v0] = [
        (x - area.left) / area.width,
        (y - area.top) / area.height,
        (ix - area.left) / area.width,
        (iy - area.top) / area.height,
      ];
      if (first) {
        const target = event.target as HTMLElement;
        const keep = master.keeps.find(
          (k) => k.id === target.closest<HTMLElement>('[data-keep]')?.dataset.keep,
        );
        grip.current =
          drawing || !keep
            ? drawing
              ? { kind: 'draw', x: u0, y: v0 }
              : null
            : { kind: target.dataset.corner ? 'size' : 'move', keep, rect: keepAt(keep, at) };
        if (keep && !drawing) onChoose(keep.id);
      }
      const g = grip.current;
      if (!g || tap) return;
      const clampUnit = (n: number) => Math.max(0, Math.min(1, n));
      const rect: MasterFraction =
        g.kind === 'draw'
          ? {
              x: clampUnit(Math.min(g.x, u)),
              y: clampUnit(Math.min(g.y, v)),
              width: Math.abs(clampUnit(u) - clampUnit(g.x)),
              height: Math.abs(clampUnit(v) - clampUnit(g.y)),
            }
          : g.kind === 'move'
            ? clampFraction({ ...g.rect, x: g.rect.x + u - u0, y: g.rect.y + v - v0 })
            : clampFraction({
                ...g.rect,
                width: Math.max(smallest, Math.min(1 - g.rect.x, g.rect.width + u - u0)),
                height: Math.max(smallest, Math.min(1 - g.rect.y, g.rect.height + v - v0)),
              });
      setLive({ id: g.kind === 'draw' ? null : g.keep.id, rect });
      if (!last) return;
      setLive(null);
      grip.current = null;
      if (g.kind === 'draw') {
        if (rect.width >= smallest && rect.height >= smallest) draw(rect);
      } else if (Math.abs(u - u0) + Math.abs(v - v0) > 0.001) {
        run({
          kind: 'work',
          revision: master.revision,
          keeps: master.keeps.map((k) => (k.id === g.keep.id ? withKeepAt(k, at, rect) : k)),
        });
      }
    },
    { pointer: { keys: false }, filterTaps: true },
  );

  const place = (r: MasterFraction) => ({
    left: `${r.x * 100}%`,
    top: `${r.y * 100}%`,
    width: `${r.width * 100}%`,
    height: `${r.height * 100}%`,
  });
  return (
    <div
      {...bind()}
      ref={box}
      className={`keepsurface ${drawing ? 'drawing' : ''}`}
      data-testid="keep-surface"
    >
      {master.keeps
        .filter((k) => at >= k.span.from && at < k.span.to)
        .map((k) => (
          <div
            key={k.id}
            data-keep={k.id}
            className={`keepbox ${k.id === chosenId ? 'on' : ''}`}
            style={place(live?.id === k.id ? live.rect : keepAt(k, at))}
          >
            <span>{k.name}</span>
            <i data-corner="1" />
          </div>
        ))}
      {live && live.id === null && <div className="keepbox on" style={place(live.rect)} />}
    </div>
  );
}
