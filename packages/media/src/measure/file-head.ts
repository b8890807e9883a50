import {
  fail,
  nearestKnownRate,
  ok,
  parseRate,
  type MeasuredFile,
  type Rate,
  type Result,
} from '@mivvy/core';
import { probe, type ProbedStream } from '../ingest/probe.ts';

/** What a finished film says of itself, before any of its packets is read. */
export interface FileHead {
  path: string;
  container: string;
  /** Seconds; null where the container states none. */
  length: number | null;
  /** When it begins, seconds. */
  start: number;
  video: ProbedStream & { codec_name: string };
  /** How its picture is meant to be shown. */
  shown: Shown;
  /** Frames a second, where they are stated; null where they have to be counted. */
  rate: Rate | null;
  audio: ProbedStream | undefined;
}

type Shown = Pick<MeasuredFile['video'], 'frame' | 'rotation' | 'matrix'> & {
  /** Width of a stored pixel over its height. */
  pixelAspect: Rate;
};

/** A tag, or null where it says nothing. */
export const stated = (value: string | undefined): string | null =>
  value && value !== 'unknown' ? value : null;

/** Reads what a finished film says of itself. Fails where it holds no picture. Throws `Cancelled`. */
export async function readHead(path: string, signal?: AbortSignal): Promise<Result<FileHead>> {
  const probed = await probe(path, signal);
  if (!probed.ok) return probed;
  const { streams, format } = probed.value.file;
  const video = streams.find((s) => s.codec_type === 'video' && !s.disposition?.attached_pic);
  if (!video?.width || !video.height || !video.codec_name)
    return fail('no-picture', 'The finished file holds no picture.', 'Export it again.');
  const aspect = /^(\d+):(\d+)$/.exec(video.sample_aspect_ratio ?? '');
  const average = parseRate(video.avg_frame_rate ?? '');
  const decimal = average.ok ? average.value.num / average.value.den : 0;
  return ok({
    path,
    container: format?.format_name ?? 'unknown',
    length: format?.duration ?? null,
    start: format?.start_time ?? 0,
    video: { ...video, codec_name: video.codec_name },
    shown: {
      frame: { width: video.width, height: video.height },
      pixelAspect:
        aspect && Number(aspect[1]) > 0 && Number(aspect[2]) > 0
          ? { num: Number(aspect[1]), den: Number(aspect[2]) }
          : { num: 1, den: 1 },
      rotation: video.side_data_list?.find((d) => d.rotation !== undefined)?.rotation ?? 0,
      matrix: stated(video.color_space),
    },
    rate: decimal > 0 && Number.isFinite(decimal) ? nearestKnownRate(decimal) : null,
    audio: streams.find((s) => s.codec_type === 'audio'),
  });
}
