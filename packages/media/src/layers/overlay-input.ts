import type { ShownGraphic } from '@mivvy/core';

/** Something that is laid over the picture, as an input of ffmpeg and what is done with it. */
export interface Overlay {
  /** Arguments that open it; none where it takes all that it shows from the picture below. */
  args: string[];
  /**
   * The part of a filter graph that lays it over.
   *
   * @param base label of the picture below, `[b]`
   * @param input number of the input that `args` open, if they open one
   * @param out label of the picture with it
   */
  graph: (base: string, input: number, out: string) => string;
}

/** Finds a picture, a film or a typeface by the sum of its bytes. */
export type GraphicPath = (what: ShownGraphic) => string;

/**
 * A filter graph that lays overlays over what a chain gives, `[out]`; their inputs come one after the other. It ends by
 * itself after so many pictures, for inputs may have no end: a limit on the encoder's side (`-frames:v`) would end the
 * sound with the picture that goes in, which is as much earlier than the one that comes out as the encoder looks ahead.
 */
export function overlayGraph(
  base: string,
  overlays: readonly Overlay[],
  { firstInput, frames }: { firstInput: number; frames: number },
): string {
  const label = (i: number) => `[base${i}]`;
  let input = firstInput;
  return [
    `${base}${label(0)}`,
    ...overlays.map(({ args, graph }, i) => graph(label(i), args.length ? input++ : input, label(i + 1))),
    `${label(overlays.length)}trim=end_frame=${frames}[out]`,
  ].join(';');
}
