import {
  fps,
  looksAtEvery,
  lookSize,
  middleOfSpan,
  ok,
  shotSpans,
  type DetectorNote,
  type SubjectScan,
  type MasterFacts,
  type Result,
  type Shot,
  type ShotLook,
} from '@mivvy/core';

import { explainFailure, inputArgs, quietly } from '../ffmpeg/run.ts';
import { locateTools } from '../ffmpeg/locate.ts';
import { fromStart, type MasterHandling } from '../render/way-in.ts';
import { runWorker } from '../workers/run-worker.ts';
import { detectorFilters, detectorSize, shippedModels } from './detector-picture.ts';
import { lookNewsSchema, type LookJob } from './look-job.ts';

interface LookOptions {
  signal?: AbortSignal | undefined;
  /** Without a detector, looking takes a quarter of the time. A folder: where its models lie, if not where they ship. */
  detector?: boolean | string;
  /** Every shot as soon as it has been looked at, in order, and what became of the detector. */
  onShot?: (look: ShotLook, note: DetectorNote) => void;
}

/** Frames that the detector is shown: about one a second, and one in each shot that has none otherwise. */
export function detectorFrames(
  spans: readonly { from: number; to: number }[],
  framesPerSecond: number,
  frames: number,
): number[] {
  const every = Math.max(1, Math.round(framesPerSecond));
  const steady = Array.from(
    { length: Math.ceil(frames / every) },
    (_, i) => i * every + Math.floor(every / 2),
  ).filter((f) => f < frames);
  // Asked of ffmpeg one by one, so there is a limit to them.
  const lonely = spans
    .filter((s) => !steady.some((f) => f >= s.from && f < s.to))
    .map(middleOfSpan)
    .filter((f) => f < frames)
    .slice(0, 300);
  return [...new Set([...steady, ...lonely])].sort((a, b) => a - b);
}

/** Seconds between pictures that are looked at again, closer, where nobody is seen: it takes as long as three others. */
const closerEvery = 10;

/** Of the frames that the detector is shown, those that it may look at closer: the middle one of each shot, and some in long shots. */
export function closerFrames(
  spans: readonly { from: number; to: number }[],
  detectAt: readonly number[],
  framesPerSecond: number,
): number[] {
  return spans.flatMap(({ from, to }) => {
    const mine = detectAt.filter((f) => f >= from && f < to);
    const count = Math.max(1, Math.round((to - from) / framesPerSecond / closerEvery));
    return [
      ...new Set(
        Array.from({ length: count }, (_, i) => mine[Math.floor(((i + 0.5) * mine.length) / count)]),
      ),
    ].filter((f) => f !== undefined);
  });
}

/**
 * Looks at a film: one decoding, in a worker, shot by shot. See `lookAtShot` for what is found. A detector that cannot
 * be loaded is done without, and that is told.
 */
export async function lookAtFilm(
  path: string,
  facts: MasterFacts,
  master: MasterHandling,
  shots: readonly Shot[],
  options: LookOptions = {},
): Promise<Result<SubjectScan>> {
  const tools = await locateTools();
  if (!tools.ok) return tools;
  const rate = fps(facts.video.rate);
  const step = looksAtEvery(rate);
  const spans = shotSpans(shots, facts.video.frames);
  const size = lookSize(facts.video.displayed);
  const models =
    options.detector === false
      ? null
      : typeof options.detector === 'string'
        ? options.detector
        : shippedModels();
  const large = detectorSize(facts.video.displayed);
  const detectAt = detectorFrames(spans, rate, facts.video.frames);
  const every = Math.max(1, Math.round(rate));
  const lonely = detectAt.filter((f) => f % every !== Math.floor(every / 2));
  const chosen = [
    `eq(mod(n\\,${every})\\,${Math.floor(every / 2)})`,
    ...lonely.map((f) => `eq(n\\,${f})`),
  ].join('+');
  const small = `select=eq(mod(n\\,${step})\\,0),scale=${size.width * 3}:${size.height * 3}:flags=fast_bilinear,scale=${size.width}:${size.height}:flags=area,format=yuv444p`;
  const { counted } = fromStart(master);
  const graph =
    models === null
      ? `${counted},${small}[small]`
      : `${counted},split=2[a][b];[a]${small}[small];[b]select=${chosen},${detectorFilters(large)}[large]`;
  const raw = (label: string, to: string) => [
    '-map',
    `[${label}]`,
    '-fps_mode',
    'passthrough',
    '-f',
    'rawvideo',
    to,
  ];
  const job: LookJob = {
    ffmpeg: tools.value.ffmpeg,
    size,
    step,
    framesPerSecond: rate,
    frames: facts.video.frames,
    shots: spans,
    models,
    large: large.all,
    picture: large.picture,
    detectAt,
    closerAt: closerFrames(spans, detectAt, rate),
    decode: [
      ...quietly,
      '-skip_loop_filter',
      'all',
      '-flags2',
      '+fast',
      ...inputArgs(path),
      '-filter_complex',
      `[0:${facts.video.streamIndex}]${graph}`,
      ...raw('small', 'pipe:1'),
      ...(models === null ? [] : raw('large', 'pipe:3')),
    ],
  };
  const look: SubjectScan = { version: 1, detector: { kind: 'off' }, shots: [] };
  const end = await runWorker({
    file: new URL('./look-worker.ts', import.meta.url),
    data: job,
    news: lookNewsSchema,
    signal: options.signal,
    onNews: (news) => {
      if (news.kind === 'detector') look.detector = news.note;
      else {
        look.shots.push(news.look);
        options.onShot?.(news.look, look.detector);
      }
    },
  });
  if (!end.ok)
    return { ok: false, problem: explainFailure(end.stderr, 'the film could not be looked through') };
  return ok(look);
}
