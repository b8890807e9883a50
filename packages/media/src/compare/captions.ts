import { correlation, type BurnedCaptions, type Comparison, type RenderPlan } from '@mivvy/core';
import { drawCue } from '../captions/draw.ts';
import { inputArgs, must, runFfmpegToMemory } from '../ffmpeg/run.ts';

/** So many cues are looked at, spread over the film. */
const mostCues = 12;
/** More alike than the first, correlation, and a cue is shown; less than the second, and it is not. */
const shownFrom = 0.7;
const absentBelow = 0.5;
/** Luma of letters and of their plate, limited range; the plate lets some of the film through. */
const letterLuma = 235;
const plateLuma = 40;

type Cue = BurnedCaptions['cues'][number];

/** The rows of the frame that some cues are drawn in, each in the band or where it moves out of the way of something. */
function rowsOf({ band }: BurnedCaptions, cues: readonly Cue[]): { top: number; height: number } {
  const tops = cues.map((cue) => cue.y ?? band.y);
  const top = Math.min(...tops);
  return { top, height: Math.max(...tops) + band.height - top };
}

/** Where a cue is drawn: which pixels of the band, and how bright they should be. */
function drawnCue(captions: BurnedCaptions, cue: Cue): { at: number[]; luma: number[] } {
  const { width, height } = captions.band;
  const { data } = drawCue(captions, cue.lines).getContext('2d').getImageData(0, 0, width, height);
  const at = Array.from({ length: width * height }, (_, i) => i).filter((i) => data[i * 4 + 3]! > 128);
  return { at, luma: at.map((i) => plateLuma + ((letterLuma - plateLuma) * data[i * 4]!) / 255) };
}

/** Frames at which a cue must be seen and must not be: its ends, and their neighbours where no other cue is. */
function framesOf(cue: Cue, { cues }: BurnedCaptions, frames: number): { shown: number[]; absent: number[] } {
  const free = (k: number) => k >= 0 && k < frames && !cues.some((c) => k >= c.from && k < c.to);
  return { shown: [cue.from, cue.to - 1], absent: [cue.from - 1, cue.to].filter(free) };
}

/** Looks at captions that are drawn into a file: whether their words are seen from their first frame to their last. */
export async function compareCaptions(
  captions: BurnedCaptions,
  plan: RenderPlan,
  file: { path: string; stream: number },
  signal?: AbortSignal,
): Promise<NonNullable<Comparison['captions']>> {
  const { cues, band } = captions;
  const every = Math.max(1, Math.ceil(cues.length / mostCues));
  const looked = cues.filter((_, i) => i % every === 0);
  const wanted = looked.map((cue) => framesOf(cue, captions, plan.frames));
  const rows = rowsOf(captions, looked);
  const frames = [...new Set(wanted.flatMap(({ shown, absent }) => [...shown, ...absent]))].sort(
    (a, b) => a - b,
  );
  const bytes = must(
    await runFfmpegToMemory(
      [
        ...inputArgs(file.path),
        '-map',
        `0:${file.stream}`,
        '-vf',
        [
          `select=${frames.map((k) => `eq(n\\,${k})`).join('+')}`,
          `scale=${plan.frame.width}:${plan.frame.height}`,
          'format=yuv420p',
          'extractplanes=y',
          `crop=${band.width}:${rows.height}:${band.x}:${rows.top}`,
        ].join(','),
        '-fps_mode',
        'passthrough',
        '-f',
        'rawvideo',
        'pipe:1',
      ],
      { signal },
    ),
  );
  const size = band.width * rows.height;
  const alike = (cue: ReturnType<typeof drawnCue>, frame: number, y: number): number => {
    const start = frames.indexOf(frame) * size + (y - rows.top) * band.width;
    if (start + band.width * band.height > bytes.length) return 0;
    return correlation(
      cue.luma,
      cue.at.map((i) => bytes[start + i]!),
    );
  };
  const wrong = looked.filter((cue, i) => {
    const drawn = drawnCue(captions, cue);
    const { shown, absent } = wanted[i]!;
    const at = (k: number) => alike(drawn, k, cue.y ?? band.y);
    return shown.some((k) => at(k) < shownFrom) || absent.some((k) => at(k) >= absentBelow);
  });
  return { looked: looked.length, wrong: wrong.map(({ from, to }) => ({ from, to })) };
}
