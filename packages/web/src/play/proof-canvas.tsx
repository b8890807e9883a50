import { useEffect, useRef } from 'react';
import { windowAt, type Framing, type MasterRect, type Size } from '@mivvy/core';
import type { Film } from './play-desk.ts';

/** The window to draw, given the master frame that is shown. */
type WindowSource = { framing: Framing; frame: Size } | 'whole';

/** The part of the master that is to be drawn at a frame, in master pixels. */
function windowFor(source: WindowSource, film: Film): MasterRect {
  const { displayed } = film.facts.video;
  return source === 'whole' ? { x: 0, y: 0, ...displayed } : windowAt(source.framing, Math.max(0, film.shown), displayed, source.frame);
}

/** A live picture drawn from a film by core's own windows, at whatever size the layout gives it. */
export function ProofCanvas({ film, source, label }: { film: Film; source: WindowSource; label: string }) {
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
      const { displayed } = film.facts.video;
      // A proxy is smaller than its master; windows are in master pixels.
      const kx = video.videoWidth / displayed.width;
      const ky = video.videoHeight / displayed.height;
      const w = windowFor(latest.current, film);
      pen.imageSmoothingQuality = 'medium';
      pen.drawImage(video, w.x * kx, w.y * ky, w.width * kx, w.height * ky, 0, 0, element.width, element.height);
      element.dataset.frame = String(film.shown);
    };
    const resize = () => {
      const ratio = Math.min(2, window.devicePixelRatio || 1);
      const box = element.getBoundingClientRect();
      const [width, height] = [Math.max(1, Math.round(box.width * ratio)), Math.max(1, Math.round(box.height * ratio))];
      if (element.width !== width || element.height !== height) Object.assign(element, { width, height });
      draw();
    };
    redraw.current = draw;
    const observer = new ResizeObserver(resize);
    observer.observe(element);
    film.listeners.add(draw);
    film.video.addEventListener('loadeddata', draw);
    film.video.addEventListener('seeked', draw);
    resize();
    return () => {
      observer.disconnect();
      film.listeners.delete(draw);
      film.video.removeEventListener('loadeddata', draw);
      film.video.removeEventListener('seeked', draw);
    };
  }, [film]);

  useEffect(() => {
    latest.current = source;
    redraw.current();
  }, [source]);

  return <canvas ref={canvas} role="img" aria-label={label} />;
}
