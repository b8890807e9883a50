import * as z from 'zod';
import { asEdited, checkKept, joinKept, keptLength, paceSchema, paceValue, type Pace } from '../edits/cut.ts';
import { framingSchema, type Framing } from '../framing/framing.ts';
import { fail, ok, type Result } from '../problem.ts';
import { mostShots } from '../shots/shots.ts';
import { compareRates, fps, nearestFrame, nearestKnownRate, rateLabel, type Rate } from '../time/rate.ts';
import type { FrameSpan } from '../time/span.ts';
import { frameToTimecode, mayDropFrames, parseTimecode } from '../time/timecode.ts';
import { parseOtio } from './otio-text.ts';

/** A cut as it is written to edit lists and read from them. */
export interface CutFile {
  /** Name of the cut, and of the film that it is made from. */
  title: string;
  film: string;
  rate: Rate;
  /** Frames of the film. */
  frames: number;
  kept: readonly FrameSpan[];
  pace: Pace;
  /** Written into OpenTimelineIO's metadata. */
  framing?: Framing | undefined;
}

/** What was read from an edit list. */
export interface ReadCut {
  kept: FrameSpan[];
  pace: Pace;
  framing: Framing | null;
  words: string[];
}

/** Programmes start at one hour (common practice). */
const recordStart = (rate: Rate) => Math.round(fps(rate)) * 3600;
/** A reel's name as CMX 3600 has it: eight letters or digits. */
const reelOf = (film: string) =>
  film
    .normalize('NFKD')
    .replace(/[^A-Za-z0-9]/g, '')
    .slice(0, 8)
    .toUpperCase() || 'AX';

/**
 * Writes a cut as a CMX 3600 EDL as commonly practised: picture and sound together, source times counted in the film's
 * frames from zero, drop-frame counting where the rate has it, a pace as a motion effect.
 */
export function writeEdl(cut: CutFile): string {
  const { rate, pace } = cut;
  const drop = mayDropFrames(rate);
  const code = (frame: number) => frameToTimecode(frame, rate, drop);
  const reel = reelOf(cut.film).padEnd(8);
  // Without drop-frame an hour is a whole number of counted frames; with it, the frame that is called one hour.
  const start = drop ? parseStart(rate) : recordStart(rate);
  let at = 0;
  const lines = [
    `TITLE: ${cut.title.replace(/[\r\n]+/g, ' ').slice(0, 70)}`,
    `FCM: ${drop ? 'DROP FRAME' : 'NON-DROP FRAME'}`,
    '',
  ];
  cut.kept.forEach((span, i) => {
    const length = (span.to - span.from) / paceValue(pace);
    const [recordIn, recordOut] = [start + Math.round(at), start + Math.round(at + length)];
    lines.push(
      `${String(i + 1).padStart(3, '0')}  ${reel} B     C        ${code(span.from)} ${code(span.to)} ${code(recordIn)} ${code(recordOut)}`,
    );
    if (pace.num !== pace.den)
      lines.push(
        `M2   ${reel}       ${(fps(rate) * paceValue(pace)).toFixed(2).padStart(6, '0')}                ${code(span.from)}`,
      );
    lines.push(`* FROM CLIP NAME: ${cut.film.replace(/[\r\n]+/g, ' ')}`);
    at += length;
  });
  return `${lines.join('\r\n')}\r\n`;
}

function parseStart(rate: Rate): number {
  const hour = parseTimecode('01:00:00;00', rate);
  return hour.ok ? hour.value : recordStart(rate);
}

const edlEvent =
  /^\s*\d{1,6}\s+(\S+)\s+(\S+)\s+(?:C|D|W\d+|K\S*|KB|KO)\s+(?:\d{1,4}\s+)?(\d{2}:\d{2}:\d{2}[:;.,]\d{2})\s+(\d{2}:\d{2}:\d{2}[:;.,]\d{2})\s+\d{2}:\d{2}:\d{2}[:;.,]\d{2}\s+\d{2}:\d{2}:\d{2}[:;.,]\d{2}\s*$/;

