import {
  fillFromRing,
  layerFilmAt,
  paintLaidOver,
  softPatch,
  softReduction,
  type Layout,
  type PlannedLayer,
  type RenderPlan,
  type Shaper,
  type Size,
} from '@mivvy/core';
import { filmPictureAt, pictureOf } from '../letters/pictures.ts';

/** One small canvas for soft pictures, shared by all proofs: each uses it up before the next one draws. */
let shared: HTMLCanvasElement | undefined;
function softCanvas(width: number, height: number): HTMLCanvasElement {
  shared ??= document.createElement('canvas');
  // Its pixels are read by soft patches, so it stays out of the graphics card.
  shared.getContext('2d', { willReadFrequently: true });
  Object.assign(shared, { width, height });
  return shared;
}

/** A picture of a film, from whatever shows it, as large as that has it. */
export interface FilmPicture {
  image: CanvasImageSource;
  size: Size;
  /** Of the master: windows are in its pixels, whatever size the picture has. */
  displayed: Size;
}

/** Draws a layout of a film's picture over all of a canvas, the way the renderer will make it. */
export function paintLayout(
  pen: CanvasRenderingContext2D,
  { image, size, displayed }: FilmPicture,
  layout: Layout,
  frame: Size,
): void {
  const { width, height } = pen.canvas;
  const [kx, ky] = [size.width / displayed.width, size.height / displayed.height];
  const [fx, fy] = [width / frame.width, height / frame.height];
  if (layout.ground?.kind === 'colour') {
    pen.fillStyle = layout.ground.colour;
    pen.fillRect(0, 0, width, height);
  }
  if (layout.ground?.kind === 'soft') {
    const w = layout.ground.source;
    const small = softCanvas(
      Math.max(4, Math.round(frame.width * softReduction)),
      Math.max(4, Math.round(frame.height * softReduction)),
    );
    const soft = small.getContext('2d')!;
    soft.imageSmoothingQuality = 'high';
    soft.drawImage(image, w.x * kx, w.y * ky, w.width * kx, w.height * ky, 0, 0, small.width, small.height);
    pen.imageSmoothingQuality = 'high';
    pen.drawImage(small, 0, 0, width, height);
  }
  pen.imageSmoothingQuality = 'medium';
  for (const { source: w, into } of layout.panels)
    pen.drawImage(
      image,
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

/** Draws a patch in the film's own soft picture, from what the canvas shows already. */
function paintSoftPatch(pen: CanvasRenderingContext2D, box: PlannedLayer['box'], frame: Size): void {
  const patch = softPatch(box, frame);
  const { region, hidden, columns, rows } = patch;
  const [fx, fy] = [pen.canvas.width / frame.width, pen.canvas.height / frame.height];
  const small = softCanvas(columns, rows);
  const soft = small.getContext('2d')!;
  soft.imageSmoothingQuality = 'high';
  soft.drawImage(
    pen.canvas,
    region.x * fx,
    region.y * fy,
    region.width * fx,
    region.height * fy,
    0,
    0,
    columns,
    rows,
  );
  const cells = soft.getImageData(0, 0, columns, rows);
  fillFromRing(cells.data, patch);
  soft.putImageData(cells, 0, 0);
  pen.save();
  pen.beginPath();
  pen.rect(hidden.x, hidden.y, hidden.width, hidden.height);
  pen.clip();
  pen.drawImage(small, region.x, region.y, region.width, region.height);
  pen.restore();
}

/** Draws what is laid over a version at a delivered frame over all of a canvas, as the file will have it. */
export function paintOver(
  pen: CanvasRenderingContext2D,
  plan: RenderPlan,
  frame: number,
  shaper: Shaper,
): void {
  pen.save();
  pen.scale(pen.canvas.width / plan.frame.width, pen.canvas.height / plan.frame.height);
  pen.imageSmoothingQuality = 'high';
  paintLaidOver(pen, plan, frame, shaper, (_pen, layer) => {
    const { what, box } = layer;
    if (what.kind === 'words') return;
    if (what.kind === 'patch') {
      paintSoftPatch(pen, box, plan.frame);
      return;
    }
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
