import { median } from '../median.ts';
import type { RenderPlan } from '../render/plan-schema.ts';
import { bytesAtRate } from '../render/budget.ts';
import type { Effort } from '../render/effort.ts';
import { frameToSeconds } from '../time/rate.ts';

/** A file that was made before, as far as what comes can be told from it. */
export interface MadeFile {
  plan: Pick<RenderPlan, 'frame' | 'frames' | 'rate' | 'video' | 'audio'>;
  bytes: number;
  /** How long its making took, its report included. */
  tookSeconds: number;
  /** How much time its encoder was given; the usual where missing. */
  effort?: Effort | undefined;
}

/** What a file is expected to become. */
export interface Forecast {
  /** Time that making it takes, seconds; null where nothing like it was made here yet. */
  seconds: number | null;
  /** Its size, and between which sizes it will lie nine times of ten; null where nothing tells. */
  bytes: { expected: number; least: number; most: number } | null;
  /** Bits of picture a pixel and frame that the expected size leaves. */
  bitsPerPixel: number | null;
}

/** An encoder's quality changes its bits twofold in so many steps (common practice, for x264 and x265). */
const stepsToDouble = 6;
/** With fewer files to learn from than this, the spread is not known and is taken to be this wide. */
const enough = 4;
const usualSpread = { twoPass: 0.12, quality: 0.6 };

/** The middle of some numbers, and the shares of it between which nine of ten lie. */
function spreadOf(
  numbers: readonly number[],
  usual: number,
): { middle: number; least: number; most: number } {
  const sorted = [...numbers].sort((a, b) => a - b);
  const middle = median(numbers)!;
  if (sorted.length < enough) return { middle, least: middle * (1 - usual), most: middle * (1 + usual) };
  const at = (share: number) => sorted[Math.round(share * (sorted.length - 1))]!;
  return { middle, least: at(0.05), most: at(0.95) };
}

const samples = ({ frame, frames }: Pick<RenderPlan, 'frame' | 'frames'>) =>
  frame.width * frame.height * frames;
const secondsOf = ({ frames, rate }: Pick<RenderPlan, 'frames' | 'rate'>) => frameToSeconds(frames, rate);
const soundBytes = (plan: MadeFile['plan']) => bytesAtRate(plan.audio?.kbps ?? 0, secondsOf(plan));

/** Files that tell something of a plan: the same codec, encoded the same way. */
const alike = (made: readonly MadeFile[], plan: MadeFile['plan']) =>
  made.filter(
    (m) => m.plan.video.codec === plan.video.codec && m.plan.video.rate.mode === plan.video.rate.mode,
  );

function bytesOf(like: readonly MadeFile[], plan: MadeFile['plan']): Forecast['bytes'] {
  const { rate } = plan.video;
  const round = (factor: number, base: number) => Math.round(factor * base);
  if (rate.mode === 'two-pass') {
    // What two passes come to is asked for; what is learnt is how near to it they get.
    const asked = bytesAtRate(rate.targetKbps + (plan.audio?.kbps ?? 0), secondsOf(plan));
    const ratios = like.flatMap(({ plan: p, bytes }) =>
      p.video.rate.mode === 'two-pass'
        ? [bytes / bytesAtRate(p.video.rate.targetKbps + (p.audio?.kbps ?? 0), secondsOf(p))]
        : [],
    );
    const { middle, least, most } = spreadOf(ratios.length ? ratios : [1], usualSpread.twoPass);
    return { expected: round(middle, asked), least: round(least, asked), most: round(most, asked) };
  }
  // A quality's bits are not asked for: they are known from what other films came to at it.
  const bits = like.flatMap(({ plan: p, bytes }) =>
    p.video.rate.mode === 'quality'
      ? [
          (Math.max(0, bytes - soundBytes(p)) / samples(p)) *
            2 ** ((p.video.rate.crf - rate.crf) / stepsToDouble),
        ]
      : [],
  );
  if (bits.length === 0) return null;
  const sound = soundBytes(plan);
  const { middle, least, most } = spreadOf(bits, usualSpread.quality);
  const whole = (perSample: number) => Math.round(perSample * samples(plan) + sound);
  // A ceiling bounds it whatever the picture needs.
  const bound = rate.maxKbps === undefined ? Infinity : bytesAtRate(rate.maxKbps, secondsOf(plan)) + sound;
  const under = (bytes: number) => Math.round(Math.min(bytes, bound));
  return { expected: under(whole(middle)), least: under(whole(least)), most: under(whole(most)) };
}

/** What a plan's file is expected to become, by the files that this workspace has made with the same effort before. */
export function forecast(
  made: readonly MadeFile[],
  plan: MadeFile['plan'],
  effort: Effort = 'usual',
): Forecast {
  const like = alike(made, plan).filter((m) => (m.effort ?? 'usual') === effort);
  const pace = median(like.map((m) => m.tookSeconds / samples(m.plan)));
  const bytes = bytesOf(like, plan);
  return {
    seconds: pace === undefined ? null : pace * samples(plan),
    bytes,
    bitsPerPixel: bytes && (8 * Math.max(0, bytes.expected - soundBytes(plan))) / samples(plan),
  };
}
