import type { Rate } from '../time/rate.ts';
import type { FrameSpan } from '../time/span.ts';
import { frameToTimecode } from '../time/timecode.ts';
import { listWords } from '../words.ts';

/** Bytes for a person, in powers of ten as places state their limits: `18.2 MB`. */
export function bytesLabel(bytes: number): string {
  if (bytes < 1000) return `${bytes} bytes`;
  if (bytes < 1_000_000) return `${Math.round(bytes / 1000)} kB`;
  if (bytes < 1_000_000_000) return `${(bytes / 1_000_000).toFixed(bytes < 100_000_000 ? 1 : 0)} MB`;
  return `${(bytes / 1_000_000_000).toFixed(2)} GB`;
}

/** A bitrate for a person: `3.5 Mbit/s`, `800 kbit/s`. */
export function bitrateLabel(kbps: number): string {
  return kbps >= 1000 ? `${Number((kbps / 1000).toFixed(2))} Mbit/s` : `${Math.round(kbps)} kbit/s`;
}

/** No more places are listed; how many there are besides is said. */
const mostPlaces = 8;

/** Places in a film for a person: timecode from the first frame of each to its last. */
export function spansLabel(spans: readonly FrameSpan[], rate: Rate): string {
  const code = (frame: number) => frameToTimecode(frame, rate);
  const listed = spans
    .slice(0, mostPlaces)
    .map(({ from, to }) => (to - from > 1 ? `${code(from)} to ${code(to - 1)}` : code(from)));
  const more = spans.length - listed.length;
  return listWords(more > 0 ? [...listed, `${more} more`] : listed);
}
