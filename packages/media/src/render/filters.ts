import {
  resamplePlan,
  type FrameSpan,
  type MasterFacts,
  type MasterRect,
  type RenderPlan,
  type Size,
} from '@mivvy/core';
import { fromStart, type MasterHandling, type WayIn } from './way-in.ts';

/** Brings high dynamic range down to BT.709 by a filmic curve; 203 cd/m² is reference white (Rec. ITU-R BT.2408). */
export const toneMap = [
  'zscale=t=linear:npl=203',
  'format=gbrpf32le',
  'zscale=p=bt709',
  'tonemap=hable:desat=0',
  'zscale=t=bt709:m=bt709:r=tv',
];

/** Colour samples lie level with the left pixel of a pair (Rec. ITU-T H.264 chroma_sample_loc_type 0); the scaler would take the middle. */
const chromaPlace = 'in_h_chr_pos=0:out_h_chr_pos=0';

/**
 * How a picture is sized: with the finest filter; for a copy to work with, in a tenth of the time; or for a pass of an
 * encode that makes no file, as fast as may be.
 */
const scalers = {
  fine: 'lanczos+accurate_rnd+full_chroma_int',
  quick: 'area+accurate_rnd',
  sketch: 'fast_bilinear',
} as const;

/** Sizes a picture and brings its colours to BT.709, limited range. */
function scaleTo(
  width: number,
  height: number,
  master: MasterHandling,
  scaler: keyof typeof scalers = 'fine',
): string {
  const read =
    master.hdr === 'none' ? { matrix: master.matrix, range: master.range } : { matrix: 'bt709', range: 'tv' };
  return `scale=${width}:${height}:flags=${scalers[scaler]}:${chromaPlace}:in_color_matrix=${read.matrix}:out_color_matrix=bt709:in_range=${read.range}:out_range=tv`;
}

/** Filters that let one kept span's pictures through, all of them, as they should be seen. */
function spanPictures({ counted, skipped }: WayIn, span: FrameSpan): string[] {
  return [counted, `trim=start_frame=${span.from - skipped}:end_frame=${span.to - skipped}`, 'setpts=N'];
}

/** The same for whoever keeps a stretch of a film as it was decoded. */
export const wholePictures = (way: WayIn, span: FrameSpan): string => spanPictures(way, span).join(',');

const squared = (master: MasterHandling) =>
  master.squarePixels
    ? []
    : [`scale=${master.displayed.width}:${master.displayed.height}:flags=lanczos`, 'setsar=1'];

/** Filters that let through exactly the pictures that a plan of one span, at its own pace, delivers, at its rate. */
function deliveredPictures(plan: RenderPlan, way: WayIn): string[] {
  const { master } = plan;
  return [
    ...spanPictures(way, plan.kept[0]!),
    ...(plan.step.kind === 'nearest'
      ? [`fps=${plan.rate.num}/${plan.rate.den}`, `trim=end_frame=${plan.frames}`]
      : plan.step.n > 1
        ? [`select=not(mod(n\\,${plan.step.n}))`]
        : []),
    `settb=${plan.rate.den}/${plan.rate.num}`,
    'setpts=N',
    ...squared(master),
  ];
}

/**
 * What is decoded for a picture, and the way to it: the frames of a plan of one span as they are delivered, or one kept
 * span whole.
 */
export type Pictures = { kind: 'delivered'; way: WayIn } | { kind: 'span'; way: WayIn; span: FrameSpan };

const picturesOf = (plan: RenderPlan, pictures: Pictures): string[] =>
  pictures.kind === 'delivered'
    ? deliveredPictures(plan, pictures.way)
    : [...spanPictures(pictures.way, pictures.span), ...squared(plan.master)];

const isOdd = (size: { width: number; height: number }) => size.width % 2 !== 0 || size.height % 2 !== 0;

