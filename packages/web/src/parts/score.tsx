import { useDrag } from '@use-gesture/react';
import { memo, useMemo, useRef, type KeyboardEvent, type ReactNode } from 'react';
import {
  isPlaced,
  dropFrames,
  filled,
  frameToTimecode,
  layoutAt,
  setFrames,
  shotSpans,
  type FrameSpan,
  type Framing,
  type Keep,
  type Shot,
  type Size,
  type Trouble,
  type Unit,
} from '@mivvy/core';
import type { Master } from '@mivvy/api';
import { useDesk, useHeadPart } from '../play/use-desk.tsx';
import { moveWords } from './move-words.ts';
import { useStill } from './stills.ts';

/** Shots narrower than this on the screen, in per cent of the film, get no picture: it could not be made out. */
const narrowest = 0.9;
/** Below this there is no room for a word beside the shot's number. */
const wordy = 6;
/** How many points the window's path is drawn with. */
const pathPoints = 500;

const at = (frame: number, frames: number) => `${(frame / Math.max(1, frames)) * 100}%`;

/** Rows over one time axis, with the play head through all of them; drag anywhere along it to scrub. */
export function Score({
  master,
  children,
  onArrow,
}: {
  master: Master;
  children: ReactNode;
  onArrow?: (by: number) => void;
}) {
  const desk = useDesk();
  const frame = useHeadPart('frame');
  const box = useRef<HTMLDivElement>(null);
  const frames = master.facts?.video.frames ?? 1;
  const rate = master.facts?.video.rate ?? { num: 25, den: 1 };
  const bind = useDrag(
    ({ xy: [x], first }) => {
      const area = box.current?.getBoundingClientRect();
      if (!area) return;
      if (first) desk.pause();
      desk.seek(Math.floor(((x - area.left) / area.width) * frames));
    },
    { pointer: { keys: false }, filterTaps: false },
  );
  /** With the axis itself in focus, arrows move the head unless the screen has more at hand; elsewhere they are the screen's. */
  const onKeyDown = (event: KeyboardEvent) => {
    const by = { ArrowLeft: -1, ArrowRight: 1, ArrowDown: -1, ArrowUp: 1 }[event.key];
    if (by === undefined) return;
    event.preventDefault();
    event.stopPropagation();
    if (onArrow) onArrow(by * (event.shiftKey ? 10 : 1));
    else desk.step(by * (event.shiftKey ? 25 : 1));
  };
  return (
    <div
      {...bind()}
      ref={box}
      onKeyDown={onKeyDown}
      className="axis"
      role="slider"
      tabIndex={0}
      aria-label="Play head"
      aria-valuemin={0}
      aria-valuemax={frames - 1}
      aria-valuenow={frame}
      aria-valuetext={frameToTimecode(frame, rate)}
    >
      {children}
      <div className="now" style={{ left: at(frame + 0.5, frames) }} />
    </div>
  );
}

/** The shots of a film along its length, each with a still of its middle; words say how each is framed. */
export const ShotRow = memo(function ShotRow({
  master,
  shots,
  chosen,
  words,
}: {
  master: Master;
  shots: readonly Shot[];
  chosen?: { from: number; to: number } | undefined;
  words?: ((shot: number) => string) | undefined;
}) {
  const frames = master.facts?.video.frames ?? 1;
  const spans = useMemo(() => shotSpans(shots, frames), [shots, frames]);
  const borders = useMemo(
    () =>
      spans
        .slice(1)
        .map((s) => `M${(s.from / frames) * 1000} 0V1`)
        .join(''),
    [spans, frames],
  );
  return (
    <div className="shotrow" aria-hidden>
      {spans.map((span, i) => {
        const wide = ((span.to - span.from) / frames) * 100;
        if (wide < narrowest) return null;
        return (
          <ShotCell
            key={span.from}
            master={master}
            frame={Math.floor((span.from + span.to) / 2)}
            left={at(span.from, frames)}
            width={`${wide}%`}
          >
            {i + 1}
            {words && wide > wordy ? ` ${words(i)}` : ''}
          </ShotCell>
        );
      })}
      {spans.length > 1 && (
        <svg viewBox="0 0 1000 1" preserveAspectRatio="none">
          <path d={borders} />
        </svg>
      )}
      {chosen && (
        <div
          className="chosen"
          style={{ left: at(chosen.from, frames), width: at(chosen.to - chosen.from, frames) }}
        />
      )}
    </div>
  );
});