/** Reads a cut from a CMX 3600 EDL: the source side of its picture events, in their order. */
export function readCutEdl(text: string, film: Pick<CutFile, 'film' | 'rate' | 'frames'>): Result<ReadCut> {
  const words: string[] = [];
  const kept: FrameSpan[] = [];
  const reels = new Set<string>();
  let drop = false;
  let speed: number | null = null;
  for (const line of text.split(/\r?\n/)) {
    if (/^\s*FCM:/i.test(line)) drop = !/NON/i.test(line);
    const motion = /^\s*M2\s+\S+\s+(-?[\d.]+)/.exec(line);
    if (motion) speed = Number(motion[1]);
    const match = edlEvent.exec(line);
    if (!match) continue;
    const [, reel, track, sourceIn, sourceOut] = match as unknown as [string, string, string, string, string];
    if (!/^(V\d*|B|NONE|AA\/V|A\d*\/V|V\/A)/i.test(track) || /^BL$/i.test(reel)) continue;
    const times = [sourceIn, sourceOut].map((code) =>
      parseTimecode(
        `${code.slice(0, 8)}${mayDropFrames(film.rate) && (drop || /[;,]/.test(code)) ? ';' : ':'}${code.slice(9)}`,
        film.rate,
      ),
    );
    for (const time of times)
      if (!time.ok)
        return fail(
          'edl-rate',
          `The EDL counts differently: ${time.problem.sentence} The film has ${rateLabel(film.rate)} frames a second.`,
          'Export the EDL again at the film’s rate.',
        );
    const [from, to] = times.map((t) => (t.ok ? t.value : 0)) as [number, number];
    reels.add(reel);
    if (to < from)
      return fail(
        'edl-backwards',
        `An event of the EDL ends before it starts, at ${sourceIn} to ${sourceOut}.`,
        'Mend that line, or export the EDL again.',
      );
    if (kept.length >= mostShots)
      return fail(
        'edl-long',
        `The EDL has more than ${mostShots} picture events, more than any cut has spans.`,
        'Export the edit list of the finished cut alone.',
      );
    if (to > from) kept.push({ from, to });
  }
  if (!kept.length)
    return fail(
      'edl-empty',
      'No picture event could be read from this EDL.',
      'Export a CMX 3600 EDL with a picture track.',
    );
  if (reels.size > 1)
    return fail(
      'edl-reels',
      `The EDL takes its pictures from ${reels.size} reels (${[...reels].slice(0, 4).join(', ')}); a cut is made from one film.`,
      'Export the part that comes from this film.',
    );
  const checked = checkKept(kept, film.frames);
  if (!checked.ok)
    return {
      ok: false,
      problem: {
        ...checked.problem,
        mend: `${checked.problem.mend} Check that the EDL and the film belong together, and that its source times count from the film’s first frame.`,
      },
    };
  if ([...reels][0] !== reelOf(film.film))
    words.push(`The EDL names the reel ${[...reels][0]}; it was taken for “${film.film}”.`);
  const pace = speed === null ? asEdited : paceFrom(speed / fps(film.rate));
  if (speed !== null && pace === null)
    words.push('Its motion effects are no pace between 1 and 2 and were left out.');
  return ok({ kept: joinKept(kept), pace: pace ?? asEdited, framing: null, words });
}

/** A speed as a pace to four decimals; null where it is none. */
function paceFrom(speed: number): Pace | null {
  const parsed = paceSchema.safeParse({ num: Math.round(speed * 10_000), den: 10_000 });
  return parsed.success ? parsed.data : null;
}

/** Writes a cut as OpenTimelineIO (its JSON schema): one picture and one sound track, with the pace as a time warp and the framing in metadata. */
export function writeOtio(cut: CutFile): string {
  const rate = fps(cut.rate);
  const time = (value: number) => ({ OTIO_SCHEMA: 'RationalTime.1', rate, value });
  const range = (span: FrameSpan) => ({
    OTIO_SCHEMA: 'TimeRange.1',
    start_time: time(span.from),
    duration: time(span.to - span.from),
  });
  const clip = (span: FrameSpan, i: number) => ({
    OTIO_SCHEMA: 'Clip.1',
    name: `${cut.film} ${i + 1}`,
    source_range: range(span),
    metadata: {},
    effects:
      cut.pace.num === cut.pace.den
        ? []
        : [
            {
              OTIO_SCHEMA: 'LinearTimeWarp.1',
              name: 'pace',
              effect_name: 'LinearTimeWarp',
              time_scalar: paceValue(cut.pace),
              metadata: {},
            },
          ],
    markers: [],
    media_reference: {
      OTIO_SCHEMA: 'ExternalReference.1',
      name: cut.film,
      target_url: cut.film,
      available_range: range({ from: 0, to: cut.frames }),
      metadata: {},
    },
  });
  const track = (kind: 'Video' | 'Audio') => ({
    OTIO_SCHEMA: 'Track.1',
    name: kind === 'Video' ? 'V1' : 'A1',
    kind,
    source_range: null,
    effects: [],
    markers: [],
    metadata: {},
    children: cut.kept.map(clip),
  });
  return `${JSON.stringify(
    {
      OTIO_SCHEMA: 'Timeline.1',
      name: cut.title,
      global_start_time: null,
      metadata: { mivvy: { pace: cut.pace, ...(cut.framing ? { framing: cut.framing } : {}) } },
      tracks: {
        OTIO_SCHEMA: 'Stack.1',
        name: 'tracks',
        source_range: null,
        effects: [],
        markers: [],
        metadata: {},
        children: [track('Video'), track('Audio')],
      },
    },
    null,
    2,
  )}\n`;
}

