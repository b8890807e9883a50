import { mkdir, writeFile } from 'node:fs/promises';
import { join } from 'node:path';
import type { BurnedCaptions, RenderPlan } from '@mivvy/core';
import { drawCue } from './draw.ts';

/** A picture that changes over the film and is laid over it, as an input of ffmpeg. */
export interface Overlay {
  /** Arguments that open it. */
  args: string[];
  /** Where its corner lies, pixels of the frame. */
  x: number;
  y: number;
}

/** Pieces of the film in which one set of lines is shown, or none. */
function pieces({ cues }: BurnedCaptions, frames: number): { to: number; lines: string[] }[] {
  const all: { to: number; lines: string[] }[] = [];
  for (const { from, to, lines } of cues) {
    if (from > (all.at(-1)?.to ?? 0)) all.push({ to: from, lines: [] });
    all.push({ to, lines });
  }
  if ((all.at(-1)?.to ?? 0) < frames) all.push({ to: frames, lines: [] });
  return all;
}

/** Draws a plan's captions into a folder, one picture for each cue, with a list that says how long each is shown. */
export async function drawCaptions(
  captions: BurnedCaptions,
  plan: RenderPlan,
  folder: string,
): Promise<Overlay> {
  await mkdir(folder, { recursive: true });
  const files = new Map<string, string>();
  const list = ['ffconcat version 1.0'];
  let at = 0;
  for (const { to, lines } of pieces(captions, plan.frames)) {
    const words = lines.join('\n');
    let file = files.get(words);
    if (file === undefined) {
      file = `cue-${files.size}.png`;
      files.set(words, file);
      await writeFile(join(folder, file), await drawCue(captions, lines).encode('png'));
    }
    // Half a frame early, so that rounding of times cannot move a cue to the next frame.
    const end = ((to - 0.5) * plan.rate.den) / plan.rate.num;
    list.push(`file '${file}'`, `duration ${(end - at).toFixed(6)}`);
    at = end;
  }
  const path = join(folder, 'cues.ffconcat');
  await writeFile(path, `${list.join('\n')}\n`);
  // The list and the pictures were written here a moment ago; nothing in them was brought by a person but the words.
  return { args: ['-f', 'concat', '-safe', '0', '-i', path], x: captions.band.x, y: captions.band.y };
}

/** A filter graph that lays an overlay over what a chain gives: `[out]` is the finished picture. */
export const overlayGraph = (base: string, { x, y }: Overlay, input: number): string =>
  `${base}[base];[${input}:v]scale=out_color_matrix=bt709:out_range=tv,format=yuva420p[words];[base][words]overlay=${x}:${y}:format=yuv420[out]`;
