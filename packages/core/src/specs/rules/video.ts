import * as z from 'zod';
import { checkLine, type CheckLine } from '../../checks/check-line.ts';
import { bitrateLabel } from '../../checks/labels.ts';
import type { MeasuredFile } from '../../checks/measured-file.ts';
import { trouble } from '../../checks/trouble-kinds.ts';
import { codecLabel, sizeLabel } from '../../masters/facts.ts';
import { lowestH264Level, lowestLevel } from '../../render/levels.ts';
import type { RenderPlan } from '../../render/plan-schema.ts';
import { nearestFrame, rateLabel } from '../../time/rate.ts';
import type { FrameSpan } from '../../time/span.ts';
import { closed } from '../closed.ts';
import { videoCodecSchema, videoRateSchema, type VideoCodec, type VideoRate } from '../video-rate.ts';
import type { PlacementRule } from './rule.ts';

const video = closed({
  codec: videoCodecSchema,
  rate: videoRateSchema,
  keyframeSeconds: z.number().positive().max(60).optional(),
});

/** How far a two-pass average may exceed its target: short films leave the encoder little room (common practice). */
const averageTolerance = 1.1;
/** How far a ceiling may be exceeded: what is measured a second at a time falls between the encoder's own spans. */
const ceilingTolerance = 1.01;

/** What each container does not hold. */
const notHeld: Record<string, readonly VideoCodec[]> = { webm: ['h264', 'hevc'], mov: ['vp9', 'av1'] };
const instead: Record<string, string> = { webm: 'vp9 or av1', mov: 'h264 or hevc' };

/**
 * The level that a file states. Under a ceiling it is the one that the plan promises; without one it is at least what
 * size and rate need, and no more than its own bits do.
 */
function levelLine(plan: RenderPlan, v: MeasuredFile['video']): CheckLine {
  const { level } = plan.video;
  const stated = v.level ?? 'none';
  if (level !== null) return checkLine('level', level, stated, v.level === level);
  const least = lowestH264Level(plan.frame, plan.rate, 0);
  const most = lowestH264Level(plan.frame, plan.rate, v.peakKbps);
  if (!least || !most) return checkLine('level', 'one that holds its size and rate', stated, false);
  const number = Number(stated);
  // The table begins at its first row: smaller pictures may state less.
  const isEnough = number >= Number(least) || least === lowestLevel;
  const wanted = least === most ? least : `${least} to ${most}`;
  return checkLine(
    'level',
    least === lowestLevel ? `up to ${most}` : wanted,
    stated,
    isEnough && number <= Number(most),
  );
}

const profileLine = (v: MeasuredFile['video']): CheckLine =>
  checkLine('profile', 'High', v.profile ?? 'none', v.profile === 'High');

function keyframesLine({ video }: RenderPlan, v: MeasuredFile['video']): CheckLine {
  const { longestGapAt: from, longestKeyframeGap: gap } = v;
  return checkLine(
    'keyframes',
    `at least every ${video.keyframeFrames} frames`,
    `every ${gap} at most`,
    gap <= video.keyframeFrames,
    from === undefined ? [] : [{ from, to: from + gap }],
  );
}

function colourLine(v: MeasuredFile['video']): CheckLine {
  const tags = [v.primaries, v.transfer, v.matrix];
  const tagged = tags.every((tag) => tag === 'bt709');
  const eightBit = v.pixelFormat === 'yuv420p';
  const colours = tagged ? 'BT.709' : tags.map((tag) => tag ?? 'untagged').join(' ');
  return checkLine(
    'colour',
    'BT.709, 8 bit, 4:2:0',
    `${colours}, ${eightBit ? '8 bit, 4:2:0' : v.pixelFormat}`,
    tagged && eightBit,
  );
}

const percent = (factor: number) => `${Math.round((factor - 1) * 100)} %`;

/** The second in which most bits lie, as frames. */
function busiest({ peakSecond, rate, frames }: MeasuredFile['video']): FrameSpan[] {
  if (peakSecond === undefined) return [];
  const from = Math.min(frames - 1, nearestFrame(peakSecond, rate));
  return [{ from, to: Math.min(frames, Math.max(from + 1, nearestFrame(peakSecond + 1, rate))) }];
}

function bitrateLines({ rate }: RenderPlan['video'], v: MeasuredFile['video']): CheckLine[] {
  const average = bitrateLabel(v.averageKbps);
  const lines =
    rate.mode === 'two-pass'
      ? [
          checkLine(
            'bitrate-average',
            `≤ ${bitrateLabel(rate.targetKbps)} + ${percent(averageTolerance)}`,
            average,
            v.averageKbps <= rate.targetKbps * averageTolerance,
          ),
        ]
      : [];
  if (rate.maxKbps !== undefined)
    lines.push(
      checkLine(
        'bitrate-ceiling',
        `≤ ${bitrateLabel(rate.maxKbps)} + ${percent(ceilingTolerance)}`,
        bitrateLabel(v.peakKbps),
        v.peakKbps <= rate.maxKbps * ceilingTolerance,
        busiest(v),
      ),
    );
  return lines;
}

/** How the picture is coded. */
export const videoRule = {
  fields: { video },
  words({ video: { codec, rate, keyframeSeconds } }) {
    const ceiling = rate.maxKbps === undefined ? '' : `, never above ${bitrateLabel(rate.maxKbps)}`;
    const how =
      rate.mode === 'two-pass' ? `two passes at ${bitrateLabel(rate.targetKbps)}` : `quality ${rate.crf}`;
    const keyframes = keyframeSeconds ? `, a keyframe at least every ${keyframeSeconds} s` : '';
    return [`${codecLabel(codec)}, ${how}${ceiling}${keyframes}.`];
  },
  troubles({ plan }, _placement, source) {
    const { codec, rate } = plan.video;
    if (codec !== 'h264' || lowestH264Level(plan.frame, plan.rate, rate.maxKbps ?? 0) !== undefined)
      return [];
    const sentence = `${sizeLabel(plan.frame)} at ${rateLabel(plan.rate)} is beyond every H.264 level.`;
    return [trouble('no-level', source, sentence)];
  },
  lines({ plan, alone }, { video: v }, placement) {
    // Of a file that was made elsewhere only what the placement states is wanted.
    const stated = !alone || placement?.video.keyframeSeconds !== undefined;
    return [
      checkLine('codec', codecLabel(plan.video.codec), codecLabel(v.codec), v.codec === plan.video.codec),
      ...(plan.video.codec === 'h264' ? [...(alone ? [] : [profileLine(v)]), levelLine(plan, v)] : []),
      colourLine(v),
      ...(stated ? [keyframesLine(plan, v)] : []),
      ...bitrateLines(plan.video, v),
    ];
  },
  contradictions: ({ container, video: { codec } }) =>
    notHeld[container]?.includes(codec)
      ? [
          {
            path: ['video', 'codec'],
            message: `${container} files do not hold ${codec}; use ${instead[container]}, or another container`,
          },
        ]
      : [],
} satisfies PlacementRule<{
  container: string;
  video: { codec: VideoCodec; rate: VideoRate; keyframeSeconds?: number | undefined };
}>;
