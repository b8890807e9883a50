import * as z from 'zod';
import { aspectLabel, sizeSchema, type Size } from '../picture/geometry.ts';
import { durationLabel } from '../time/timecode.ts';
import { fps, frameToSeconds, rateLabel, rateSchema } from '../time/rate.ts';

/** Loudness of a whole programme, measured as ITU-R BS.1770 prescribes. */
export const loudnessSchema = z.object({
  /** Integrated loudness in LUFS; null for silence, which has none. */
  integratedLufs: z.number().nullable(),
  /** Highest true peak in dBTP; null for silence. */
  truePeakDbtp: z.number().nullable(),
});
export type Loudness = z.infer<typeof loudnessSchema>;

/** What is known of a master file. Everything is measured from the file; nothing is guessed from its name. */
export const masterFactsSchema = z.object({
  container: z.string(),
  bytes: z.number().int().nonnegative(),
  video: z.object({
    streamIndex: z.number().int().nonnegative(),
    codec: z.string(),
    profile: z.string().nullable(),
    pixelFormat: z.string(),
    bitDepth: z.number().int().positive(),
    /** Size as stored, before rotation and pixel aspect. */
    coded: sizeSchema,
    /** Size as shown: after rotation and with square pixels. All geometry is in these pixels. */
    displayed: sizeSchema,
    /** Clockwise turn that a player applies, in degrees: 0, 90, 180 or 270. */
    rotation: z.union([z.literal(0), z.literal(90), z.literal(180), z.literal(270)]),
    /** The picture is stored mirrored and a player turns it over: left to right, or top to bottom. Missing: it is not. */
    mirrored: z.enum(['across', 'down']).optional(),
    /** Width of a stored pixel over its height, as a fraction. */
    pixelAspect: rateSchema,
    rate: rateSchema,
    /** The spacing of frames changes mid-file; `rate` is then the one the film is conformed to. */
    rateVaries: z.boolean(),
    /** Small gaps between pictures of a film that otherwise keeps to `rate`, closed to its even places; missing: none. */
    gaps: z.number().int().positive().optional(),
    /** Its pictures can only be told by counting from its start: some have no time, or a seek lands where no picture begins. */
    countedFromStart: z.boolean().optional(),
    /** Pictures whose time the file does not say, or says wrongly; missing: none. */
    untimed: z.number().int().positive().optional(),
    /** Length in frames at `rate`. */
    frames: z.number().int().positive(),
    /** False until every packet has been counted. */
    framesCounted: z.boolean(),
    /** Frames from one keyframe to the next at most; known once every packet has been counted. */
    longestKeyframeGap: z.number().int().positive().optional(),
    /**
     * How much later a keyframe is shown than it is decoded at most, seconds: a gap before it lengthens that. Known once
     * every packet has been counted; missing: it is not known.
     */
    longestKeyframeDelay: z.number().nonnegative().optional(),
    interlaced: z.boolean(),
    /** Seconds from the file's start to its first picture. */
    startSeconds: z.number(),
    colour: z.object({
      primaries: z.string().nullable(),
      transfer: z.string().nullable(),
      matrix: z.string().nullable(),
      range: z.enum(['tv', 'pc']).nullable(),
    }),
    hdr: z.enum(['none', 'pq', 'hlg']),
  }),
  audio: z
    .object({
      streamIndex: z.number().int().nonnegative(),
      codec: z.string(),
      channels: z.number().int().positive(),
      sampleRate: z.number().int().positive(),
      startSeconds: z.number(),
      /** Null until it has been measured. */
      loudness: loudnessSchema.nullable(),
    })
    .nullable(),
  /** How many audio streams the file holds; the first is used. */
  audioStreams: z.number().int().nonnegative(),
});
export type MasterFacts = z.infer<typeof masterFactsSchema>;

/** A fact worth saying before any work starts, with what it means for the job. */
export interface MasterNote {
  code: string;
  /** `look` asks for attention; `note` only informs. */
  weight: 'note' | 'look';
  sentence: string;
}

/** Length of a master in seconds. */
export function masterSeconds(facts: MasterFacts): number {
  return frameToSeconds(facts.video.frames, facts.video.rate);
}

/** Containers of which a stream that is read without the others is timed from its own beginning. */
const timedAlone = (facts: MasterFacts): boolean => /mpegts|^mpeg$/.test(facts.container);

/** Where the first picture stands when the picture is read without the sound, seconds. */
export const pictureStart = (facts: MasterFacts): number =>
  timedAlone(facts) ? 0 : facts.video.startSeconds;

