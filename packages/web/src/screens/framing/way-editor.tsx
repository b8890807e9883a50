import { useDrag } from '@use-gesture/react';
import { useMemo, useRef, useState } from 'react';
import {
  clamp,
  frameToTimecode,
  largestWindowSize,
  placeAt,
  poseOfMove,
  type FollowMove,
  type SetPoint,
  type Size,
  type Track,
} from '@mivvy/core';
import { snapping } from '../../parts/score/score-view.tsx';
import { useDesk } from '../../play/use-desk.tsx';
import { useFraming, useHeadFrame } from './framing-session.tsx';
import type { Following } from './use-following.ts';

/** Height of the drawing, in its own units; its width is a thousand. */
const tall = 100;
const samples = 240;

interface Axis {
  /** The way that the window has room to go. */
  name: 'x' | 'y';
  /** Its side as a fraction of the master's. */
  side: number;
}

function axisOf(move: FollowMove, masterSize: Size, frameSize: Size): Axis {
  const window = largestWindowSize(masterSize, frameSize);
  const [x, y] = [window.width / move.zoom / masterSize.width, window.height / move.zoom / masterSize.height];
  return x <= y ? { name: 'x', side: x } : { name: 'y', side: y };
}

/**
 * One shot's way, large: where the subject goes and how sure that is, the band that holds it, where the window goes,
 * and the points that a person has set, to be moved. Left of the picture is up.
 */
export function WayEditor() {
  const { master, clip, unit, frameSize: frame, following } = useFraming();
  const move = clip.move as FollowMove;
  const desk = useDesk();
  const { displayed, rate } = master.facts!.video;
  const length = unit.to - unit.from;
  const box = useRef<HTMLDivElement>(null);
  const axis = axisOf(move, displayed, frame);
  const y = (middle: number) => clamp(middle, 0, 1) * tall;
  const [span, setSpan] = useState<{ from: number; to: number } | null>(null);
  const [live, setLive] = useState<{ was: number; point: SetPoint } | null>(null);
  const xOf = (at: number) => (at / Math.max(1, length - 1)) * 1000;

  const drawn = useMemo(() => {
    const frames = Array.from({ length: Math.min(samples, length) }, (_, i) =>
      Math.round((i * (length - 1)) / Math.max(1, Math.min(samples, length) - 1)),
    );
    const way = frames
      .map((f) => `${xOf(f).toFixed(1)},${y(poseOfMove(move, f, displayed, frame)[axis.name]).toFixed(2)}`)
      .join('L');
    return {
      way,
      ...subjectLines(
        following.subject,
        frames.map((f) => f + unit.from),
        unit.from,
        axis,
        xOf,
        y,
      ),
    };
    // eslint-disable-next-line react-hooks/exhaustive-deps -- the two scales depend on the same things
  }, [move, following.subject, unit, displayed, frame, axis.name, axis.side]);

  /** A place of the drawing: at the play head, an end of the shot or of a span where one is near, unless `loose`. */
  const placeOf = (clientX: number, clientY: number, loose: boolean): SetPoint => {
    const area = box.current!.getBoundingClientRect();
    const free = clamp((clientX - area.left) / area.width, 0, 1) * (length - 1);
    const near = [
      0,
      length - 1,
      desk.snapshot().frame - unit.from,
      ...move.spans.flatMap((s) => [s.from, s.to]),
    ]
      .filter((frame) => frame >= 0 && frame < length)
      .sort((a, b) => a - b);
    const at = Math.round(snapping(near, area.width / Math.max(1, length - 1))(free, loose));
    const along = clamp((clientY - area.top) / area.height, 0, 1);
    const pose = poseOfMove(move, at, displayed, frame);
    const middle = clamp(along, axis.side / 2, 1 - axis.side / 2);
    return { at, x: axis.name === 'x' ? middle : pose.x, y: axis.name === 'y' ? middle : pose.y };
  };
  /** A drag with shift marks a span; without, it takes the head along. */
  const bind = useDrag(
    ({ xy: [x], initial: [ix], first, event }) => {
      if ((event.target as HTMLElement).closest('.setpoint')) return;
      const area = box.current!.getBoundingClientRect();
      const at = (clientX: number) =>
        Math.round(clamp((clientX - area.left) / area.width, 0, 1) * (length - 1));
      if (event.shiftKey || span) {
        if (event.shiftKey) setSpan({ from: Math.min(at(ix), at(x)), to: Math.max(at(ix), at(x)) });
        return;
      }
      if (first) desk.pause();
      desk.seek(unit.from + at(x));
    },
    { pointer: { keys: false } },
  );
  const bindPoint = useDrag(
    ({ args: [at], xy: [x, yy], last, tap, event, altKey }) => {
      event.stopPropagation();
      if (tap) return;
      const point = placeOf(x, yy, altKey);
      setLive(last ? null : { was: at as number, point });
      if (last) following.movePoint(at as number, point.at, { x: point.x, y: point.y });
    },
    { pointer: { keys: false }, filterTaps: true },
  );

  const points = move.points.map((p) =>
    live?.was === p.at ? { ...live.point, was: p.at } : { ...p, was: p.at },
  );
  const words = axis.name === 'x' ? ['left', 'right'] : ['top', 'bottom'];
  const mark = (how: 'still' | 'even' | null) => {
    if (span) following.setSpan({ ...span, how } as Parameters<Following['setSpan']>[0]);
    setSpan(null);
  };
  return (
    <div className="wayeditor">
      <div className="wayends quiet" aria-hidden>
        <span>{words[0]}</span>
        <span>{words[1]}</span>
      </div>
      <div
        {...bind()}
        ref={box}
        className="waybox"
        data-testid="way"
        onDoubleClick={(event) => {
          const p = placeOf(event.clientX, event.clientY, event.altKey);
          following.setPoint(p.at, { x: p.x, y: p.y });
        }}
      >
        <svg viewBox={`0 0 1000 ${tall}`} preserveAspectRatio="none" aria-hidden>
          {move.spans.map((s) => (
            <rect
              key={s.from}
              className={`set ${s.how}`}
              x={xOf(s.from)}
              width={Math.max(2, xOf(s.to) - xOf(s.from))}
              y={0}
              height={tall}
            />
          ))}
          {span && (
            <rect
              className="marking"
              x={xOf(span.from)}
              width={Math.max(2, xOf(span.to) - xOf(span.from))}
              y={0}
              height={tall}
            />
          )}
          {drawn.band.map((d, i) => (
            <path key={i} className="band" d={d} />
          ))}
          {drawn.subject.map((s, i) => (
            <path key={i} className="subjectway" d={s.d} style={{ strokeWidth: s.weight }} />
          ))}
          <path className="way" d={`M${drawn.way}`} />
        </svg>
        <HeadLine xOf={xOf} />
        {points.map((p) => (
          <button
            key={p.was}
            {...bindPoint(p.was)}
            type="button"
            className="setpoint"
            style={{ left: `${xOf(p.at) / 10}%`, top: `${y(p[axis.name])}%` }}
            aria-label={`Point at ${frameToTimecode(unit.from + p.at, rate)}`}
            onFocus={() => {
              desk.pause();
              desk.seek(unit.from + p.was);
            }}
            onKeyDown={(event) => {
              const [dt, d] = {
                ArrowLeft: [-1, 0],
                ArrowRight: [1, 0],
                ArrowUp: [0, -0.01],
                ArrowDown: [0, 0.01],
              }[event.key] ?? [0, 0];
              if (event.key === 'Delete' || event.key === 'Backspace') following.setPoint(p.was, null);
              else if (dt || d)
                following.movePoint(p.was, clamp(p.was + dt!, 0, length - 1), {
                  x: axis.name === 'x' ? clamp(p.x + d!, 0, 1) : p.x,
                  y: axis.name === 'y' ? clamp(p.y + d!, 0, 1) : p.y,
                });
              else return;
              event.preventDefault();
              event.stopPropagation();
            }}
          />
        ))}
      </div>
      <div className="waywords quiet">
        {span ? (
          <>
            From <span className="mono">{frameToTimecode(unit.from + span.from, rate)}</span> to{' '}
            <span className="mono">{frameToTimecode(unit.from + span.to, rate)}</span>:{' '}
            <button className="fix" onClick={() => mark('still')}>
              stand still
            </button>
            ,{' '}
            <button className="fix" onClick={() => mark('even')}>
              go evenly
            </button>
            ,{' '}
            <button className="fix" onClick={() => mark(null)}>
              as it is chosen
            </button>
            ,{' '}
            <button className="fix" onClick={() => setSpan(null)}>
              leave it
            </button>
          </>
        ) : (
          <>
            Solid: the window. Dashed:{' '}
            {following.subject ? `the ${following.subject.name}, thicker where it is surer` : 'no subject'}.
            Shaded: where its middle must be. Double-click sets a point, delete removes one; drag with shift
            for a span.
          </>
        )}
      </div>
    </div>
  );
}

