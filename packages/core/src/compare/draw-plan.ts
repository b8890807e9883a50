import type { Layout } from '../framing/framing.ts';
import type { Size } from '../picture/geometry.ts';
import { drawPart, scaledRect, type Drawable } from './grid.ts';

/** A picture of a plan, drawn small to be compared with. */
export interface PlanPicture extends Size {
  data: Float32Array;
  /** 1 where the picture is known; 0 where a soft ground lies, which is drawn by the renderer alone. */
  known: Uint8Array;
}

/** Luma of a colour as BT.709 codes it, limited range (Rec. ITU-R BT.709). */
function lumaOf(colour: string): number {
  const [r = 0, g = 0, b = 0] = [1, 3, 5].map((at) => Number.parseInt(colour.slice(at, at + 2), 16));
  return 16 + (219 * (0.2126 * r + 0.7152 * g + 0.0722 * b)) / 255;
}

/**
 * Draws one picture of a plan from a picture of its master.
 *
 * @param master luma of the master, limited range, of any size
 * @param masterSize displayed size of the master, which the layout is in
 * @param frameSize the delivered frame, which the layout's panels lie in
 */
export function drawPlan(
  layout: Layout,
  master: Drawable,
  masterSize: Size,
  frameSize: Size,
  cells: Size,
): PlanPicture {
  const { width, height } = cells;
  const ground = layout.ground?.kind === 'colour' ? lumaOf(layout.ground.colour) : 0;
  const data = new Float32Array(width * height).fill(ground);
  const known = new Uint8Array(width * height).fill(layout.ground?.kind === 'soft' ? 0 : 1);
  for (const { source, into } of layout.panels) {
    const place = scaledRect(into, frameSize, cells);
    const [left, top] = [Math.round(place.x), Math.round(place.y)];
    const part = {
      width: Math.max(1, Math.round(place.x + place.width) - left),
      height: Math.max(1, Math.round(place.y + place.height) - top),
    };
    const drawn = drawPart(master, scaledRect(source, masterSize, master), part);
    for (let y = 0; y < part.height; y++) {
      const at = (top + y) * width + left;
      data.set(drawn.subarray(y * part.width, (y + 1) * part.width), at);
      known.fill(1, at, at + part.width);
    }
  }
  return { width, height, data, known };
}
