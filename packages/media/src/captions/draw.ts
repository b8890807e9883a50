import { createCanvas, type Canvas } from '@napi-rs/canvas';
import { paintCue, type BurnedCaptions } from '@mivvy/core';
import { shippedShaper } from '../letters/shaper.ts';

/** Draws a cue's lines as a transparent picture of the captions' band. */
export function drawCue({ band }: BurnedCaptions, lines: readonly string[]): Canvas {
  const canvas = createCanvas(band.width, band.height);
  paintCue(canvas.getContext('2d'), { ...band, x: 0, y: 0 }, lines, shippedShaper());
  return canvas;
}
