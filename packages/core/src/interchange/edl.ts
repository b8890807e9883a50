import { fail, ok, type Result } from '../problem.ts';
import { mostShots } from '../shots/shots.ts';
import { fps, rateLabel, type Rate } from '../time/rate.ts';
import { mayDropFrames, parseTimecode } from '../time/timecode.ts';
import type { ReadCuts } from './cut-points.ts';

/** One line of events: number, reel, track, kind of transition with its length, and four times. */
const eventLine =
  /^\s*(\d{1,6})\s+(\S+)\s+(\S+)\s+(C|D|W\d+|K\S*|KB|KO)\s+(?:(\d{1,4})\s+)?(\d{2}:\d{2}:\d{2}[:;.,]\d{2})\s+(\d{2}:\d{2}:\d{2}[:;.,]\d{2})\s+(\d{2}:\d{2}:\d{2}[:;.,]\d{2})\s+(\d{2}:\d{2}:\d{2}[:;.,]\d{2})\s*$/;

/**
 * Reads the cut points of a CMX 3600 EDL as commonly practised: picture events on the record side, counted from the
 * first of them. Sound, motion effects and comments are passed over; wipes count as cuts, and that is said.
 */
export function readEdl(text: string, rate: Rate): Result<ReadCuts> {
  const words: string[] = [];
  const count = Math.round(fps(rate));
  let dropFrame = false;
  let events = 0;
  let unknown = 0;
  let wipes = 0;
  const times: { at: number; end: number; dissolve: number }[] = [];
  for (const line of text.split(/\r?\n/)) {
    if (/^\s*FCM:/i.test(line)) dropFrame = !/NON/i.test(line);
    const match = eventLine.exec(line);
    if (!match) {
      // What does not begin with an event's number is a title, a comment or a note to one editor.
      if (/^\s*\d{1,6}\s/.test(line)) unknown++;
      continue;
    }
    events++;
    const [, , , track, kind, length, , , recordIn, recordOut] = match as unknown as [
      string,
      string,
      string,
      string,
      string,
      string | undefined,
      string,
      string,
      string,
      string,
    ];
    if (!/^(V\d*|B|NONE|AA\/V|A\d*\/V|V\/A)/i.test(track)) continue;
    if (kind.startsWith('W')) wipes++;
    const frames = [recordIn, recordOut].map((code) => {
      const drop = mayDropFrames(rate) && (dropFrame || /[;,]/.test(code));
      return parseTimecode(`${code.slice(0, 8)}${drop ? ';' : ':'}${code.slice(9)}`, rate);
    });
    for (const time of frames) {
      if (!time.ok) {
        return fail(
          'edl-rate',
          `The EDL counts differently: ${time.problem.sentence} The master has ${rateLabel(rate)} frames a second (0 to ${count - 1}).`,
          'Export the EDL again at the master’s rate.',
        );
      }
    }
    const [at, end] = frames.map((f) => (f.ok ? f.value : 0)) as [number, number];
    if (end < at) {
      unknown++;
      continue;
    }
    if (times.length >= mostShots)
      return fail(
        'edl-long',
        `The EDL has more than ${mostShots} picture events, more than any film has shots.`,
        'Export the edit list of the finished film alone.',
      );
    times.push({ at, end, dissolve: kind === 'D' ? Number(length ?? 0) : 0 });
  }
  if (events === 0)
    return fail(
      'edl-empty',
      'This is not an EDL: no event could be read from it.',
      'Export a CMX 3600 EDL from the editor.',
    );
  if (times.length === 0)
    return fail('edl-no-picture', 'The EDL has no picture events, only sound.', 'Export the picture track.');
  if (unknown)
    words.push(`${unknown} ${unknown === 1 ? 'line was' : 'lines were'} not understood and left out.`);
  if (wipes)
    words.push(
      `${wipes} ${wipes === 1 ? 'wipe counts' : 'wipes count'} as ${wipes === 1 ? 'a cut' : 'cuts'}.`,
    );
  const start = times.reduce((least, t) => Math.min(least, t.at), Infinity);
  const end = times.reduce((most, t) => Math.max(most, t.end), 0);
  const joins = times
    .filter((t) => t.dissolve > 0 && t.at > start)
    .map((t) => ({ cut: t.at - start, span: { from: t.at - start, to: t.at - start + t.dissolve } }));
  const cuts = [...new Set(times.map((t) => t.at - start))].filter((c) => c > 0).sort((a, b) => a - b);
  return ok({ cuts, joins, frames: end - start, words });
}
