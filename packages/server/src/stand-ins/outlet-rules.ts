import type { MasterFacts, Placement } from '@mivvy/core';

/** What an outlet has against a film, in its own words; undefined where it takes it. */
export function objection(
  rules: Placement | undefined,
  film: MasterFacts,
  bytes: number,
): string | undefined {
  if (!rules) return 'We have no such slot.';
  const { width, height } = film.video.displayed;
  const takes = [rules.frame, ...(rules.largerFrame ? [rules.largerFrame] : [])];
  if (!takes.some((frame) => frame.width === width && frame.height === height))
    return `This slot takes ${takes.map((f) => `${f.width}x${f.height}`).join(' or ')}; yours is ${width}x${height}.`;
  const seconds = (film.video.frames * film.video.rate.den) / film.video.rate.num;
  const { minSeconds = 0, maxSeconds = Infinity } = rules.duration ?? {};
  if (seconds > maxSeconds)
    return `Films here run ${maxSeconds} s at most; yours runs ${seconds.toFixed(2)} s.`;
  if (seconds < minSeconds)
    return `Films here run ${minSeconds} s at least; yours runs ${seconds.toFixed(2)} s.`;
  if (rules.maxBytes !== undefined && bytes > rules.maxBytes)
    return `Files here have ${rules.maxBytes} bytes at most; yours has ${bytes}.`;
  if (film.video.codec !== rules.video.codec)
    return `Pictures here are ${rules.video.codec}; yours are ${film.video.codec}.`;
  return undefined;
}

/** What an outlet misses that should have come with a film, in its own words; undefined where nothing is missing. */
export function missingBeside(
  rules: Placement | undefined,
  beside: readonly { kind: string; name: string }[],
): string | undefined {
  const captions = beside.find((each) => each.kind === 'captions');
  const { captionFormat = 'srt' } = rules ?? {};
  if (rules?.captions === 'sidecar' && !captions?.name.endsWith(`.${captionFormat}`))
    return `This slot needs captions with the film, as .${captionFormat}.`;
  if (rules?.cover && !beside.some((each) => each.kind === 'cover'))
    return `This slot needs a still with the film, ${rules.cover.width}x${rules.cover.height}.`;
  return undefined;
}
