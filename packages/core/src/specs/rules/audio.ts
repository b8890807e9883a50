import * as z from 'zod';
import { checkLine, type CheckLine } from '../../checks/check-line.ts';
import type { MeasuredFile } from '../../checks/measured-file.ts';
import { trouble } from '../../checks/trouble-kinds.ts';
import { channelsLabel, codecLabel, decibelLabel } from '../../masters/facts.ts';
import type { RenderPlan } from '../../render/plan-schema.ts';
import { planSeconds } from '../../render/read-plan.ts';
import { nearestFrame } from '../../time/rate.ts';
import type { FrameSpan } from '../../time/span.ts';
import { closed } from '../closed.ts';
import type { PlacementRule } from './rule.ts';

const loudness = closed({
  integratedLufs: z.number().min(-40).max(-5),
  truePeakDbtp: z.number().min(-20).max(0),
});

const audio = closed({
  codec: z.enum(['aac', 'opus']),
  kbps: z.number().min(16).max(1024),
  sampleRate: z.union([z.literal(44100), z.literal(48000), z.literal(96000)]),
  channels: z.union([z.literal(1), z.literal(2)]),
  loudness: loudness.optional(),
  /** A film without sound is not taken. */
  required: z.boolean().optional(),
});

/** How far integrated loudness may lie from its target, LU (common practice). */
export const loudnessToleranceLu = 1;
/** How far the sound's length may lie from the picture's, seconds: coders pad the last of their blocks (common practice). */
const soundLengthTolerance = 0.1;
/** A peak is shown to a tenth of a decibel; half of that is within what is shown. */
const peakTolerance = 0.05;

type PlannedSound = NonNullable<RenderPlan['audio']>;
type MeasuredSound = NonNullable<MeasuredFile['audio']>;

/** How it is coded, and that something is heard in it where something is in the master. */
function soundLine(plan: PlannedSound, a: MeasuredSound, heard: boolean | null): CheckLine {
  const format = (s: { codec: string; channels: number; sampleRate: number }) =>
    `${codecLabel(s.codec)}, ${channelsLabel(s.channels)}, ${s.sampleRate / 1000} kHz`;
  const isSilent = a.loudness.integratedLufs === null;
  return checkLine(
    'sound',
    `${format(plan)}${heard ? ', heard as in the master' : ''}`,
    `${format(a)}${isSilent ? ', silent' : ''}`,
    a.codec === plan.codec &&
      a.channels === plan.channels &&
      a.sampleRate === plan.sampleRate &&
      !(heard && isSilent),
  );
}

function lengthLine(seconds: number, a: MeasuredSound): CheckLine {
  return checkLine(
    'sound-length',
    `${seconds.toFixed(2)} ± ${soundLengthTolerance} s`,
    `${a.seconds.toFixed(2)} s`,
    Math.abs(a.seconds - seconds) <= soundLengthTolerance + 1e-6,
  );
}

/** The tenth of a second in which the highest peak lies, as frames. */
function peakSpan({ over }: MeasuredSound, { rate, frames }: MeasuredFile['video']): FrameSpan[] {
  const at = over?.peakSeconds;
  if (at === undefined || at === null) return [];
  const from = Math.min(frames - 1, nearestFrame(at, rate));
  return [{ from, to: Math.min(frames, Math.max(from + 1, nearestFrame(at + 0.1, rate))) }];
}

/** Silence has no loudness; nothing is wrong with that where the master is silent too. */
function loudnessLines(
  wanted: NonNullable<PlannedSound['loudness']>,
  a: MeasuredSound,
  video: MeasuredFile['video'],
  heard: boolean | null,
): CheckLine[] {
  const { integratedLufs, truePeakDbtp } = a.loudness;
  const peak = truePeakDbtp !== null ? `${decibelLabel(truePeakDbtp)} dBTP` : null;
  return [
    checkLine(
      'loudness',
      `${decibelLabel(wanted.integratedLufs)} ± ${loudnessToleranceLu} LUFS`,
      integratedLufs === null ? 'silence' : `${decibelLabel(integratedLufs)} LUFS`,
      integratedLufs === null
        ? heard === false
        : Math.abs(integratedLufs - wanted.integratedLufs) <= loudnessToleranceLu,
    ),
    checkLine(
      'true-peak',
      `≤ ${decibelLabel(wanted.truePeakDbtp)} dBTP + ${peakTolerance}`,
      peak ?? (integratedLufs === null ? 'silence' : 'not known'),
      truePeakDbtp === null ? integratedLufs === null : truePeakDbtp <= wanted.truePeakDbtp + peakTolerance,
      peakSpan(a, video),
    ),
  ];
}

/** How the sound is coded, and how loud it is; null for silent files. */
export const audioRule = {
  fields: { audio: audio.nullable() },
  words({ audio: sound }) {
    if (!sound) return ['Silent: any sound is left out.'];
    const loud = sound.loudness
      ? `, at ${decibelLabel(sound.loudness.integratedLufs, 0)} LUFS with peaks to ${decibelLabel(sound.loudness.truePeakDbtp)} dBTP`
      : '';
    return [
      `Sound in ${codecLabel(sound.codec)}, ${channelsLabel(sound.channels)}, ${sound.kbps} kbit/s, ${sound.sampleRate / 1000} kHz${loud}.`,
      ...(sound.required ? ['A film without sound is not taken.'] : []),
    ];
  },
  troubles({ soundMissing }, { audio: sound }, source) {
    if (!soundMissing) return [];
    return sound?.required
      ? [trouble('sound-required', source, 'The master has no sound, and a film without sound is not taken.')]
      : [trouble('no-sound', source, 'The master has no sound, so this file has none.')];
  },
  lines({ plan, heard }, { audio: a, video }) {
    if (plan.audio === null)
      return [checkLine('sound', 'none', a ? codecLabel(a.codec) : 'none', a === null)];
    if (!a) return [checkLine('sound', codecLabel(plan.audio.codec), 'none', false)];
    return [
      soundLine(plan.audio, a, heard),
      lengthLine(planSeconds(plan), a),
      ...(plan.audio.loudness ? loudnessLines(plan.audio.loudness, a, video, heard) : []),
    ];
  },
  contradictions({ container, audio: sound }) {
    const held = container === 'webm' ? 'opus' : 'aac';
    return sound && sound.codec !== held
      ? [{ path: ['audio', 'codec'], message: `${container} files need ${held} sound` }]
      : [];
  },
} satisfies PlacementRule<{ container: string; audio: z.infer<typeof audio> | null }>;
