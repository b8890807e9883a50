import { createCanvas, type Canvas } from '@napi-rs/canvas';
import type { BurnedCaptions } from '@mivvy/core';
import { setLetters } from './letters.ts';

/** Colours of captions: pale letters on a dark plate that lets a little of the film through. */
const letterColour = '#ffffff';
const plateColour = 'rgba(14, 16, 20, 0.8)';
/** Where letters stand on their line, by the line's height. */
const baseline = 0.74;

const rightToLeft = /^[^\p{L}]*[\p{Script=Hebrew}\p{Script=Arabic}\p{Script=Syriac}\p{Script=Thaana}]/u;

/** Draws a cue's lines as a transparent picture of the captions' band: in the middle, standing on its lower edge. */
export function drawCue({ band }: BurnedCaptions, lines: readonly string[]): Canvas {
  const { width, height, size, leading, rim } = band;
  const canvas = createCanvas(width, height);
  const g = canvas.getContext('2d');
  setLetters(g, size);
  g.textAlign = 'center';
  const top = height - rim * 2 - leading * lines.length;
  const widest = Math.max(0, ...lines.map((line) => g.measureText(line).width));
  if (lines.length) {
    g.fillStyle = plateColour;
    g.beginPath();
    g.roundRect((width - widest) / 2 - rim, top, widest + 2 * rim, leading * lines.length + 2 * rim, rim / 2);
    g.fill();
  }
  g.fillStyle = letterColour;
  lines.forEach((line, i) => {
    g.direction = rightToLeft.test(line) ? 'rtl' : 'ltr';
    g.fillText(line, width / 2, top + rim + leading * (i + baseline));
  });
  return canvas;
}
