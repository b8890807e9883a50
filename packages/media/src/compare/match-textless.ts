import {
  couldBeTextless,
  fail,
  fitSide,
  matchProblem,
  mostDifferences,
  ok,
  otherSound,
  planMaster,
  durationLabel,
  type Difference,
  type MasterFacts,
  type Result,
} from '@mivvy/core';
import { locateTools } from '../ffmpeg/locate.ts';
import { explainFailure } from '../ffmpeg/run.ts';
import { runWorker } from '../workers/run-worker.ts';
import { wholeDecode } from './decodes.ts';
import { matchNewsSchema, type MatchJob } from './match-job.ts';
import { readSound } from './sound.ts';

/** Longer side of the pictures that are held against each other. */
const side = 384;

/** A film as it was read. */
export interface ReadFilm {
  path: string;
  facts: MasterFacts;
  sha256: string;
}

/**
 * Matches a film with its textless master, picture by picture and sound against sound. Where their pictures differ is
 * returned; a film that is not the same edit, or does not sound the same, is a problem that says why.
 */
export async function matchTextless(
  film: ReadFilm,
  textless: ReadFilm,
  options: { signal?: AbortSignal; onFraction?: (fraction: number) => void } = {},
): Promise<Result<Difference[]>> {
  const could = couldBeTextless(film.facts, textless.facts);
  if (!could.ok) return could;
  const sounding = await soundProblem(film, textless, options.signal);
  if (!sounding.ok) return sounding;
  const tools = await locateTools();
  if (!tools.ok) return tools;
  const { displayed, frames } = film.facts.video;
  const size = fitSide(displayed, side);
  const decode = ({ facts, sha256, path }: ReadFilm) => wholeDecode(planMaster(facts, sha256), path, size);
  const job: MatchJob = {
    ffmpeg: tools.value.ffmpeg,
    film: decode(film),
    textless: decode(textless),
    size,
    frames,
  };
  const end = await runWorker({
    file: new URL('./match-worker.ts', import.meta.url),
    data: job,
    news: matchNewsSchema,
    signal: options.signal,
    onNews: (news) => options.onFraction?.(news.fraction),
  });
  if (end.frames < frames)
    return {
      ok: false,
      problem: explainFailure(end.stderr, 'one of the films could not be read to its end'),
    };
  const problem = matchProblem(frames, end);
  if (problem) return { ok: false, problem };
  if (end.differs.length > mostDifferences)
    return fail(
      'too-many-differences',
      `The two films differ in ${end.differs.length} places.`,
      'Export it again from the same edit, at the quality of the film.',
    );
  return ok(end.differs);
}

async function soundProblem(film: ReadFilm, textless: ReadFilm, signal?: AbortSignal): Promise<Result<void>> {
  const sounds = await Promise.all(
    [film, textless].map(({ path, facts, sha256 }) =>
      facts.audio
        ? readSound(path, facts.audio.streamIndex, planMaster(facts, sha256).videoStartSeconds, signal)
        : null,
    ),
  );
  const [one, other] = sounds;
  const at = one && other ? otherSound(one, other) : null;
  if (at === null) return ok(undefined);
  return fail(
    'other-sound',
    `Its sound is not the film’s, first heard at ${durationLabel(at)}.`,
    'Export it again with the sound of the film: versions drawn from it take their sound from it too.',
  );
}
