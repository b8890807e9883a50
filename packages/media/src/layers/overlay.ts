import { mkdir, readFile, writeFile } from 'node:fs/promises';
import { join } from 'node:path';
import { createCanvas, loadImage, type Image, type SKRSContext2D } from '@napi-rs/canvas';
import {
  bandOf,
  cueAt,
  isOwn,
  opacityAt,
  overlaps,
  paintLaidOver,
  type FrameRect,
  type LaidOver,
  type PlannedLayer,
  type RenderPlan,
  type Size,
} from '@mivvy/core';
import { shaperWith, shippedShaper } from '../letters/shaper.ts';
import { filmOverlays } from './film-overlay.ts';
import type { GraphicPath, Overlay } from './overlay-input.ts';
import { softOverlay } from './soft-overlay.ts';

/** Shadows and serifs reach so far beyond a box, by the frame's shorter side. */
const spill = 0.03;

/** The part of the frame that is drawn on, on whole even pixels: colour has half the pixels. */
function regionOf({ layers = [], captions }: LaidOver, frame: Size): FrameRect {
  const edge = Math.ceil(Math.min(frame.width, frame.height) * spill);
  const boxes = [
    ...layers.map(({ box }) => ({
      x: box.x - edge,
      y: box.y - edge,
      width: box.width + 2 * edge,
      height: box.height + 2 * edge,
    })),
    ...(captions?.cues.map((cue) => bandOf(captions, cue)) ?? []),
  ];
  const low = (n: number) => Math.max(0, Math.floor(n / 2) * 2);
  const [x, y] = [low(Math.min(...boxes.map((b) => b.x))), low(Math.min(...boxes.map((b) => b.y)))];
  const high = (n: number, most: number) => Math.min(most, Math.ceil(n / 2) * 2);
  return {
    x,
    y,
    width: high(Math.max(...boxes.map((b) => b.x + b.width)), frame.width) - x,
    height: high(Math.max(...boxes.map((b) => b.y + b.height)), frame.height) - y,
  };
}

/**
 * What is laid over parted into what lies in the same places: each part is drawn and laid over by itself, so that little
 * of the frame is touched. Parts that do not meet may lie in any order.
 */
function byPlace({ layers = [], captions }: LaidOver, frame: Size): LaidOver[] {
  const parts: LaidOver[] = layers.map((layer) => ({ layers: [layer] }));
  if (captions?.cues.length) parts.push({ captions });
  for (let i = 0; i < parts.length;) {
    const other = parts.findIndex(
      (part, j) => j > i && overlaps(regionOf(part, frame), regionOf(parts[i]!, frame)),
    );
    if (other < 0) {
      i++;
      continue;
    }
    const [a, b] = [parts[i]!, parts[other]!];
    // Layers keep the order in which they are listed.
    const both = layers.filter((layer) => a.layers?.includes(layer) || b.layers?.includes(layer));
    parts[i] = { layers: both, captions: a.captions ?? b.captions };
    parts.splice(other, 1);
    // What has grown may meet what it did not before.
    i = 0;
  }
  return parts;
}

/** Frames at which something else may be seen from then on, and the film's end. */
function changesOf({ layers = [], captions }: LaidOver, frames: number): number[] {
  const at = new Set([0, frames]);
  const add = (frame: number) => frame > 0 && frame < frames && at.add(frame);
  for (const { spans, fadeIn, fadeOut } of layers)
    for (const { from, to } of spans) {
      for (let k = 0; k <= Math.min(fadeIn, to - from); k++) add(from + k);
      for (let k = 0; k <= Math.min(fadeOut, to - from); k++) add(to - k);
    }
  for (const { from, to } of captions?.cues ?? []) {
    add(from);
    add(to);
  }
  return [...at].sort((a, b) => a - b);
}

/** What is seen at a frame, as a text that is equal where the pictures are. */
const seenAt = ({ layers = [], captions }: LaidOver, frame: number): string => {
  const cue = cueAt(captions, frame);
  return JSON.stringify([
    layers.map((layer) => opacityAt(layer, frame).toFixed(4)),
    cue && [cue.y, ...cue.lines],
  ]);
};

