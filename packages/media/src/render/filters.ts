import { resamplePlan, type MasterFacts, type RenderPlan } from '@mivvy/core';

/** What the filters need to know of a master to show it as it should be seen. */
export type MasterHandling = RenderPlan['master'];

/** Filters that turn what a decoder gives into one picture per master frame, numbered by its timestamp. */
function conform(master: MasterHandling): string[] {
  const rate = `${master.rate.num}/${master.rate.den}`;
  return [
    ...(master.interlaced ? ['bwdif=mode=send_frame'] : []),
    // A film whose rate varies is brought to one rate; a steady one is renumbered, which forgives rounded timestamps.
    ...(master.rateVaries ? ['setpts=PTS-STARTPTS', `fps=${rate}`] : []),
    `settb=${master.rate.den}/${master.rate.num}`,
    'setpts=N',
  ];
}

/** Brings high dynamic range down to BT.709 by a filmic curve; 203 cd/m² is reference white (Rec. ITU-R BT.2408). */
const toneMap = ['zscale=t=linear:npl=203', 'format=gbrpf32le', 'zscale=p=bt709', 'tonemap=hable:desat=0', 'zscale=t=bt709:m=bt709:r=tv'];

/** Sizes a picture and brings its colours to BT.709, limited range. */
function scaleTo(width: number, height: number, master: MasterHandling): string {
  const read = master.hdr === 'none' ? { matrix: master.matrix, range: master.range } : { matrix: 'bt709', range: 'tv' };
  return `scale=${width}:${height}:flags=lanczos+accurate_rnd+full_chroma_int:in_color_matrix=${read.matrix}:out_color_matrix=bt709:in_range=${read.range}:out_range=tv`;
}

/**
 * The filter chain that makes a plan's frames from the master's, without labels.
 *
 * @param skipped master frames that seeking has already left out before the first one decoded
 */
export function pictureFilters(plan: RenderPlan, skipped: number): string {
  const { master, frame } = plan;
  const chain = conform(master);
  const [only, ...more] = plan.stretches;
  // Plans of several stretches are cut and joined one by one; today's framings have one.
  if (!only || more.length > 0) throw new Error('a plan of several stretches cannot be rendered by one chain');
  chain.push(`trim=start_frame=${only.source.from - skipped}:end_frame=${only.source.to - skipped}`, 'setpts=N');
  if (plan.step.kind === 'every') {
    if (plan.step.n > 1) chain.push(`select=not(mod(n\\,${plan.step.n}))`);
  } else {
    chain.push(`fps=${plan.rate.num}/${plan.rate.den}`, `trim=end_frame=${plan.frames}`);
  }
  chain.push(`settb=${plan.rate.den}/${plan.rate.num}`, 'setpts=N');

  if (!master.squarePixels) chain.push(`scale=${master.displayed.width}:${master.displayed.height}:flags=lanczos`, 'setsar=1');
  const odd = master.displayed.width % 2 !== 0 || master.displayed.height % 2 !== 0;
  if (odd) chain.push('format=yuv444p'); // colour for every pixel, so that an odd crop loses nothing
  const cut = resamplePlan(only.window, master.displayed, frame);
  if (cut.crop.width !== master.displayed.width || cut.crop.height !== master.displayed.height) {
    chain.push(`crop=${cut.crop.width}:${cut.crop.height}:${cut.crop.x}:${cut.crop.y}:exact=1`);
  }
  if (master.hdr !== 'none') chain.push(...toneMap);
  chain.push(scaleTo(cut.scaled.width, cut.scaled.height, master), cut.fullChroma ? 'format=yuv444p' : 'format=yuv420p');
  if (cut.scaled.width !== frame.width || cut.scaled.height !== frame.height) {
    chain.push(`crop=${frame.width}:${frame.height}:${cut.offset.x}:${cut.offset.y}`);
  }
  if (cut.fullChroma) chain.push('scale=flags=lanczos+accurate_rnd', 'format=yuv420p');
  chain.push('setsar=1');
  return chain.join(',');
}

/** The filter chain of a proxy: the whole master as it should be seen, at most `longSide` pixels, one picture a frame. */
export function proxyFilters(facts: MasterFacts, master: MasterHandling, longSide: number): string {
  const { width, height } = facts.video.displayed;
  const factor = Math.min(1, longSide / Math.max(width, height));
  const even = (n: number) => Math.max(2, Math.round((n * factor) / 2) * 2);
  return [
    ...conform(master),
    ...(master.hdr !== 'none' ? toneMap : []),
    scaleTo(even(width), even(height), master),
    'setsar=1',
    'format=yuv420p',
  ].join(',');
}
