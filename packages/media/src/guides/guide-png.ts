import { createCanvas } from '@napi-rs/canvas';
import { guidePatterns, guideWeight, type Guide, type Size } from '@mivvy/core';

/** A guide picture as PNG with transparency, at the master's frame size: outlines and letters, nothing else. */
export async function guidePng(guides: readonly Guide[], masterSize: Size): Promise<Buffer> {
  const canvas = createCanvas(masterSize.width, masterSize.height);
  const g = canvas.getContext('2d');
  const weight = guideWeight(masterSize);
  guides.forEach(({ tag, window: w }, i) => {
    g.setLineDash(guidePatterns[i % guidePatterns.length]!.map((n) => n * weight));
    for (const [style, width] of [
      ['rgba(0,0,0,0.55)', weight * 2],
      ['#ffffff', weight],
    ] as const) {
      g.strokeStyle = style;
      g.lineWidth = width;
      g.strokeRect(w.x + weight / 2, w.y + weight / 2, w.width - weight, w.height - weight);
    }
    g.setLineDash([]);
    g.font = `bold ${weight * 10}px sans-serif`;
    g.lineWidth = weight / 2;
    g.strokeStyle = 'rgba(0,0,0,0.55)';
    g.fillStyle = '#ffffff';
    const [x, y] = [w.x + weight * 3, w.y + weight * 12];
    g.strokeText(tag, x, y);
    g.fillText(tag, x, y);
  });
  return canvas.encode('png');
}