/** The filter chain that makes a plan's frames from the master's through one window that never moves, without labels. */
export function stillFilters(
  plan: RenderPlan,
  pictures: Pictures,
  window: MasterRect,
  scaler: 'fine' | 'sketch' = 'fine',
): string {
  const { master, frame } = plan;
  const chain = picturesOf(plan, pictures);
  if (isOdd(master.displayed)) chain.push('format=yuv444p'); // colour for every pixel, so that an odd crop loses nothing
  const cut = resamplePlan(window, master.displayed, frame);
  if (cut.crop.width !== master.displayed.width || cut.crop.height !== master.displayed.height) {
    chain.push(`crop=${cut.crop.width}:${cut.crop.height}:${cut.crop.x}:${cut.crop.y}:exact=1`);
  }
  if (master.hdr !== 'none') chain.push(...toneMap);
  chain.push(
    scaleTo(cut.scaled.width, cut.scaled.height, master, scaler),
    cut.fullChroma ? 'format=yuv444p' : 'format=yuv420p',
  );
  if (cut.scaled.width !== frame.width || cut.scaled.height !== frame.height) {
    chain.push(`crop=${frame.width}:${frame.height}:${cut.offset.x}:${cut.offset.y}`);
  }
  if (cut.fullChroma) chain.push(`scale=flags=lanczos+accurate_rnd:${chromaPlace}`, 'format=yuv420p');
  chain.push('setsar=1');
  return chain.join(',');
}

/**
 * The filter that sharpens a sized picture's brightness, for nothing where a plan asks for none: an unsharp mask of five
 * pixels, whose amount is the plan's.
 */
export const sharpenFilters = ({ sharpen }: RenderPlan): string[] =>
  sharpen ? [`unsharp=luma_msize_x=5:luma_msize_y=5:luma_amount=${sharpen}:chroma_amount=0`] : [];

/**
 * The filter chain that gives the resampler a plan's pictures whole: as displayed, or as small as a sketch has them; in
 * BT.709, limited range, 8 bit.
 */
export function decodeFilters(
  plan: RenderPlan,
  pictures: Pictures,
  size: Size = plan.master.displayed,
): string {
  const { master } = plan;
  const { width, height } = size;
  const isWhole = width === master.displayed.width && height === master.displayed.height;
  const asItIs = master.hdr === 'none' && master.matrix === 'bt709' && master.range === 'tv';
  return [
    ...picturesOf(plan, pictures),
    // Before its colours are brought over, which costs the more the larger it is.
    ...(isWhole ? [] : [`scale=${width}:${height}:flags=${scalers.sketch}`]),
    ...(master.hdr !== 'none' ? toneMap : []),
    ...(asItIs ? [] : [scaleTo(width, height, master)]),
    isOdd(size) ? 'format=yuv444p' : 'format=yuv420p',
  ].join(',');
}

/** The filter chain of a JPEG still: as it should be seen, in the colours that JPEG files are read with (BT.601, full range). */
export function stillImageFilters(master: MasterHandling, width: number, height: number): string {
  const read =
    master.hdr === 'none' ? { matrix: master.matrix, range: master.range } : { matrix: 'bt709', range: 'tv' };
  return [
    ...(master.hdr !== 'none' ? toneMap : []),
    `scale=${width}:${height}:flags=area+accurate_rnd:in_color_matrix=${read.matrix}:out_color_matrix=bt601:in_range=${read.range}:out_range=pc`,
    'setsar=1',
    'format=yuvj420p',
  ].join(',');
}

/** The filter chain of a proxy: the whole master as it should be seen, at most `longSide` pixels, one picture a frame. */
export function proxyFilters(facts: MasterFacts, master: MasterHandling, longSide: number): string {
  const { width, height } = facts.video.displayed;
  const factor = Math.min(1, longSide / Math.max(width, height));
  const even = (n: number) => Math.max(2, Math.round((n * factor) / 2) * 2);
  return [
    fromStart(master).counted,
    ...(master.hdr !== 'none' ? toneMap : []),
    scaleTo(even(width), even(height), master, 'quick'),
    'setsar=1',
    'format=yuv420p',
  ].join(',');
}

/** Filters that let sound begin at a time of its own; before its start, if that is later, it is silent. */
export function soundFrom(seconds: number): string[] {
  if (seconds === 0) return [];
  return [
    ...(seconds > 0 ? [`atrim=start=${seconds.toFixed(6)}`] : []),
    `asetpts=PTS-(${seconds.toFixed(6)})/TB`,
  ];
}
