import { fitCells, fitSide, type FrameSpan, type Rate, type RenderPlan, type Size } from '@mivvy/core';
import { inputArgs, quietly } from '../ffmpeg/run.ts';
import { toneMap } from '../render/filters.ts';
import { fromStart, wayInto, type MasterHandling, type WayIn } from '../render/way-in.ts';
import type { CompareJob } from './compare-job.ts';

/** A small picture of every frame comes down pipe 1, luma alone; larger ones of some frames down pipe 3, in colour. */
export interface Decode {
  args: string[];
  /** Size of the pictures of every frame. */
  small: Size;
  /** Size of the ones of some frames, 4:2:0. */
  large: Size;
}

/** Cells of a file's small pictures, fewer for long films so that memory stays bounded. */
const thumbCells = (frames: number) => Math.max(256, Math.min(1400, Math.floor(60_000_000 / frames)));
/** Longer side of a master's small pictures, and of the larger ones of both films. */
const masterSide = 320;
const fileLargeSide = 640;
const masterLargeSide = 1280;
/** A master is decoded from its start, so that its frames are counted by nothing but their order, unless that takes too long. */
const countedUpTo = 1500;
/** Then it is entered so many frames before the renderer did: a way in that led that one astray is not taken again. */
const entersEarlier = 300;

/** A filter that lets through some pictures by their number. */
const chosen = (frames: readonly number[]) => `select=${frames.map((f) => `eq(n\\,${f})`).join('+') || '0'}`;

function args(path: string, seek: string[], graph: string): string[] {
  const raw = (label: string, to: string) => [
    '-map',
    `[${label}]`,
    '-fps_mode',
    'passthrough',
    '-f',
    'rawvideo',
    to,
  ];
  return [
    ...quietly,
    ...seek,
    ...inputArgs(path),
    '-filter_complex',
    graph,
    ...raw('small', 'pipe:1'),
    ...raw('large', 'pipe:3'),
  ];
}

export const sameRate = (a: Rate, b: Rate): boolean => a.num * b.den === b.num * a.den;

/**
 * Filters that bring a finished picture to a size, as it is compared.
 *
 * @param read options of the scaler that say which colours it is in; nothing for those that it is tagged with
 */
export const sizedPicture = ({ width, height }: Size, read = ''): string =>
  `scale=${width}:${height}:flags=area${read}:out_color_matrix=bt709:out_range=tv,format=yuv420p`;

/** Decodes a finished file: all its frames small, some of them larger. */
export function fileDecode({ file, plan }: CompareJob, samples: readonly number[]): Decode {
  const small = fitCells(file.displayed, thumbCells(plan.frames));
  const large = fitSide(file.displayed, fileLargeSide);
  // A file without tags is taken to be in the colours that it should be in.
  const read = file.matrix === null ? ':in_color_matrix=bt709' : '';
  // One of another rate is shown beside the plan as a player would show it.
  const inStep = sameRate(file.rate, plan.rate) ? '' : `fps=${plan.rate.num}/${plan.rate.den},`;
  const to = (size: Size) => sizedPicture(size, read);
  return {
    args: args(
      file.path,
      [],
      `[0:${file.stream}]${inStep}split=2[a][b];[a]${to(small)},extractplanes=y[small];[b]${chosen(samples)},${to(large)}[large]`,
    ),
    small,
    large,
  };
}

/** Filters that bring a master's pictures to a size and to BT.709, by other means than the renderer's. */
function sizedMaster(
  master: MasterHandling,
  { width, height }: Size,
  format: 'yuv420p' | 'yuv444p' = 'yuv420p',
): string {
  const sized = `scale=${width}:${height}:flags=area`;
  const toTagged = ':out_color_matrix=bt709:out_range=tv';
  if (master.hdr === 'none')
    return `${sized}:in_color_matrix=${master.matrix}:in_range=${master.range}${toTagged},format=${format}`;
  // Tone is mapped after sizing: on small pictures it costs little. What lies outside BT.709 is clipped as the scaler does.
  return [
    sized,
    ...toneMap,
    `${sized}:in_color_matrix=bt709:in_range=tv${toTagged}`,
    `format=${format}`,
  ].join(',');
}

/** Filters that let through some of a master's frames at a size, by the way that it is entered. */
export const comparedMaster = (
  master: MasterHandling,
  { counted, skipped }: WayIn,
  frames: readonly number[],
  size: Size,
): string => `${counted},${chosen(frames.map((f) => f - skipped))},${sizedMaster(master, size)}`;

/** Decodes every frame of a master at a size, three planes of that size each, down pipe 1. */
export const wholeDecode = (master: MasterHandling, path: string, size: Size): string[] => [
  ...quietly,
  ...inputArgs(path),
  '-map',
  `0:${master.videoStream}`,
  '-vf',
  `${fromStart(master).counted},${sizedMaster(master, size, 'yuv444p')}`,
  '-fps_mode',
  'passthrough',
  '-f',
  'rawvideo',
  'pipe:1',
];

/** Size of a master's small pictures. */
export const masterSmall = ({ master }: RenderPlan): Size => fitSide(master.displayed, masterSide);

/** Decodes a plan's master from its first frame that is needed to its last: all small, some larger. */
export function masterDecode(
  plan: RenderPlan,
  path: string,
  needed: FrameSpan,
  samples: readonly number[],
): Decode & { skipped: number } {
  const { master } = plan;
  const way = needed.from > countedUpTo ? wayInto(master, needed.from - entersEarlier) : fromStart(master);
  const small = masterSmall(plan);
  const large = fitSide(master.displayed, masterLargeSide);
  const to = (size: Size) => sizedMaster(master, size);
  const counted = `${way.counted},trim=end_frame=${needed.to - way.skipped}`;
  return {
    args: args(
      path,
      way.args,
      `[0:${master.videoStream}]${counted},split=2[a][b];[a]${to(small)},extractplanes=y[small];[b]${chosen(samples.map((f) => f - way.skipped))},${to(large)}[large]`,
    ),
    small,
    large,
    skipped: way.skipped,
  };
}
