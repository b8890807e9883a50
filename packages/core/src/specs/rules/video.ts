import * as z from 'zod';
import { checkLine, type CheckLine } from '../../checks/check-line.ts';
import { bitrateLabel } from '../../checks/labels.ts';
import type { MeasuredFile } from '../../checks/measured-file.ts';
import { trouble } from '../../checks/trouble-kinds.ts';
import { codecLabel, sizeLabel } from '../../masters/facts.ts';
import { h264Profiles, isLevelWithin, lowestH264Level, lowestLevel } from '../../render/levels.ts';
import type { RenderPlan } from '../../render/plan-schema.ts';
import type { Size } from '../../picture/geometry.ts';
import { compareRates, nearestFrame, parseRate, rateLabel, type Rate } from '../../time/rate.ts';
import type { FrameSpan } from '../../time/span.ts';
import { closed } from '../closed.ts';
import type { Wanted } from '../../checks/wanted.ts';
import type { H264Profile } from '../../render/levels.ts';
import { countWords } from '../../words.ts';
import { videoCodecSchema, videoRateSchema, type VideoCodec, type VideoRate } from '../video-rate.ts';
import type { PlacementRule } from './rule.ts';

const video = closed({
  codec: videoCodecSchema,
  rate: videoRateSchema,
  keyframeSeconds: z.number().positive().max(60).optional(),
  /** H.264's, or HEVC's `main`; H.264 is made in High where missing. */
  profile: z.enum(h264Profiles).optional(),
  /** The highest level of H.264 that is taken, as its standard writes it: `4.1`. */
  maxLevel: z
    .string()
    .regex(/^\d(\.\d)?$/, 'a level is written 4.1')
    .optional(),
  /** Pictures in a row, at most, that look both ways. */
  bFrames: z.number().int().min(0).max(16).optional(),
  /** No picture may look past a keyframe. */
  closedGop: z.boolean().optional(),
});