const otioTime = z.looseObject({ rate: z.number().positive(), value: z.number() });
const otioClip = z.looseObject({
  OTIO_SCHEMA: z.string().startsWith('Clip.'),
  source_range: z.looseObject({ start_time: otioTime, duration: otioTime }),
  effects: z.array(z.looseObject({ OTIO_SCHEMA: z.string(), time_scalar: z.number().optional() })).nullish(),
  media_reference: z.looseObject({ name: z.string().nullish(), target_url: z.string().nullish() }).nullish(),
});
const otioTrack = z.looseObject({
  OTIO_SCHEMA: z.string().startsWith('Track.'),
  kind: z.string().nullish(),
  children: z.array(z.unknown()),
});
const otioTimeline = z.looseObject({
  OTIO_SCHEMA: z.string().startsWith('Timeline.'),
  metadata: z
    .looseObject({
      mivvy: z.looseObject({ pace: paceSchema.optional(), framing: framingSchema.optional() }).optional(),
    })
    .nullish(),
  tracks: z.looseObject({ children: z.array(z.unknown()) }),
});

/** Reads a cut from the first picture track of an OpenTimelineIO file: its clips’ source ranges, in their order. */
export function readCutOtio(text: string, film: Pick<CutFile, 'film' | 'rate' | 'frames'>): Result<ReadCut> {
  const timeline = parseOtio(text, otioTimeline, 'timeline');
  if (!timeline.ok) return timeline;
  const tracks = timeline.value.tracks.children.flatMap((t) => {
    const parsed = otioTrack.safeParse(t);
    return parsed.success ? [parsed.data] : [];
  });
  const picture = tracks.find((t) => t.kind === 'Video' && t.children.length > 0);
  if (!picture)
    return fail(
      'otio-no-picture',
      'The file has no picture track with anything on it.',
      'Export the picture track.',
    );
  const words: string[] = [];
  const clips = picture.children.flatMap((c) => {
    const parsed = otioClip.safeParse(c);
    return parsed.success ? [parsed.data] : [];
  });
  if (clips.length < picture.children.length)
    words.push(
      `${picture.children.length - clips.length} parts of the track are no clips with a source range and were left out.`,
    );
  const names = new Set(clips.map((c) => c.media_reference?.target_url ?? c.media_reference?.name ?? ''));
  if (names.size > 1)
    return fail(
      'otio-films',
      `The track is cut from ${names.size} films; a cut is made from one.`,
      'Export the part that comes from this film.',
    );
  const foreign = clips
    .map((c) => c.source_range.duration.rate)
    .find((r) => Math.abs(r - fps(film.rate)) > 0.01 && compareRates(nearestKnownRate(r), film.rate) !== 0);
  if (foreign !== undefined)
    words.push(
      `It counts ${rateLabel(nearestKnownRate(foreign))} frames a second and the film has ${rateLabel(film.rate)}: every edge was put on the nearest frame.`,
    );
  const seconds = (t: { rate: number; value: number }) => t.value / t.rate;
  const same = foreign === undefined;
  const kept = clips
    .map(({ source_range: r }) =>
      same
        ? { from: Math.round(r.start_time.value), to: Math.round(r.start_time.value + r.duration.value) }
        : {
            from: nearestFrame(seconds(r.start_time), film.rate),
            to: nearestFrame(seconds(r.start_time) + seconds(r.duration), film.rate),
          },
    )
    .filter((s) => s.to > s.from);
  const checked = checkKept(kept, film.frames);
  if (!checked.ok)
    return {
      ok: false,
      problem: {
        ...checked.problem,
        mend: `${checked.problem.mend} Check that the file and the film belong together.`,
      },
    };
  const mine = timeline.value.metadata?.mivvy;
  const warp = clips[0]?.effects?.find((e) => e.OTIO_SCHEMA.startsWith('LinearTimeWarp'))?.time_scalar;
  const pace = mine?.pace ?? (warp === undefined ? asEdited : paceFrom(warp));
  if (pace === null) words.push('Its time warp is no pace between 1 and 2 and was left out.');
  return ok({ kept: joinKept(kept), pace: pace ?? asEdited, framing: mine?.framing ?? null, words });
}

/** Reads a cut from an edit list by its contents: CMX 3600 EDL or OpenTimelineIO. */
export function readCutFile(
  text: string,
  fileName: string,
  film: Pick<CutFile, 'film' | 'rate' | 'frames'>,
): Result<ReadCut> {
  return /\.otio$/i.test(fileName) || text.trimStart().startsWith('{')
    ? readCutOtio(text, film)
    : readCutEdl(text, film);
}

/** Length of a cut as it plays, in the film's frames. */
export const playedFrames = (cut: Pick<CutFile, 'kept' | 'pace'>): number =>
  keptLength(cut.kept) / paceValue(cut.pace);
