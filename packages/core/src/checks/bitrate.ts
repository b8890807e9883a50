/** One coded picture of a finished file. */
export interface CodedPicture {
  /** When it is shown or decoded, seconds. */
  seconds: number;
  bytes: number;
}

/** Average bitrate in kbit/s over a length in seconds. */
export function averageKbps(pictures: readonly CodedPicture[], seconds: number): number {
  const bytes = pictures.reduce((sum, p) => sum + p.bytes, 0);
  return (bytes * 8) / 1000 / seconds;
}

/** kbit/s in each second of the film, for a chart; the last entry covers what is left. */
export function kbpsBySecond(pictures: readonly CodedPicture[], seconds: number): number[] {
  const bins = new Array<number>(Math.max(1, Math.ceil(seconds - 1e-9))).fill(0);
  for (const p of pictures) {
    const bin = Math.min(bins.length - 1, Math.max(0, Math.floor(p.seconds + 1e-9)));
    bins[bin]! += (p.bytes * 8) / 1000;
  }
  const last = seconds - (bins.length - 1);
  bins[bins.length - 1]! /= last > 0 ? Math.min(1, last) : 1;
  return bins;
}

/**
 * Whether a stream never overflows a leaky bucket of `bufferKbit` that drains at `kbps`: the decoder-buffer sense of a
 * bitrate ceiling (Rec. ITU-T H.264 Annex C, hypothetical reference decoder).
 */
function staysUnder(pictures: readonly CodedPicture[], kbps: number, bufferKbit: number): boolean {
  let level = 0;
  for (let i = 0; i < pictures.length; i++) {
    if (i > 0) level = Math.max(0, level - kbps * (pictures[i]!.seconds - pictures[i - 1]!.seconds));
    level += (pictures[i]!.bytes * 8) / 1000;
    if (level > bufferKbit + 1e-9) return false;
  }
  return true;
}

/**
 * Peak bitrate as a player with a one-second buffer meets it: the lowest ceiling, in kbit/s, whose leaky bucket of
 * one second at that ceiling the stream never overflows. Never below the average: a full second of buffer would
 * flatter a film of a few seconds.
 */
export function peakKbps(pictures: readonly CodedPicture[], seconds: number): number {
  if (pictures.length === 0) return 0;
  const ordered = [...pictures].sort((a, b) => a.seconds - b.seconds);
  let low = 0;
  let high = ordered.reduce((sum, p) => sum + (p.bytes * 8) / 1000, 0);
  for (let i = 0; i < 50 && high - low > 0.01; i++) {
    const middle = (low + high) / 2;
    if (staysUnder(ordered, middle, middle)) high = middle;
    else low = middle;
  }
  return Math.max(high, averageKbps(pictures, seconds));
}
