import { useDrag } from '@use-gesture/react';
import { useRef, useState } from 'react';
import { placeAt, type Track } from '@mivvy/core';

const style = (b: { x: number; y: number; w: number; h: number }) => ({
  left: `${b.x * 100}%`,
  top: `${b.y * 100}%`,
  width: `${b.w * 100}%`,
  height: `${b.h * 100}%`,
});

/** So many are named, the most plainly seen; the others when the pointer is on them. */
const mostNamed = 3;

/** The subjects seen at a frame, as faint boxes with their names; a click goes by one. */
export function SubjectMarks({
  tracks,
  chosen,
  frame,
  onChoose,
}: {
  tracks: readonly Track[];
  chosen: string | undefined;
  frame: number;
  onChoose: (id: string) => void;
}) {
  return (
    <>
      {tracks.map((t, i) => {
        const place = placeAt(t, frame);
        if (!place) return null;
        return (
          <button
            key={t.id}
            type="button"
            className={`subject ${t.id === chosen ? 'on' : ''}`}
            style={{ ...style(place), opacity: t.id === chosen ? 1 : 0.45 + 0.4 * place.sure }}
            aria-pressed={t.id === chosen}
            aria-label={`Go by the ${t.name}`}
            onClick={() => onChoose(t.id)}
          >
            <span className={i < mostNamed || t.id === chosen ? '' : 'on-hover'}>{t.name}</span>
          </button>
        );
      })}
    </>
  );
}

/** Over the master while a subject is drawn: a drag makes its box. */
export function DrawSubject({
  busy,
  onDrawn,
}: {
  busy: boolean;
  onDrawn: (box: { x: number; y: number; width: number; height: number }) => void;
}) {
  const box = useRef<HTMLDivElement>(null);
  const [live, setLive] = useState<{ x: number; y: number; w: number; h: number } | null>(null);
  const bind = useDrag(
    ({ xy: [x, y], initial: [ix, iy], last, tap, event }) => {
      event.stopPropagation();
      const area = box.current!.getBoundingClientRect();
      const unit = (n: number) => Math.max(0, Math.min(1, n));
      const [u, v, u0, v0] = [
        unit((x - area.left) / area.width),
        unit((y - area.top) / area.height),
        unit((ix - area.left) / area.width),
        unit((iy - area.top) / area.height),
      ];
      const drawn = { x: Math.min(u, u0), y: Math.min(v, v0), w: Math.abs(u - u0), h: Math.abs(v - v0) };
      setLive(last ? null : drawn);
      if (last && !tap && drawn.w > 0.008 && drawn.h > 0.008)
        onDrawn({ x: drawn.x, y: drawn.y, width: drawn.w, height: drawn.h });
    },
    { pointer: { keys: false }, filterTaps: true },
  );
  return (
    <div {...bind()} ref={box} className="draw-subject" data-testid="draw-subject">
      <p>{busy ? 'Following it through the shot …' : 'Drag a box around what to follow'}</p>
      {live && <div className="subject on" style={style(live)} />}
    </div>
  );
}