/** Where the first picture stands when the sound is read without the picture, seconds; below zero where the sound starts later. */
export function pictureStartInSound(facts: MasterFacts): number {
  return timedAlone(facts) && facts.audio
    ? facts.video.startSeconds - facts.audio.startSeconds
    : facts.video.startSeconds;
}

/** Names of codecs as their standards write them; any other as the probe calls it. */
export function codecLabel(codec: string): string {
  const names: Record<string, string> = {
    h264: 'H.264',
    hevc: 'HEVC',
    vp9: 'VP9',
    vp8: 'VP8',
    av1: 'AV1',
    mjpeg: 'Motion JPEG',
    mpeg4: 'MPEG-4',
    mpeg2video: 'MPEG-2',
    aac: 'AAC',
    opus: 'Opus',
    mp3: 'MP3',
    flac: 'FLAC',
    vorbis: 'Vorbis',
    ac3: 'AC-3',
    eac3: 'E-AC-3',
  };
  return names[codec] ?? (codec.startsWith('pcm_') ? 'PCM' : codec);
}

/** `1920 × 1080`, with the true multiplication sign. */
export function sizeLabel(size: Size): string {
  return `${size.width} × ${size.height}`;
}

/** `mono`, `stereo` or `6 channels`. */
export function channelsLabel(channels: number): string {
  return channels === 1 ? 'mono' : channels === 2 ? 'stereo' : `${channels} channels`;
}

/** A decibel figure with the true minus sign: `−14.1`. */
export function decibelLabel(value: number, digits = 1): string {
  const text = Math.abs(value).toFixed(digits);
  return value < 0 && Number(text) !== 0 ? `−${text}` : text;
}

/** One line of facts, the ones a producer looks at first. */
export function masterSummary(facts: MasterFacts): string {
  const v = facts.video;
  const sound = !facts.audio
    ? 'no sound'
    : facts.audio.loudness?.integratedLufs != null
      ? `${channelsLabel(facts.audio.channels)} at ${decibelLabel(facts.audio.loudness.integratedLufs)} LUFS`
      : channelsLabel(facts.audio.channels);
  return `${sizeLabel(v.displayed)}, ${rateLabel(v.rate)} fps, ${durationLabel(masterSeconds(facts))}, ${sound}`;
}

