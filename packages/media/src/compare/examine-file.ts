import { ok, type Comparison, type MeasuredFile, type RenderPlan, type Result } from '@mivvy/core';
import { must } from '../ffmpeg/run.ts';
import { readHead, type FileHead } from '../measure/file-head.ts';
import { measureFrom } from '../measure/measure.ts';
import { compareFile, type CompareOptions } from './compare-file.ts';

/** A finished file as it was measured, and as it stands beside its plan. */
export interface Examined {
  measured: MeasuredFile;
  compared: Comparison;
}

export interface ExamineOptions extends CompareOptions {
  /** Called when it has been measured; comparing it goes on. */
  onMeasured?: () => void;
}

/**
 * Measures a finished file and compares it with its plan and its master, side by side: reading packets and loudness takes
 * one core, and less than decoding does. Throws `Cancelled`.
 */
export async function examineFile(
  path: string,
  plan: RenderPlan,
  masterPath: string,
  options: ExamineOptions = {},
): Promise<Result<Examined>> {
  const head = await readHead(path, options.signal);
  if (!head.ok) return head;
  const measuring = measureFrom(head.value, options.signal);
  const enough = new AbortController();
  const signal = AbortSignal.any([enough.signal, ...(options.signal ? [options.signal] : [])]);
  const comparing = compareBeside(head.value, measuring, plan, masterPath, { ...options, signal });
  comparing.catch(() => undefined); // awaited below
  try {
    const measured = await measuring;
    if (!measured.ok) return measured;
    options.onMeasured?.();
    const compared = await comparing;
    return compared.ok ? ok({ measured: measured.value, compared: compared.value }) : compared;
  } finally {
    // A file that cannot be measured is compared with nothing; whoever goes on finds no tool that still reads it.
    enough.abort();
    await comparing.catch(() => undefined);
  }
}

/** Compares a file as soon as enough is known of it. Throws the problem that measuring it comes to. */
async function compareBeside(
  { path, video, audio, shown, rate }: FileHead,
  measuring: Promise<Result<MeasuredFile>>,
  plan: RenderPlan,
  masterPath: string,
  options: CompareOptions,
): Promise<Result<Comparison>> {
  // A rate that the file does not state is known when its pictures have been counted.
  const counted = rate ?? must(await measuring).video.rate;
  const begins = measuring.then((measured) => must(measured).video.startSeconds ?? 0);
  begins.catch(() => undefined); // awaited where its sound is read
  const file = { path, stream: video.index, shown, rate: counted };
  return compareFile(
    { ...file, sound: audio ? { stream: audio.index, begins } : null },
    plan,
    masterPath,
    options,
  );
}