/** The play head in the shot. */
function HeadLine({ xOf }: { xOf: (at: number) => number }) {
  const { unit } = useFraming();
  return <div className="now" style={{ left: `${xOf(useHeadFrame() - unit.from) / 10}%` }} />;
}

/** The subject's way as dashed pieces whose weight is how sure it is, and the band of window middles that hold it whole. */
function subjectLines(
  track: Track | undefined,
  frames: readonly number[],
  from: number,
  axis: Axis,
  xOf: (at: number) => number,
  y: (middle: number) => number,
): { subject: { d: string; weight: number }[]; band: string[] } {
  const subject: { d: string; weight: number }[] = [];
  const band: string[] = [];
  if (!track) return { subject, band };
  const long = axis.name === 'x' ? 'w' : 'h';
  let run: { x: number; middle: number; low: number; high: number; sure: number }[] = [];
  const close = () => {
    if (run.length > 1) {
      band.push(
        `M${[...run.map((p) => `${p.x.toFixed(1)},${y(p.low).toFixed(2)}`), ...[...run].reverse().map((p) => `${p.x.toFixed(1)},${y(p.high).toFixed(2)}`)].join('L')}Z`,
      );
      for (let i = 0; i + 1 < run.length; i += 6) {
        const part = run.slice(i, i + 7);
        const sure = part.reduce((sum, p) => sum + p.sure, 0) / part.length;
        subject.push({
          d: `M${part.map((p) => `${p.x.toFixed(1)},${y(p.middle).toFixed(2)}`).join('L')}`,
          weight: 0.8 + 2.2 * sure,
        });
      }
    }
    run = [];
  };
  for (const frame of frames) {
    const place = placeAt(track, frame);
    if (!place) {
      close();
      continue;
    }
    const [start, size] = [place[axis.name], place[long]];
    const half = axis.side / 2;
    // Middles of the window that hold the subject whole; where it is wider than the window, its own middle.
    const [low, high] =
      size < axis.side
        ? [Math.max(half, start + size - half), Math.min(1 - half, start + half)]
        : [start + size / 2, start + size / 2];
    run.push({
      x: xOf(frame - from),
      middle: start + size / 2,
      low: Math.min(low, 1 - half),
      high: Math.max(high, half),
      sure: place.sure,
    });
  }
  close();
  return { subject, band };
}
