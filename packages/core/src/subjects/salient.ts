import type { Size } from '../picture/geometry.ts';
import type { LookPicture } from './picture.ts';

// Taken once: looked up in the inner loops, a test runner's sandbox makes them a hundred times slower.
const { abs, hypot, max, min, sqrt } = Math;

/** Colours are counted in so many steps of luma and of each colour difference. */
const steps = [8, 10, 10] as const;
const bins = steps[0] * steps[1] * steps[2];

/**
 * How much each pixel catches the eye by colour and contrast, 0 to 255: its colour is far from the picture's other
 * colours, seldom, lies together in one place, and not along the edges. After the idea of histogram contrast (Cheng et
 * al., “Global Contrast Based Salient Region Detection”, 2011) with the spread of a colour over the picture as a second
 * measure (Perazzi et al., “Saliency Filters”, 2012); both from memory.
 */
export function saliencyOf(picture: LookPicture, { width, height }: Size): Uint8Array {
  const plane = width * height;
  const bin = new Uint16Array(plane);
  const count = new Float64Array(bins);
  const [sumX, sumY, sumXX, sumYY, edge] = [
    new Float64Array(bins),
    new Float64Array(bins),
    new Float64Array(bins),
    new Float64Array(bins),
    new Float64Array(bins),
  ];
  const [meanL, meanU, meanV] = [new Float64Array(bins), new Float64Array(bins), new Float64Array(bins)];
  for (let y = 0; y < height; y++) {
    for (let x = 0; x < width; x++) {
      const i = y * width + x;
      const [l, u, v] = [picture[i]!, picture[plane + i]!, picture[2 * plane + i]!];
      // Colour differences seldom go far: they are counted finely in the middle.
      const b =
        (min(7, l >> 5) * steps[1] + max(0, min(9, ((u - 78) / 10) | 0))) * steps[2] +
        max(0, min(9, ((v - 78) / 10) | 0));
      bin[i] = b;
      count[b]!++;
      const [nx, ny] = [x / width, y / height];
      sumX[b]! += nx;
      sumY[b]! += ny;
      sumXX[b]! += nx * nx;
      sumYY[b]! += ny * ny;
      if (x < 3 || y < 3 || x >= width - 3 || y >= height - 3) edge[b]!++;
      meanL[b]! += l;
      meanU[b]! += u;
      meanV[b]! += v;
    }
  }
  const used: number[] = [];
  for (let b = 0; b < bins; b++) {
    if (!count[b]) continue;
    used.push(b);
    meanL[b]! /= count[b]!;
    meanU[b]! /= count[b]!;
    meanV[b]! /= count[b]!;
  }
  const rim = 6 * (width + height);
  const score = new Float64Array(bins);
  let most = 0;
  for (const b of used) {
    let contrast = 0;
    let [weight, wx, wy, wxx, wyy, wEdge] = [0, 0, 0, 0, 0, 0];
    for (const o of used) {
      const apart = sqrt(
        ((meanL[b]! - meanL[o]!) * 0.6) ** 2 +
          ((meanU[b]! - meanU[o]!) * 1.7) ** 2 +
          ((meanV[b]! - meanV[o]!) * 1.7) ** 2,
      );
      contrast += (count[o]! / plane) * min(90, apart);
      // Neighbouring colours are one surface, and are judged together.
      const alike = max(0, 1 - apart / 24);
      weight += alike * count[o]!;
      wx += alike * sumX[o]!;
      wy += alike * sumY[o]!;
      wxx += alike * sumXX[o]!;
      wyy += alike * sumYY[o]!;
      wEdge += alike * edge[o]!;
    }
    const spread = hypot(
      sqrt(max(0, wxx / weight - (wx / weight) ** 2)),
      sqrt(max(0, wyy / weight - (wy / weight) ** 2)),
    );
    const atRim = min(1, (wEdge / rim) * 9 + max(0, wEdge / weight - 0.12));
    score[b] = contrast * max(0, 1 - spread / 0.36) * (1 - atRim);
    most = max(most, score[b]!);
  }
  const out = new Uint8Array(plane);
  if (most < 8) return out;
  for (let i = 0; i < plane; i++) out[i] = (255 * score[bin[i]!]!) / most;
  // Softened a little, so that a thing of several colours hangs together.
  return soften(out, width, height);
}

/** Averages each pixel with its neighbours two away. */
function soften(map: Uint8Array, width: number, height: number): Uint8Array {
  const out = new Uint8Array(map.length);
  for (let y = 0; y < height; y++) {
    for (let x = 0; x < width; x++) {
      let [sum, n] = [0, 0];
      for (let v = max(0, y - 1); v <= min(height - 1, y + 1); v++) {
        for (let u = max(0, x - 1); u <= min(width - 1, x + 1); u++) {
          sum += map[v * width + u]!;
          n++;
        }
      }
      out[y * width + x] = sum / n;
    }
  }
  return out;
}

/** How alike two average colours are: 0 the same, about 1 plainly another. */
export function colourApart(a: readonly number[], b: readonly number[]): number {
  return (abs(a[0]! - b[0]!) * 0.4 + abs(a[1]! - b[1]!) + abs(a[2]! - b[2]!)) / 40;
}
