import type { PlannedLayer, RenderPlan } from '@mivvy/core';
import { inputArgs } from '../ffmpeg/run.ts';
import type { Overlay } from './overlay-input.ts';

type PlannedFilm = Extract<PlannedLayer['what'], { kind: 'film' }>;

/** Nothing: where a film with alpha, or one on black, shows nothing. */
const nothing = 'black@0x00';

/**
 * A film that is a layer, as an input for each span in which it is shown: brought to the delivered rate, begun where it
 * stands then, faded, and nothing before and after.
 */
export function filmOverlays(
  { box, spans, fadeIn, fadeOut }: PlannedLayer,
  film: PlannedFilm,
  { rate }: RenderPlan,
  path: string,
): Overlay[] {
  const seconds = (frames: number) => (frames * rate.den) / rate.num;
  // Colour has half the pixels: boxes lie on even ones, as wide and high as they are.
  const even = (n: number) => Math.floor(n / 2) * 2;
  const [x, y] = [even(box.x), even(box.y)];
  const [width, height] = [Math.max(2, even(box.width)), Math.max(2, even(box.height))];
  let before = 0;
  return spans.flatMap(({ from, to }): Overlay[] => {
    const start = seconds(before);
    const length = to - from;
    before += length;
    if (start >= film.seconds) return [];
    const screen = film.blend === 'screen';
    const how = screen ? '' : ':alpha=1';
    // A fade's first frame shows something already: one more is put before it, and taken away again.
    const fades = [
      'tpad=start=1:start_mode=clone',
      ...(fadeIn ? [`fade=t=in:s=0:n=${fadeIn + 1}${how}`] : []),
      ...(fadeOut ? [`fade=t=out:s=${length - fadeOut}:n=${fadeOut + 1}${how}`] : []),
      'trim=start_frame=1',
      'setpts=PTS-STARTPTS',
    ];
    const chain = [
      'setpts=PTS-STARTPTS',
      `fps=${rate.num}/${rate.den}`,
      `trim=end_frame=${length}`,
      `scale=${width}:${height}:flags=lanczos+accurate_rnd:out_color_matrix=bt709:out_range=tv`,
      screen ? 'format=gbrp' : 'format=yuva420p',
      ...(fadeIn || fadeOut ? fades : []),
      `tpad=start=${from}:start_mode=add:stop=-1:stop_mode=add:color=${nothing}`,
    ].join(',');
    const shown = `enable='between(n,${from},${to - 1})'`;
    return [
      {
        args: [
          ...(film.alpha === 'webm' ? ['-c:v', 'libvpx-vp9'] : []),
          ...(start > 0 ? ['-ss', start.toFixed(6)] : []),
          ...inputArgs(path),
        ],
        graph: (base, input, out) =>
          screen
            ? [
                `[${input}:v]${chain}[over${input}]`,
                `${base}split[below${input}][part${input}]`,
                `[part${input}]crop=${width}:${height}:${x}:${y}:exact=1,scale=in_color_matrix=bt709:in_range=tv:flags=accurate_rnd+full_chroma_int,format=gbrp[lit${input}]`,
                `[lit${input}][over${input}]blend=all_mode=screen,scale=out_color_matrix=bt709:out_range=tv:flags=accurate_rnd+full_chroma_int,format=yuv420p[shone${input}]`,
                `[below${input}][shone${input}]overlay=${x}:${y}:format=yuv420:${shown}${out}`,
              ].join(';')
            : `[${input}:v]${chain}[over${input}];${base}[over${input}]overlay=${x}:${y}:format=yuv420:${shown}${out}`,
      },
    ];
  });
}
