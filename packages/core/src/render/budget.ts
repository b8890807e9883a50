import type { Size } from '../picture/geometry.ts';
import { fps, type Rate } from '../time/rate.ts';
import type { VideoCodec, VideoRate } from '../specs/video-rate.ts';

/** Share of a file kept free for the container's own tables and for the encoder's last per cent of error. */
const containerShare = 0.03;

/** Below so many bits a pixel the picture falls apart (common practice, no source; newer codecs need less). */
const floorBitsPerPixel: Record<VideoCodec, number> = { h264: 0.02, hevc: 0.012, vp9: 0.012, av1: 0.01 };

/** Size in bytes (10^6 to the MB) of a stream at a rate. 3.5 Mbit/s for 60 s is 26.25 MB. */
export function bytesAtRate(kbps: number, seconds: number): number {
  return (kbps * 1000 * seconds) / 8;
}

/** What the file's size limit does to the bitrate. */
export interface RateBudget {
  /** The rate to encode at. */
  rate: VideoRate;
  /** True when the size limit lowered it. */
  lowered: boolean;
  /** False when the limit leaves less than the floor: the version is refused. */
  feasible: boolean;
  /** The least video rate worth delivering for this frame and rate, kbit/s. */
  floorKbps: number;
  /** Expected bytes of the whole file; an upper bound in quality mode with a ceiling, null where nothing bounds it. */
  expectedBytes: number | null;
}

/** The video bitrate, in kbit/s, that `maxBytes` leaves over `seconds` beside the sound. */
export function kbpsForBytes(maxBytes: number, seconds: number, audioKbps: number): number {
  return (maxBytes * 8 * (1 - containerShare)) / 1000 / seconds - audioKbps;
}

/** Fits a placement's bitrate under its size limit. */
export function budgetRate(
  wanted: VideoRate,
  codec: VideoCodec,
  frameSize: Size,
  rate: Rate,
  seconds: number,
  audioKbps: number,
  maxBytes: number | undefined,
): RateBudget {
  const floorKbps = (floorBitsPerPixel[codec] * frameSize.width * frameSize.height * fps(rate)) / 1000;
  const whole = (kbps: number | undefined) =>
    kbps === undefined ? null : Math.round(bytesAtRate(kbps + audioKbps, seconds));
  const ceiling = maxBytes === undefined ? Infinity : kbpsForBytes(maxBytes, seconds, audioKbps);
  if (wanted.mode === 'two-pass') {
    if (ceiling >= wanted.targetKbps) {
      return {
        rate: wanted,
        lowered: false,
        feasible: true,
        floorKbps,
        expectedBytes: whole(wanted.targetKbps),
      };
    }
    const targetKbps = Math.max(1, Math.floor(ceiling));
    return {
      rate: { mode: 'two-pass', targetKbps, maxKbps: wanted.maxKbps },
      lowered: true,
      feasible: ceiling >= floorKbps,
      floorKbps,
      expectedBytes: whole(targetKbps),
    };
  }
  if (ceiling === Infinity || (wanted.maxKbps !== undefined && wanted.maxKbps <= ceiling)) {
    return { rate: wanted, lowered: false, feasible: true, floorKbps, expectedBytes: whole(wanted.maxKbps) };
  }
  // A quality that cannot be trusted to stay under a size becomes a two-pass rate that can.
  const targetKbps = Math.max(1, Math.floor(Math.min(ceiling, wanted.maxKbps ?? ceiling)));
  return {
    rate: { mode: 'two-pass', targetKbps, maxKbps: wanted.maxKbps ?? Math.floor(targetKbps * 1.5) },
    lowered: true,
    feasible: ceiling >= floorKbps,
    floorKbps,
    expectedBytes: whole(targetKbps),
  };
}