/** Stands for whatever rate a film may have where a place states none: the slowest there is. */
const anyRate: Rate = { num: 1, den: 1 };
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
function levelLine(
  { plan, alone }: Wanted,
  v: MeasuredFile['video'],
  maxLevel: string | undefined,
): CheckLine {
  const { level, profile } = plan.video;
  const stated = v.level ?? 'none';
  if (alone && maxLevel !== undefined)
    return checkLine('level', `≤ ${maxLevel}`, stated, v.level !== null && isLevelWithin(v.level, maxLevel));
  if (level !== null) return checkLine('level', level, stated, v.level === level);
  const least = lowestH264Level(plan.frame, plan.rate, 0, profile);
  const most = lowestH264Level(plan.frame, plan.rate, v.peakKbps, profile);
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

const profileNames = { baseline: 'Baseline', main: 'Main', high: 'High' } as const;

/** Files say “Constrained Baseline” where they use nothing that the other profiles lack. */
function profileLine(profile: keyof typeof profileNames, v: MeasuredFile['video']): CheckLine {
  const wanted = profileNames[profile];
  const stated = v.profile ?? 'none';
  return checkLine('profile', wanted, stated, stated.replace(/^Constrained /, '') === wanted);
}

/** The profile that a file is wanted in; undefined where nobody asks. */
function wantedProfile({ plan, alone }: Wanted, placement: { video: VideoRules } | null) {
  const { codec, profile } = plan.video;
  if (codec === 'h264') return alone ? placement?.video.profile : (profile ?? 'high');
  return codec === 'hevc' ? placement?.video.profile : undefined;
}

/** What is asked of how pictures lean on each other; files of before were not measured for it. */
function groupLines({ bFrames, closedGop }: VideoRules, v: MeasuredFile['video']): CheckLine[] {
  const lines: CheckLine[] = [];
  if (bFrames !== undefined && v.longestBRun !== undefined)
    lines.push(
      checkLine(
        'b-frames',
        `at most ${bFrames} in a row`,
        `${v.longestBRun} at most`,
        v.longestBRun <= bFrames,
      ),
    );
  if (closedGop && v.openGopAt !== undefined)
    lines.push(
      checkLine(
        'gop',
        'closed',
        v.openGopAt === null ? 'closed' : 'open',
        v.openGopAt === null,
        v.openGopAt === null ? [] : [{ from: v.openGopAt, to: v.openGopAt + 1 }],
      ),
    );
  return lines;
}

interface VideoRules {
  codec: VideoCodec;
  rate: VideoRate;
  keyframeSeconds?: number | undefined;
  profile?: H264Profile | undefined;
  maxLevel?: string | undefined;
  bFrames?: number | undefined;
  closedGop?: boolean | undefined;
}

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

/** The least and the greatest frame rate that a placement states; undefined where it states none. */
function statedRates({ frameRate }: RateLimits): { least: Rate; most: Rate } | undefined {
  const read = (text: string): Rate[] => {
    const rate = parseRate(text);
    return rate.ok ? [rate.value] : [];
  };
  const max = frameRate?.max === undefined ? [] : read(frameRate.max);
  const rates = (frameRate?.allowed?.flatMap(read) ?? max).sort(compareRates);
  return rates.length ? { least: rates[0]!, most: rates.at(-1)! } : undefined;
}

interface RateLimits {
  frameRate?: { max?: string | undefined; allowed?: string[] | undefined } | undefined;
}

/** How the picture is coded. */
export const videoRule = {
  fields: { video },
  words({ video: { codec, rate, keyframeSeconds, profile, maxLevel, bFrames, closedGop } }) {
    const ceiling = rate.maxKbps === undefined ? '' : `, never above ${bitrateLabel(rate.maxKbps)}`;
    const how =
      rate.mode === 'two-pass' ? `two passes at ${bitrateLabel(rate.targetKbps)}` : `quality ${rate.crf}`;
    const keyframes = keyframeSeconds ? `, a keyframe at least every ${keyframeSeconds} s` : '';
    const stated = [
      ...(profile ? [`profile ${profileNames[profile]}`] : []),
      ...(maxLevel ? [`level ${maxLevel} at most`] : []),
      ...(bFrames === undefined
        ? []
        : [bFrames === 0 ? 'no B-frames' : `at most ${countWords(bFrames, 'B-frame')} in a row`]),
      ...(closedGop ? ['closed groups of pictures'] : []),
    ].join(', ');
    return [
      `${codecLabel(codec)}, ${how}${ceiling}${keyframes}.`,
      ...(stated ? [`${stated[0]!.toUpperCase()}${stated.slice(1)}.`] : []),
    ];
  },
  troubles({ plan }, { video: { maxLevel } }, source) {
    const { codec, rate, profile } = plan.video;
    if (codec !== 'h264') return [];
    const needed = lowestH264Level(plan.frame, plan.rate, rate.maxKbps ?? 0, profile);
    if (needed !== undefined) {
      if (maxLevel === undefined || isLevelWithin(needed, maxLevel)) return [];
      const sentence = `${sizeLabel(plan.frame)} at ${rateLabel(plan.rate)} needs level ${needed}; at most ${maxLevel} is taken.`;
      return [trouble('level-above', source, sentence)];
    }
    const sentence = `${sizeLabel(plan.frame)} at ${rateLabel(plan.rate)} is beyond every H.264 level.`;
    return [trouble('no-level', source, sentence)];
  },
  lines(wanted, { video: v }, placement) {
    const { plan, alone } = wanted;
    // Of a file that was made elsewhere only what the placement states is wanted.
    const stated = !alone || placement?.video.keyframeSeconds !== undefined;
    const profile = wantedProfile(wanted, placement);
    return [
      checkLine('codec', codecLabel(plan.video.codec), codecLabel(v.codec), v.codec === plan.video.codec),
      ...(profile ? [profileLine(profile, v)] : []),
      ...(plan.video.codec === 'h264' ? [levelLine(wanted, v, placement?.video.maxLevel)] : []),
      colourLine(v),
      ...(stated ? [keyframesLine(plan, v)] : []),
      ...(placement ? groupLines(placement.video, v) : []),
      ...bitrateLines(plan.video, v),
    ];
  },
  contradictions({ container, video: { codec, profile, maxLevel, bFrames } }) {
    const found: { path: string[]; message: string }[] = [];
    const says = (field: string, message: string) => found.push({ path: ['video', field], message });
    if (notHeld[container]?.includes(codec))
      says(
        'codec',
        `${container} files do not hold ${codec}; use ${instead[container]}, or another container`,
      );
    const hasProfile = codec === 'h264' || (codec === 'hevc' && profile === 'main');
    if (profile && !hasProfile) says('profile', `${codec} is not made in a profile called ${profile}`);
    if (maxLevel && codec !== 'h264') says('maxLevel', 'levels are limited for h264 alone');
    if (profile === 'baseline' && bFrames)
      says('bFrames', 'the baseline profile has no B-frames; ask for 0, or for another profile');
    return found;
  },
  unmeetable({ frame, video: { codec, rate, maxLevel, profile }, ...limits }) {
    if (codec !== 'h264') return [];
    const rates = statedRates(limits);
    const peak = rate.maxKbps ?? 0;
    const most = rates?.most ?? anyRate;
    if (lowestH264Level(frame, most, peak, profile) === undefined)
      return [
        {
          path: ['video'],
          message: `no H.264 level holds ${sizeLabel(frame)} at ${rateLabel(most)}${peak ? ` and ${bitrateLabel(peak)}` : ''}`,
        },
      ];
    // A place may take higher rates than its level holds of its own frame; what it must hold is the lowest.
    const least = rates && limits.frameRate?.allowed ? rates.least : anyRate;
    const needed = lowestH264Level(frame, least, peak, profile);
    return maxLevel !== undefined && needed !== undefined && !isLevelWithin(needed, maxLevel)
      ? [
          {
            path: ['video', 'maxLevel'],
            message: `${sizeLabel(frame)}${peak ? ` at up to ${bitrateLabel(peak)}` : ''} needs at least level ${needed}, and at most ${maxLevel} is taken`,
          },
        ]
      : [];
  },
} satisfies PlacementRule<{ container: string; frame: Size; video: VideoRules } & RateLimits>;
