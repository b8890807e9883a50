import { join } from 'node:path';
import {
  effortGains,
  efforts,
  ok,
  type EffortGain,
  type EffortTrial,
  type RenderPlan,
  type Result,
} from '@mivvy/core';
import { drawStrip, encodeStrip, type StripOptions } from './strip.ts';

/** Qualities that each effort is tried at: a fine one and a coarse one of each encoder's scale (common practice). */
const qualities: Readonly<Record<RenderPlan['video']['codec'], readonly [number, number]>> = {
  h264: [20, 28],
  hevc: [22, 30],
  vp9: [28, 38],
  av1: [30, 42],
};

/** Measures on this machine what the efforts cost and gain, on a strip of a film as a version shows it. */
export async function measureEfforts(
  plan: RenderPlan,
  options: StripOptions & { onProgress?: (fraction: number) => void },
): Promise<Result<EffortGain[]>> {
  const drawn = await drawStrip(plan, options);
  if (!drawn.ok) return drawn;
  const trials: EffortTrial[] = [];
  const all = efforts.flatMap((effort) => qualities[plan.video.codec].map((crf) => ({ effort, crf })));
  for (const [i, { effort, crf }] of all.entries()) {
    const at: RenderPlan = { ...plan, video: { ...plan.video, rate: { mode: 'quality', crf } } };
    const made = await encodeStrip(
      at,
      { name: `trial ${i}`, effort, drawn: drawn.value, forLikeness: true },
      { ...options, folder: join(options.folder, 'trials') },
    );
    if (!made.ok) return made;
    const { seconds, bytes, likeness } = made.value;
    trials.push({ effort, seconds, bytes, likeness });
    options.onProgress?.((i + 1) / all.length);
  }
  return ok(effortGains(trials));
}
