import type { Size } from '../picture/geometry.ts';
import { fps, type Rate } from '../time/rate.ts';

/** H.264 profiles that files are made in. */
export const h264Profiles = ['baseline', 'main', 'high'] as const;
export type H264Profile = (typeof h264Profiles)[number];

/** One row of Rec. ITU-T H.264 Table A-1 (from memory). MaxBR in kbit/s for the High profile (1.25 × the table's). */
interface LevelRow {
  level: string;
  /** Macroblocks a second. */
  maxMbps: number;
  /** Macroblocks a frame. */
  maxFs: number;
  /** kbit/s, High profile. */
  maxKbps: number;
}

/** Rec. ITU-T H.264 Table A-1, from level 3 up (from memory). */
const tableA1: readonly LevelRow[] = [
  { level: '3.0', maxMbps: 40500, maxFs: 1620, maxKbps: 12500 },
  { level: '3.1', maxMbps: 108000, maxFs: 3600, maxKbps: 17500 },
  { level: '3.2', maxMbps: 216000, maxFs: 5120, maxKbps: 25000 },
  { level: '4.0', maxMbps: 245760, maxFs: 8192, maxKbps: 25000 },
  { level: '4.1', maxMbps: 245760, maxFs: 8192, maxKbps: 62500 },
  { level: '4.2', maxMbps: 522240, maxFs: 8704, maxKbps: 62500 },
  { level: '5.0', maxMbps: 589824, maxFs: 22080, maxKbps: 168750 },
  { level: '5.1', maxMbps: 983040, maxFs: 36864, maxKbps: 300000 },
  { level: '5.2', maxMbps: 2073600, maxFs: 36864, maxKbps: 300000 },
  { level: '6.0', maxMbps: 4177920, maxFs: 139264, maxKbps: 300000 },
  { level: '6.1', maxMbps: 8355840, maxFs: 139264, maxKbps: 600000 },
  { level: '6.2', maxMbps: 16711680, maxFs: 139264, maxKbps: 1000000 },
];

/** What a level's bitrate for the High profile is to that of the others (Rec. ITU-T H.264 Table A-2, from memory). */
const highOverMain = 1.25;
const mostKbps = (row: LevelRow, profile: H264Profile) =>
  profile === 'high' ? row.maxKbps : row.maxKbps / highOverMain;

/** A level is no higher than another: levels are numbers that grow. */
export const isLevelWithin = (level: string, most: string): boolean => Number(level) <= Number(most);

/** The highest bitrate of a level, kbit/s; undefined where the table has no such level. */
export function levelKbps(level: string, profile: H264Profile): number | undefined {
  const row = tableA1.find((r) => Number(r.level) === Number(level));
  return row && mostKbps(row, profile);
}

/** The first of the table's levels. */
export const lowestLevel = tableA1[0]!.level;

/** The lowest H.264 level that a frame size, rate and peak bitrate fit, or undefined where none does. */
export function lowestH264Level(
  frameSize: Size,
  rate: Rate,
  peakKbps: number,
  profile: H264Profile = 'high',
): string | undefined {
  const across = Math.ceil(frameSize.width / 16);
  const down = Math.ceil(frameSize.height / 16);
  const blocks = across * down;
  return tableA1.find(
    (row) =>
      blocks <= row.maxFs &&
      blocks * fps(rate) <= row.maxMbps + 1e-6 &&
      // Neither side may exceed the square root of eight times the frame's blocks (clause A.3.1).
      across <= Math.sqrt(8 * row.maxFs) &&
      down <= Math.sqrt(8 * row.maxFs) &&
      peakKbps <= mostKbps(row, profile),
  )?.level;
}