/** The pictures that layers show, by their sums. */
async function picturesOf(layers: readonly PlannedLayer[], pathOf: GraphicPath): Promise<Map<string, Image>> {
  const found = new Map<string, Image>();
  for (const { what } of layers)
    if (what.kind === 'picture' && !found.has(what.sha256))
      found.set(what.sha256, await loadImage(await readFile(pathOf(what))));
  return found;
}

/** Draws words and pictures into a folder: one picture for each state that is seen, and how long each is shown. */
async function drawn(
  plan: RenderPlan,
  over: LaidOver,
  folder: string,
  pathOf: GraphicPath,
): Promise<Overlay> {
  await mkdir(folder, { recursive: true });
  const region = regionOf(over, plan.frame);
  const pictures = await picturesOf(over.layers ?? [], pathOf);
  const picture = (pen: SKRSContext2D, { what, box }: PlannedLayer) => {
    if (what.kind !== 'picture') return;
    pen.imageSmoothingQuality = 'high';
    pen.drawImage(pictures.get(what.sha256)!, box.x, box.y, box.width, box.height);
  };
  const sets = over.layers?.some(({ what }) => what.kind === 'words' && isOwn(what.face));
  const shaper = sets ? shaperWith((sha256) => pathOf({ kind: 'typeface', sha256 })) : shippedShaper();
  const canvas = createCanvas(region.width, region.height);
  const pen = canvas.getContext('2d');
  const files = new Map<string, string>();
  const list = ['ffconcat version 1.0'];
  const changes = changesOf(over, plan.frames);
  let at = 0;
  for (const [i, from] of changes.slice(0, -1).entries()) {
    const seen = seenAt(over, from);
    let file = files.get(seen);
    if (file === undefined) {
      file = `seen-${files.size}.png`;
      files.set(seen, file);
      pen.clearRect(0, 0, region.width, region.height);
      pen.save();
      pen.translate(-region.x, -region.y);
      paintLaidOver(pen, over, from, shaper, picture);
      pen.restore();
      await writeFile(join(folder, file), await canvas.encode('png'));
    }
    // Half a frame early, so that rounding of times cannot move a change to the next frame.
    const end = ((changes[i + 1]! - 0.5) * plan.rate.den) / plan.rate.num;
    list.push(`file '${file}'`, `duration ${(end - at).toFixed(6)}`);
    at = end;
  }
  const path = join(folder, 'seen.ffconcat');
  await writeFile(path, `${list.join('\n')}\n`);
  return {
    // The list and the pictures were written here a moment ago.
    args: ['-f', 'concat', '-safe', '0', '-i', path],
    graph: (base, input, out) =>
      `[${input}:v]scale=out_color_matrix=bt709:out_range=tv,format=yuva420p[over${input}];` +
      `${base}[over${input}]overlay=${region.x}:${region.y}:format=yuv420${out}`,
  };
}

/**
 * Everything that is laid over a plan's picture, the farthest first. Words and pictures that follow each other are
 * drawn together; each film is an input of its own.
 */
export async function laidOverlays(
  plan: RenderPlan,
  folder: string,
  pathOf: GraphicPath,
): Promise<Overlay[]> {
  const overlays: Overlay[] = [];
  // The nearest of what is drawn together first, as plans list them.
  let together: PlannedLayer[] = [];
  const close = async (captions?: RenderPlan['captions']) => {
    for (const part of byPlace({ layers: together, captions }, plan.frame))
      overlays.push(await drawn(plan, part, join(folder, String(overlays.length)), pathOf));
    together = [];
  };
  for (const layer of [...(plan.layers ?? [])].reverse()) {
    const { what } = layer;
    const isSoft = what.kind === 'patch' && what.soft;
    if (what.kind !== 'film' && !isSoft) {
      together = [layer, ...together];
      continue;
    }
    await close();
    if (what.kind === 'film') overlays.push(...filmOverlays(layer, what, plan, pathOf(what)));
    else overlays.push(softOverlay(layer, plan.frame));
  }
  await close(plan.captions);
  return overlays;
}