/** Everything about a master that matters for the job, in plain words. */
export function masterNotes(facts: MasterFacts): MasterNote[] {
  const v = facts.video;
  const notes: MasterNote[] = [];
  const say = (code: string, weight: MasterNote['weight'], sentence: string) =>
    notes.push({ code, weight, sentence });
  const rate = fps(v.rate);

  if (v.rotation !== 0) {
    say(
      'rotated',
      'note',
      `Stored ${v.rotation === 180 ? 'upside down' : 'sideways'} and turned ${v.rotation}° when shown: it is worked on upright, ${sizeLabel(v.displayed)}.`,
    );
  }
  if (v.pixelAspect.num !== v.pixelAspect.den) {
    say(
      'pixel-aspect',
      'note',
      `Stored as ${sizeLabel(v.coded)} with stretched pixels: it is worked on as ${sizeLabel(v.displayed)}.`,
    );
  }
  if (v.mirrored) {
    say(
      'mirrored',
      'note',
      `Stored mirrored, ${v.mirrored === 'across' ? 'left to right' : 'top to bottom'}, and turned over when shown: it is worked on as it is shown.`,
    );
  }
  if (v.gaps) {
    say(
      'gaps',
      'look',
      `${v.gaps} small ${v.gaps === 1 ? 'gap' : 'gaps'} between its pictures ${v.gaps === 1 ? 'is' : 'are'} closed to a steady ${rateLabel(v.rate)} frames a second; a frame may be shown twice there, so that sound and picture stay together.`,
    );
  } else if (v.rateVaries) {
    say(
      'rate-varies',
      'look',
      `The frame rate changes inside the file: it is conformed to ${rateLabel(v.rate)} frames a second, so some frames are repeated or left out.`,
    );
  } else if (rate > 30.01) {
    const halved = rateLabel({ num: v.rate.num, den: v.rate.den * 2 });
    say(
      'fast-rate',
      'note',
      rate / 2 >= 20 && rate / 2 <= 30.01
        ? `${rateLabel(v.rate)} frames a second: places with a 30 cap will get every second frame, ${halved}.`
        : `${rateLabel(v.rate)} frames a second: places with a 30 cap will get fewer.`,
    );
  }
  if (v.hdr !== 'none') {
    say(
      'hdr',
      'look',
      `High dynamic range (${v.hdr === 'pq' ? 'PQ' : 'HLG'}): it is tone-mapped to BT.709 for the proofs and for every file.`,
    );
  }
  if (v.bitDepth > 8) say('deep', 'note', `${v.bitDepth} bits a channel: delivered at 8.`);
  if (v.interlaced) say('interlaced', 'look', 'Interlaced: each pair of fields becomes one whole frame.');
  const oblong = v.displayed.width / v.displayed.height;
  if (Math.abs(oblong - 4 / 3) < 0.02)
    say(
      'classic',
      'note',
      `${aspectLabel({ width: 4, height: 3 })}: a tall 9:16 window shows 42 % of its width.`,
    );
  if (v.displayed.width % 2 || v.displayed.height % 2) {
    say(
      'odd-size',
      'note',
      `${sizeLabel(v.displayed)} is an odd size: windows are cut from it without losing the odd line.`,
    );
  }
  if (
    Math.max(v.displayed.width, v.displayed.height) >= 3840 &&
    Math.min(v.displayed.width, v.displayed.height) >= 2160
  ) {
    say('large', 'note', 'Large enough for the bigger frame where a place takes one.');
  } else if (Math.min(v.displayed.width, v.displayed.height) < 720) {
    say(
      'small',
      'look',
      `Only ${sizeLabel(v.displayed)}: most places will enlarge it, and it will look soft.`,
    );
  }
  if (!facts.audio) say('no-audio', 'look', 'No sound: every version of it is silent.');
  else if (facts.audio.loudness && facts.audio.loudness.integratedLufs === null)
    say('silent', 'look', 'It has a sound track, but nothing is heard in it.');
  else if (facts.audio.channels > 2)
    say(
      'many-channels',
      'note',
      `${facts.audio.channels} channels of sound: mixed down to what each place takes.`,
    );
  if (facts.audioStreams > 1)
    say('many-tracks', 'look', `${facts.audioStreams} sound tracks: the first is used.`);
  if (masterSeconds(facts) < 1)
    say('very-short', 'look', `Only ${v.frames} frame${v.frames === 1 ? '' : 's'} long.`);
  return notes;
}

/** Films shorter than this are sought quickly enough whatever their keyframes, seconds. */
const shortFilmSeconds = 20;

/**
 * Whether a browser must decode so far to show a frame that scrubbing drags behind the hand: then a proxy with close
 * keyframes takes the original's place in the proofs as soon as it is made.
 */
export function scrubsSlowly(facts: MasterFacts): boolean {
  const gap = facts.video.longestKeyframeGap ?? 0;
  return masterSeconds(facts) > shortFilmSeconds && gap > 0.6 * fps(facts.video.rate);
}

/** Above this many processor seconds for a second of film, proofs of it stutter: there are several, and they are drawn as well. */
const playsUpTo = 0.5;

/**
 * Whether proofs of a film would stutter on this machine: then a proof copy takes the original's place in them.
 *
 * @param cost of decoding it, processor seconds for a second of film, as measured
 */
export const playsSlowly = (cost: number): boolean => cost > playsUpTo;

const playableAudio = new Set(['aac', 'mp3', 'opus', 'vorbis', 'flac']);

/**
 * Whether a browser plays the original exactly as the engine will: then it is proofed from the original, at once.
 * Anything that has to be conformed, tone-mapped or deinterlaced gets a proxy made by the engine's own filters.
 */
export function browserPlays(facts: MasterFacts): boolean {
  const v = facts.video;
  const containerOk = /mp4|mov|webm|matroska/.test(facts.container);
  const codecOk = ['h264', 'vp8', 'vp9', 'av1'].includes(v.codec);
  const pictureOk =
    (v.pixelFormat === 'yuv420p' || v.pixelFormat === 'yuvj420p') &&
    v.hdr === 'none' &&
    !v.interlaced &&
    !v.rateVaries &&
    !v.mirrored &&
    !v.countedFromStart;
  // Matroska is played only in its web subset; sound that a browser cannot decode would be silent in the proof.
  const matroskaOk = !/matroska/.test(facts.container) || ['vp8', 'vp9', 'av1'].includes(v.codec);
  return (
    containerOk &&
    codecOk &&
    pictureOk &&
    matroskaOk &&
    (!facts.audio || playableAudio.has(facts.audio.codec))
  );
}
