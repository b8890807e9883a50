import type { MasterRect, Rate, Size } from '@mivvy/core';
import { ffmpeg } from './helpers.ts';

/**
 * A grating master: luma is a sine across and a sine down. The phase of a sine can be read to a hundredth of a pixel,
 * so a slow move is measured far more finely than by the ruler's ramps.
 */
export const wavelength = 48;

/** Writes a still grating of some frames, H.264 tagged BT.709. */
export async function makeGrating(path: string, size: Size, rate: Rate, frames: number): Promise<void> {
  const sine = (axis: string) => `48*sin(2*PI*(${axis}+0.5)/${wavelength})`;
  const odd = size.width % 2 || size.height % 2;
  await ffmpeg(
    '-f',
    'lavfi',
    '-i',
    `nullsrc=s=${size.width}x${size.height}:r=${rate.num}/${rate.den},format=${odd ? 'yuv444p' : 'yuv420p'},trim=end_frame=1,geq=lum='126+${sine('X')}+${sine('Y')}':cb=128:cr=128,loop=loop=${frames - 1}:size=1,setpts=N`,
    '-c:v',
    'libx264',
    '-preset',
    'ultrafast',
    '-crf',
    '4',
    '-color_primaries',
    'bt709',
    '-color_trc',
    'bt709',
    '-colorspace',
    'bt709',
    '-color_range',
    'tv',
    path,
  );
}

/** How far a run of samples of the sine lies from where a window should have put it, in master pixels. */
function shift(samples: readonly number[], start: number, step: number): number {
  const mean = samples.reduce((a, b) => a + b, 0) / samples.length;
  let [re, im] = [0, 0];
  samples.forEach((value, i) => {
    // A window that fades at both ends keeps what lies beyond them from bending the phase.
    const fade = 0.5 - 0.5 * Math.cos((2 * Math.PI * (i + 0.5)) / samples.length);
    const phase = (2 * Math.PI * (start + (i + 0.5) * step)) / wavelength;
    re += (value - mean) * fade * Math.sin(phase);
    im += (value - mean) * fade * Math.cos(phase);
  });
  return (Math.atan2(im, re) * wavelength) / (2 * Math.PI);
}

/** Largest distance of a delivered picture's edges from where the plan has them, in delivered pixels. Luma, one byte each. */
export function gratingError(
  luma: Uint8Array,
  frameSize: Size,
  into: { x: number; y: number; width: number; height: number },
  window: MasterRect,
): { worst: number; x: number } {
  const columns = Array.from({ length: into.width }, (_, x) => {
    let sum = 0;
    for (let y = 0; y < into.height; y++) sum += luma[(into.y + y) * frameSize.width + into.x + x]!;
    return sum / into.height;
  });
  const rows = Array.from({ length: into.height }, (_, y) => {
    let sum = 0;
    for (let x = 0; x < into.width; x++) sum += luma[(into.y + y) * frameSize.width + into.x + x]!;
    return sum / into.width;
  });
  const edges = (samples: number[], start: number, length: number) => {
    const step = length / samples.length;
    const half = samples.length >> 1;
    const [first, second] = [
      shift(samples.slice(0, half), start, step),
      shift(samples.slice(half), start + half * step, step),
    ];
    // The halves' middles, carried on to the edges.
    return [first - (second - first) / 2, second + (second - first) / 2].map((d) => d / step);
  };
  const h = edges(columns, window.x, window.width);
  const v = edges(rows, window.y, window.height);
  return { worst: Math.max(...[...h, ...v].map(Math.abs)), x: (h[0]! + h[1]!) / 2 };
}
