import { useEffect, useRef } from 'react';
import {
  deliveredFrameAt,
  layoutAt,
  type Framing,
  type Layout,
  type RenderPlan,
  type Size,
} from '@mivvy/core';
import { lettersNow } from '../letters/letters.ts';
import { onPicture } from '../letters/pictures.ts';
import { paintLayout, paintOver } from './paint-version.ts';
import type { Film } from './player.ts';

/** What to draw, given the master frame that is shown: a version's layout with what is laid over it, or the whole master. */
type PictureSource = { framing: Framing; frameSize: Size; plan?: RenderPlan | undefined } | 'whole';

function layoutFor(source: PictureSource, film: Film): { layout: Layout; frameSize: Size } {
  const { displayed } = film.facts.video;
  if (source === 'whole')
    return {
      frameSize: displayed,
      layout: {
        panels: [{ source: { x: 0, y: 0, ...displayed }, into: { x: 0, y: 0, ...displayed } }],
        ground: null,
      },
    };
  return {
    frameSize: source.frameSize,
    layout: layoutAt(source.framing, Math.max(0, film.shown), displayed, source.frameSize),
  };
}

/** Draws a film's picture as a version shows it, or whole. */
function paint(pen: CanvasRenderingContext2D, source: PictureSource, film: Film): void {
  const { video } = film;
  const { layout, frameSize } = layoutFor(source, film);
  const size = { width: video.videoWidth, height: video.videoHeight };
  paintLayout(pen, { image: video, size, displayed: film.facts.video.displayed }, layout, frameSize);
  const shaper = lettersNow();
  if (source === 'whole' || !source.plan || !shaper) return;
  const { plan } = source;
  const at = plan.layers?.length || plan.captions ? deliveredFrameAt(plan, Math.max(0, film.shown)) : null;
  if (at !== null) paintOver(pen, plan, at, shaper);
}

/** A live picture drawn from a film by core's own windows, at whatever size the layout gives it. */
export function ProofCanvas({ film, source, label }: { film: Film; source: PictureSource; label: string }) {
  const canvas = useRef<HTMLCanvasElement>(null);
  const latest = useRef(source);
  const redraw = useRef<() => void>(() => undefined);

  useEffect(() => {
    const element = canvas.current;
    const pen = element?.getContext('2d', { alpha: false });
    if (!element || !pen) return;
    const draw = () => {
      const { video } = film;
      if (video.readyState < 2 || !video.videoWidth) return;
      paint(pen, latest.current, film);
      element.dataset.frame = String(film.shown);
    };
    const resize = () => {
      const ratio = Math.min(2, window.devicePixelRatio || 1);
      const box = element.getBoundingClientRect();
      const [width, height] = [
        Math.max(1, Math.round(box.width * ratio)),
        Math.max(1, Math.round(box.height * ratio)),
      ];
      if (element.width !== width || element.height !== height) Object.assign(element, { width, height });
      draw();
    };
    redraw.current = draw;
    const observer = new ResizeObserver(resize);
    observer.observe(element);
    film.listeners.add(draw);
    const forget = onPicture(draw);
    resize();
    return () => {
      observer.disconnect();
      film.listeners.delete(draw);
      forget();
    };
  }, [film]);

  useEffect(() => {
    latest.current = source;
    redraw.current();
  }, [source]);

  return <canvas ref={canvas} role="img" aria-label={label} />;
}
