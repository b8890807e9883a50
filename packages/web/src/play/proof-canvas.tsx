import { useEffect, useRef } from 'react';
import {
  deliveredFrameAt,
  layerFilmAt,
  layoutAt,
  paintLaidOver,
  softReduction,
  type Framing,
  type Layout,
  type RenderPlan,
  type Size,
} from '@mivvy/core';
import { lettersNow } from '../letters/letters.ts';
import { filmPictureAt, onPicture, pictureOf } from '../letters/pictures.ts';
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

/** One small canvas for soft grounds, shared by all proofs: each uses it up before the next one draws. */
let softCanvas: HTMLCanvasElement | undefined;

/** Draws a layout from a film's video element, the way the renderer will make it. */
function paint(
  pen: CanvasRenderingContext2D,
  film: Film,
  { layout, frameSize: frame }: { layout: Layout; frameSize: Size },
  width: number,
  height: number,
): void {
  const { video } = film;
  const { displayed } = film.facts.video;
  // A proxy is smaller than its master; windows are in master pixels.
  const [kx, ky] = [video.videoWidth / displayed.width, video.videoHeight / displayed.height];
  const [fx, fy] = [width / frame.width, height / frame.height];
  if (layout.ground?.kind === 'colour') {
    pen.fillStyle = layout.ground.colour;
    pen.fillRect(0, 0, width, height);
  }
  if (layout.ground?.kind === 'soft') {
    softCanvas ??= document.createElement('canvas');
    const w = layout.ground.source;
    Object.assign(softCanvas, {
      width: Math.max(4, Math.round(frame.width * softReduction)),
      height: Math.max(4, Math.round(frame.height * softReduction)),
    });
    const soft = softCanvas.getContext('2d')!;
    soft.imageSmoothingQuality = 'high';
    soft.drawImage(
      video,
      w.x * kx,
      w.y * ky,
      w.width * kx,
      w.height * ky,
      0,
      0,
      softCanvas.width,
      softCanvas.height,
    );
    pen.imageSmoothingQuality = 'high';
    pen.drawImage(softCanvas, 0, 0, width, height);
  }
  pen.imageSmoothingQuality = 'medium';
  for (const { source: w, into } of layout.panels)
    pen.drawImage(
      video,
      w.x * kx,
      w.y * ky,
      w.width * kx,
      w.height * ky,
      into.x * fx,
      into.y * fy,
      into.width * fx,
      into.height * fy,
    );
}

/** Draws what is laid over a version at a master frame, as the file will have it. */
function paintOver(
  pen: CanvasRenderingContext2D,
  source: PictureSource,
  film: Film,
  width: number,
  height: number,
): void {
  const shaper = lettersNow();
  if (source === 'whole' || !source.plan || !shaper) return;
  const { plan } = source;
  if (!plan.layers?.length && !plan.captions) return;
  const frame = deliveredFrameAt(plan, Math.max(0, film.shown));
  if (frame === null) return;
  pen.save();
  pen.scale(width / plan.frame.width, height / plan.frame.height);
  pen.imageSmoothingQuality = 'high';
  paintLaidOver(pen, plan, frame, shaper, (_pen, layer) => {
    const { what, box } = layer;
    if (what.kind === 'words' || what.kind === 'patch') return;
    const at = layerFilmAt(layer, frame, plan.rate);
    const picture =
      what.kind === 'picture'
        ? pictureOf(what.sha256)
        : at === null
          ? null
          : filmPictureAt(pen.canvas, what.sha256, at);
    if (what.kind === 'film' && what.blend === 'screen') pen.globalCompositeOperation = 'screen';
    if (picture) pen.drawImage(picture, box.x, box.y, box.width, box.height);
  });
  pen.restore();
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
      paint(pen, film, layoutFor(latest.current, film), element.width, element.height);
      paintOver(pen, latest.current, film, element.width, element.height);
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