function ShotCell({
  master,
  frame,
  left,
  width,
  children,
}: {
  master: Master;
  frame: number;
  left: string;
  width: string;
  children: ReactNode;
}) {
  const still = useStill(master.id, master.fileGeneration, frame);
  return (
    <div className="cell" style={{ left, width, backgroundImage: still }}>
      <span>{children}</span>
    </div>
  );
}

/** The window's way from side to side (and, in a second line, up and down) through the film, with its keyframes. */
export function PathRow({
  framing,
  units,
  master,
  frameSize: frame,
}: {
  framing: Framing;
  units: readonly Unit[];
  master: Master;
  frameSize: Size;
}) {
  const frames = master.facts!.video.frames;
  const displayed = master.facts!.video.displayed;
  const { lines, dots } = useMemo(() => {
    const step = Math.max(1, Math.floor(frames / pathPoints));
    const y = (f: number) => {
      const w = layoutAt(framing, f, displayed, frame).panels[0]!.source;
      const [roomX, roomY] = [displayed.width - w.width, displayed.height - w.height];
      // The direction that has more room is the one that is framed in; the middle where there is none.
      const share = roomX >= roomY ? (roomX > 0.5 ? w.x / roomX : 0.5) : w.y / roomY;
      return 4 + share * 32;
    };
    const lines = units.map((u) => {
      const points: string[] = [];
      for (let f = u.from; f < u.to; f += step)
        points.push(`${((f + 0.5) / frames) * 1000},${y(f).toFixed(2)}`);
      points.push(`${(u.to / frames) * 1000},${y(u.to - 1).toFixed(2)}`);
      return `M${points.join('L')}`;
    });
    const dots = framing.stretches.flatMap((s) => {
      return setFrames(s.move)
        .map((o) => s.from + o)
        .filter((f) => f >= s.from && f < frames)
        .map((f) => ({ f, y: y(f) }));
    });
    return { lines, dots };
  }, [framing, units, frames, displayed, frame]);
  return (
    <div className="pathrow" aria-hidden>
      <svg viewBox="0 0 1000 40" preserveAspectRatio="none">
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

/** What a cut leaves out, hatched over all rows. */
export const Dropped = memo(function Dropped({
  kept,
  frames,
}: {
  kept: readonly FrameSpan[];
  frames: number;
}) {
  return dropFramesOf(kept, frames).map((s) => (
    <div
      key={s.from}
      className="dropped"
      style={{ left: at(s.from, frames), width: at(s.to - s.from, frames) }}
      aria-hidden
    />
  ));
});
const dropFramesOf = (kept: readonly FrameSpan[], frames: number) =>
  kept.reduce<FrameSpan[]>((left, s) => dropFrames(left, s), [{ from: 0, to: frames }]);

/** What must stay visible, along the film. */
export function KeepRow({ keeps, frames }: { keeps: readonly Keep[]; frames: number }) {
  return (
    <div className="keeprow" aria-hidden>
      {keeps.slice(0, 60).map((k, i) => (
        <div
          key={k.id}
          title={k.name}
          style={{
            left: at(k.span.from, frames),
            width: at(k.span.to - k.span.from, frames),
            top: (i % 2) * 9,
          }}
        />
      ))}
    </div>
  );
}

/** Troubles along the film. */
export function TroubleRow({ troubles, frames }: { troubles: readonly Trouble[]; frames: number }) {
  return (
    <div className="strip tall" aria-hidden>
      {troubles.filter(isPlaced).map((t, i) => (
        <b
          key={i}
          className={t.severity}
          style={{ left: at(t.span.from, frames), width: at(t.span.to - t.span.from, frames) }}
        />
      ))}
    </div>
  );
}

/** How a shot is framed, in a word: for the shots row. */
export function moveWord(framing: Framing, from: number): string {
  const stretch = framing.stretches.findLast((s) => s.from <= from)!;
  const fill = stretch.fill ?? filled;
  if (fill.kind === 'bars') return 'bars';
  if (fill.kind === 'soft') return 'whole';
  if (fill.kind === 'stacked') return 'stacked';
  return `${moveWords[stretch.move.kind].short}${stretch.locked ? ', locked' : ''}`;
}
