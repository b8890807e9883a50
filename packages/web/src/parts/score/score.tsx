import { useDrag } from '@use-gesture/react';
import { useEffect, useMemo, type KeyboardEvent, type ReactNode } from 'react';
import {
  frameToTimecode,
  oneShot,
  panned,
  shotIndexAt,
  shotSpans,
  viewOf,
  wholeFilm,
  withFrame,
  zoomedAt,
} from '@mivvy/core';
import type { Master } from '@mivvy/api';
import { useKey } from '../../keys/use-key.ts';
import { useDesk, useHeadPart } from '../../play/use-desk.tsx';
import { useWidth } from '../use-width.ts';
import { Overview } from './overview.tsx';
import { Ruler } from './ruler.tsx';
import { at, ScaleContext, snapping, useScoreView, type ScoreScale } from './score-view.tsx';
import './score.css';

/** One turn of the wheel zooms by so much, and one press of a key. */
const wheelZoom = 0.0022;
const keyZoom = 1.6;

/** The play head's line through all rows. */
function HeadLine({ frames }: { frames: number }) {
  const frame = useHeadPart('frame');
  return <div className="now" style={{ left: at(frame + 0.5, frames) }} />;
}

/**
 * Rows over one time axis, with a ruler, an overview, and the play head through all of them. Drag anywhere along it to
 * scrub; the wheel with ctrl zooms, the wheel sideways moves along.
 */
export function Score({
  master,
  children,
  onArrow,
  edges,
}: {
  master: Master;
  children: ReactNode;
  onArrow?: (by: number) => void;
  /** Frames that a drag is drawn to, besides the edges of shots and the play head. */
  edges?: readonly number[] | undefined;
}) {
  const desk = useDesk();
  const frames = master.facts?.video.frames ?? 1;
  const rate = master.facts?.video.rate ?? { num: 25, den: 1 };
  const shots = master.shots ?? oneShot;
  const [measure, box, width] = useWidth();
  const [view, change] = useScoreView(master.id, frames);
  const length = view.to - view.from;
  const pixelsPerFrame = width / length;
  const scale = useMemo((): ScoreScale => {
    const fixed = [...shots.map((s) => s.from), frames, ...(edges ?? [])];
    return {
      view,
      frames,
      pixelsPerFrame,
      snap: (frame, loose) =>
        snapping(
          [...fixed, desk.snapshot().frame].sort((a, b) => a - b),
          pixelsPerFrame,
        )(frame, loose),
    };
  }, [view, frames, pixelsPerFrame, shots, edges, desk]);

  const { from } = view;
  const bind = useDrag(
    ({ xy: [x], first }) => {
      const area = box.current?.getBoundingClientRect();
      if (!area) return;
      if (first) desk.pause();
      const frame = from + ((x - area.left) / area.width) * length;
      desk.seek(Math.floor(Math.max(0, Math.min(frames - 1, frame))));
    },
    { pointer: { keys: false }, filterTaps: false },
  );
  // The browser's own zoom is kept from the wheel, which only a listener that is not passive can do.
  useEffect(() => {
    const element = box.current;
    if (!element) return;
    const onWheel = (event: WheelEvent) => {
      if (event.ctrlKey || event.metaKey) {
        event.preventDefault();
        const area = element.getBoundingClientRect();
        const frame = from + ((event.clientX - area.left) / area.width) * length;
        change((now) => zoomedAt(now, frame, Math.exp(-event.deltaY * wheelZoom), frames, width));
        return;
      }
      const sideways = event.shiftKey ? event.deltaY : event.deltaX;
      if (Math.abs(sideways) < 1) return;
      event.preventDefault();
      change((now) => panned(now, (sideways / width) * (now.to - now.from), frames));
    };
    element.addEventListener('wheel', onWheel, { passive: false });
    return () => element.removeEventListener('wheel', onWheel);
  }, [box, change, from, length, frames, width]);
  // It stays with the head, wherever that goes.
  useEffect(() => {
    const stop = desk.subscribe(() => {
      const { frame } = desk.snapshot();
      change((now) => withFrame(now, frame, frames));
    });
    return () => void stop();
  }, [desk, change, frames]);
  const showShot = () => {
    const spans = shotSpans(shots, frames);
    const shot = spans[shotIndexAt(shots, desk.snapshot().frame)];
    if (shot) change(() => viewOf(shot, frames, width));
  };
  const showAll = () => change(() => wholeFilm(frames));
  useKey('Everywhere.scoreShot', showShot);
  useKey('Everywhere.scoreAll', showAll);
  const zoomAtHead = (factor: number) =>
    change((now) => zoomedAt(now, desk.snapshot().frame + 0.5, factor, frames, width));
  /** With the axis itself in focus, arrows move the head unless the screen has more at hand; elsewhere they are the screen's. */
  const onKeyDown = (event: KeyboardEvent) => {
    const by = { ArrowLeft: -1, ArrowRight: 1, ArrowDown: -1, ArrowUp: 1 }[event.key];
    const zoom = { '+': keyZoom, '=': keyZoom, '-': 1 / keyZoom }[event.key];
    if (by === undefined && (zoom === undefined || event.ctrlKey || event.metaKey)) return;
    event.preventDefault();
    event.stopPropagation();
    if (zoom !== undefined) zoomAtHead(zoom);
    else if (onArrow) onArrow(by! * (event.shiftKey ? 10 : 1));
    else desk.step(by! * (event.shiftKey ? 25 : 1));
  };
  return (
    <div className="timeaxis" data-from={view.from} data-to={view.to}>
      <Overview
        master={master}
        shots={shots}
        view={view}
        onMove={(from) => change((now) => panned(now, from - now.from, frames))}
        onShot={showShot}
        onAll={showAll}
        onZoom={zoomAtHead}
      />
      <ScoreAxis
        bind={bind}
        measure={measure}
        onKeyDown={onKeyDown}
        frames={frames}
        words={(frame) => frameToTimecode(frame, rate)}
      >
        <div
          className="lane"
          style={{ width: pixelsPerFrame * frames, marginLeft: -view.from * pixelsPerFrame }}
        >
          <ScaleContext value={scale}>
            <Ruler rate={rate} />
            {children}
          </ScaleContext>
          <HeadLine frames={frames} />
        </div>
      </ScoreAxis>
    </div>
  );
}

/** The part of the score that scrubs; it tells where the head is without drawing the rows anew. */
function ScoreAxis({
  bind,
  measure,
  onKeyDown,
  frames,
  words,
  children,
}: {
  bind: () => object;
  measure: (element: HTMLDivElement | null) => (() => void) | undefined;
  onKeyDown: (event: KeyboardEvent) => void;
  frames: number;
  words: (frame: number) => string;
  children: ReactNode;
}) {
  const frame = useHeadPart('frame');
  return (
    <div
      {...bind()}
      ref={measure}
      onKeyDown={onKeyDown}
      className="axis"
      role="slider"
      tabIndex={0}
      aria-label="Play head"
      aria-valuemin={0}
      aria-valuemax={frames - 1}
      aria-valuenow={frame}
      aria-valuetext={words(frame)}
    >
      {children}
    </div>
  );
}
