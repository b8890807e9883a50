import type { MasterFacts } from '../masters/facts.ts';
import type { Placement } from '../specs/schema.ts';

/** Facts of an ordinary HD master, with changes. */
export function facts(
  over: Partial<MasterFacts['video']> = {},
  rest: Partial<MasterFacts> = {},
): MasterFacts {
  return {
    container: 'mov,mp4,m4a,3gp,3g2,mj2',
    bytes: 10_000_000,
    audioStreams: 1,
    audio: {
      streamIndex: 1,
      codec: 'aac',
      channels: 2,
      sampleRate: 48000,
      startSeconds: 0,
      loudness: { integratedLufs: -19.2, truePeakDbtp: -3 },
    },
    video: {
      streamIndex: 0,
      codec: 'h264',
      profile: 'High',
      pixelFormat: 'yuv420p',
      bitDepth: 8,
      coded: { width: 1920, height: 1080 },
      displayed: { width: 1920, height: 1080 },
      rotation: 0,
      pixelAspect: { num: 1, den: 1 },
      rate: { num: 25, den: 1 },
      rateVaries: false,
      frames: 1060,
      framesCounted: true,
      interlaced: false,
      startSeconds: 0,
      colour: { primaries: 'bt709', transfer: 'bt709', matrix: 'bt709', range: 'tv' },
      hdr: 'none',
      ...over,
    },
    ...rest,
  };
}

/** The story placement of the check values: at most 30 fps, 15 s, H.264, two passes at 3.5 and never above 4 Mbit/s. */
export function story(over: Partial<Placement> = {}): Placement {
  return {
    id: 'story',
    name: 'Story',
    frame: { width: 1080, height: 1920 },
    largerFrame: { width: 2160, height: 3840 },
    duration: { maxSeconds: 15 },
    frameRate: { max: '30' },
    container: 'mp4',
    video: { codec: 'h264', rate: { mode: 'two-pass', targetKbps: 3500, maxKbps: 4000 }, keyframeSeconds: 2 },
    audio: {
      codec: 'aac',
      kbps: 128,
      sampleRate: 48000,
      channels: 2,
      loudness: { integratedLufs: -14, truePeakDbtp: -1 },
    },
    ...over,
  };
}
