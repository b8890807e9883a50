import { fps, planLayout, rateText, type RenderPlan } from '@mivvy/core';

/** What a faulty file is made from. */
export interface PlantingGround {
  /** A file that is as it should be, and its plan: H.264, one held window, two passes under a ceiling, AAC with a loudness. */
  good: string;
  plan: RenderPlan;
  master: string;
  /** Another film, of any size, longer than the plan. */
  other: string;
}

/** A file with one fault. */
export interface Planted {
  name: string;
  /** The line of the report that tells it. */
  id: string;
  /** Arguments of ffmpeg that make it, without its path. */
  args: string[];
}

/** Every fault that a report has to find, made by plain ffmpeg. */
export function plantedFaults({ good, plan, master, other }: PlantingGround): Planted[] {
  const rate = fps(plan.rate);
  const { width, height } = plan.frame;
  const { source } = planLayout(plan, 0).panels[0]!;
  const ceiling = plan.video.rate.maxKbps ?? 4000;
  const middle = Math.floor(plan.frames / 2);
  const tags = ['-color_primaries', 'bt709', '-color_trc', 'bt709', '-colorspace', 'bt709'];
  const coded = (...over: string[]) => [
    ...['-c:v', 'libx264', '-profile:v', 'high', '-level', plan.video.level ?? '4.0', '-pix_fmt', 'yuv420p'],
    ...['-b:v', `${Math.round(ceiling * 0.7)}k`, '-maxrate', `${Math.round(ceiling * 0.85)}k`],
    ...['-bufsize', `${Math.round(ceiling * 0.85)}k`, '-g', String(plan.video.keyframeFrames), ...tags],
    ...['-c:a', 'copy', '-movflags', '+faststart+write_colr'],
    ...over,
  ];
  const from = (path: string) => ['-i', path];
  const filtered = (filter: string, ...over: string[]) => [...from(good), ...coded('-vf', filter, ...over)];
  const again = `setpts=N/(${rateText(plan.rate)})/TB`;
  /** The plan's window cut from the master by ffmpeg itself, moved by some master pixels. */
  const cropped = (x: string, y: string) => [
    ...from(master),
    ...from(good),
    ...['-map', '0:v:0', '-map', '1:a:0'],
    ...coded(
      '-vf',
      `trim=end_frame=${plan.frames},crop=${Math.round(source.width)}:${Math.round(source.height)}:${x}:${y}:exact=1,scale=${width}:${height}:flags=lanczos:in_color_matrix=${plan.master.matrix}:out_color_matrix=bt709,setsar=1`,
    ),
  ];
  const left = Math.round(source.x);
  const top = Math.round(source.y);
  const sound = (filter: string, ...over: string[]) => [
    ...from(good),
    ...['-c:v', 'copy', '-af', filter, '-c:a', 'aac', '-b:a', '128k', '-ar', '48000'],
    ...['-movflags', '+faststart', ...over],
  ];
  const copied = (...over: string[]) => [...from(good), '-c', 'copy', '-movflags', '+faststart', ...over];
  const frozen = Math.round(rate);
  const bar = Math.round(height / 16 / 2) * 2;
  return [
    { name: 'wrong size', id: 'frame-size', args: filtered(`scale=${width}:${height - 2},setsar=1`) },
    { name: 'stretched pixels', id: 'pixels', args: filtered('setsar=4/3') },
    { name: 'one frame missing', id: 'missing', args: filtered(`select=not(eq(n\\,${middle})),${again}`) },
    {
      name: 'two frames repeated',
      id: 'repeated',
      args: filtered(`loop=loop=2:size=1:start=${middle},${again}`),
    },
    {
      name: 'two frames held in place of others',
      id: 'repeated',
      args: filtered(
        `split=2[a][b];[a][b]freezeframes=first=${middle}:last=${middle + 1}:replace=${middle - 1}`,
      ),
    },
    {
      name: 'a frozen second',
      id: 'frozen',
      args: filtered(
        `split=2[a][b];[a][b]freezeframes=first=${middle}:last=${middle + frozen}:replace=${middle - 1}`,
      ),
    },
    {
      name: 'a frozen second, the rest later',
      id: 'frozen',
      args: filtered(`loop=loop=${frozen}:size=1:start=${middle},${again}`),
    },
    {
      name: 'half a second of black',
      id: 'black',
      args: filtered(
        `drawbox=color=black:t=fill:enable=between(n\\,${middle}\\,${middle + Math.round(rate / 2) - 1})`,
      ),
    },
    {
      name: 'bars over the picture',
      id: 'bars',
      args: filtered(
        `drawbox=h=${bar}:color=black:t=fill,drawbox=y=${height - bar}:h=${bar}:color=black:t=fill`,
      ),
    },
    {
      name: 'a smaller picture between bars',
      id: 'bars',
      args: filtered(`scale=${width}:${height - 2 * bar},pad=${width}:${height}:0:${bar},setsar=1`),
    },
    {
      name: 'a mark in a corner',
      id: 'overlay',
      args: filtered(
        `drawbox=x=${Math.round(width * 0.8)}:y=${Math.round(height * 0.06)}:w=${Math.round(width / 8)}:h=${Math.round(width / 8)}:color=white@0.6:t=fill`,
      ),
    },
    {
      name: 'a word across the picture',
      id: 'overlay',
      args: filtered(
        [0, 1, 2, 3]
          .map((n) => `drawbox=x=${Math.round(width * (0.3 + n * 0.1))}:y=${Math.round(height * 0.47)}`)
          .map(
            (box) =>
              `${box}:w=${Math.round(width * 0.02)}:h=${Math.round(height * 0.06)}:color=white@0.35:t=fill`,
          )
          .join(','),
      ),
    },
    {
      name: 'a line along an edge',
      id: 'bars',
      args: filtered(`drawbox=w=2:h=${height}:color=black:t=fill`),
    },
    {
      name: 'a flash of one frame',
      id: 'picture',
      args: filtered(`drawbox=color=white:t=fill:enable=eq(n\\,${middle})`),
    },
    { name: 'window 8 px to the right', id: 'crop', args: cropped(String(left + 8), String(top)) },
    { name: 'window 4 px to the left', id: 'crop', args: cropped(String(left - 4), String(top)) },
    {
      name: 'window that drifts',
      id: 'crop',
      args: cropped(`${left}+n*${(12 / plan.frames).toFixed(4)}`, String(top)),
    },
    { name: 'window far away', id: 'crop', args: cropped('0', String(top)) },
    {
      name: 'another film',
      id: 'picture',
      args: [
        ...['-stream_loop', '-1'],
        ...from(other),
        ...from(good),
        ...['-map', '0:v:0', '-map', '1:a:0'],
        ...coded(
          '-vf',
          `trim=end_frame=${plan.frames},scale=${width}:${height}:force_original_aspect_ratio=increase,crop=${width}:${height},setsar=1,${again}`,
          ...['-r', rateText(plan.rate)],
        ),
      ],
    },
    { name: 'colours washed out', id: 'picture', args: filtered('eq=saturation=0.4:contrast=0.85') },
    { name: 'two decibels too loud', id: 'loudness', args: sound('volume=2dB,alimiter=limit=0.84:level=0') },
    {
      name: 'a peak above the limit',
      id: 'true-peak',
      args: sound(`aeval=val(0)+0.98*between(t\\,1\\,1.0002)|val(1)+0.98*between(t\\,1\\,1.0002):c=same`),
    },
    { name: 'a gap in the sound', id: 'sound-alike', args: sound('volume=0:enable=between(t\\,2\\,2.2)') },
    { name: 'one channel upside down', id: 'sound-alike', args: sound('pan=stereo|c0=c0|c1=-1*c1') },
    {
      name: 'sound in another pitch',
      id: 'sound-alike',
      args: sound('asetrate=49440,aresample=48000,atempo=1/1.03'),
    },
    { name: 'sound 120 ms late', id: 'sync', args: sound(`adelay=120:all=1,atrim=0:${plan.frames / rate}`) },
    {
      name: 'sound 80 ms early',
      id: 'sync',
      args: sound('atrim=start=0.08,asetpts=PTS-STARTPTS,apad=pad_dur=0.08'),
    },
    { name: 'no sound', id: 'sound', args: copied('-an') },
    { name: 'silence in place of sound', id: 'sound', args: sound('volume=0') },
    { name: 'sound that ends early', id: 'sound-length', args: sound(`atrim=0:${plan.frames / rate - 0.5}`) },
    { name: 'tables at the end', id: 'faststart', args: [...from(good), '-c', 'copy', '-movflags', '0'] },
    { name: 'another rate', id: 'frame-rate', args: filtered('fps=24') },
    { name: 'a level too high', id: 'level', args: copied('-bsf:v', 'h264_metadata=level=5.2') },
    { name: 'another profile', id: 'profile', args: filtered('null', '-profile:v', 'main') },
    {
      name: 'keyframes too far apart',
      id: 'keyframes',
      args: filtered('null', '-g', '600', '-keyint_min', '600', '-sc_threshold', '0'),
    },
    {
      name: 'colours without tags',
      id: 'colour',
      args: copied(
        '-bsf:v',
        'h264_metadata=colour_primaries=2:transfer_characteristics=2:matrix_coefficients=2',
      ),
    },
    {
      name: 'a broken ceiling',
      id: 'bitrate-ceiling',
      args: filtered(
        `noise=alls=60:allf=t:enable=between(n\\,${middle}\\,${middle + Math.round(rate * 1.5)})`,
        ...['-b:v', `${ceiling}k`, '-maxrate', `${ceiling * 4}k`, '-bufsize', `${ceiling * 8}k`],
      ),
    },
    {
      name: 'another container',
      id: 'container',
      args: [...from(good), '-c', 'copy', '-f', 'mov', '-movflags', '+faststart'],
    },
  ];
}
