import { compareTimes, leanOf, masterFrameAt, placesOf, type FrameSpan } from '@mivvy/core';
import type { Look } from './close-looks.ts';
import type { CompareJob, PictureComparison } from './compare-job.ts';
import { ComparedFilms } from './compared-films.ts';
import { sameRate } from './decodes.ts';

/** Reading both films, and having looked closely at them, shares of the whole. */
const progressAt = { read: 0.8, looked: 0.85 };

/**
 * Compares a file's pictures with those that its plan asks for: all of them small, some of them closely. `comparison` is
 * null where one of the films could not be read; what the tools said is in `stderr`.
 */
export async function comparePictures(
  job: CompareJob,
  onProgress: (fraction: number) => void,
): Promise<{ comparison: PictureComparison | null; stderr: string }> {
  const films = new ComparedFilms(job);
  const comparison = (await films.read((part) => onProgress(progressAt.read * part)))
    ? await compare(films, onProgress)
    : null;
  return { comparison, stderr: films.words };
}

async function compare(
  films: ComparedFilms,
  onProgress: (fraction: number) => void,
): Promise<PictureComparison> {
  const { plan, file } = films.job;
  const asPlanned = (k: number) => Math.min(k, plan.frames - 1);
  const there = films.samples.filter((k) => k < films.thumbs.length);
  const first = await films.looks.of(there, asPlanned);
  onProgress(progressAt.looked);
  // Windows that lie beside the plan's would be taken for pictures of other frames.
  const lean = leanOf(...apart(first));
  if (lean) await films.drawLeaning(lean);

  const planned = films.planned.settle(films.thumbs);
  const { shows, ...compared } = compareTimes(films.thumbs, planned, plan.rate, films.planned.size);
  // Another rate repeats frames or leaves them out all along; that is said by the rate's own line.
  const times = sameRate(file.rate, plan.rate)
    ? compared
    : { ...compared, repeated: null, missing: null, odd: undefined };
  const clouded = [...times.black, ...(times.frozen ?? []), ...(times.repeated ?? [])];
  const isClear = (k: number) => !clouded.some((s) => k >= s.from - 1 && k < s.to + 1);
  const clear = there.filter(isClear);
  if (clear.every((k) => shows[k] === asPlanned(k))) {
    const places = placesIn(first.filter(({ judged }) => isClear(judged.at)));
    return { ...times, ...places, ...oddWhere(places, times.odd) };
  }

  // A file that is out of step is looked at again, beside the frames that it really shows.
  await films.fetchLarger(clear.map((k) => masterFrameAt(plan, shows[k]!)));
  const places = placesIn(await films.looks.of(clear, (k) => shows[k]!));
  // Windows that lie elsewhere even so: then it was they, and not the time, that made its pictures differ.
  const share = places.shifted.reduce((sum, s) => sum + s.to - s.from, 0) / plan.frames;
  if (lean || share <= 0.5) return { ...times, ...places, ...oddWhere(places, times.odd) };
  return { ...times, frozen: null, repeated: null, missing: null, odd: undefined, ...placesIn(first) };
}

const apart = (looks: readonly Look[]) =>
  [looks.map(({ judged }) => judged), looks.map(({ layout }) => layout)] as const;

/** Where the windows of looked-at frames lie, and what lies over them. */
const placesIn = (looks: readonly Look[]) => placesOf(...apart(looks));

/**
 * Frames that show something else are told of pictures that lie where they should, with nothing over them all along: others
 * differ from the plan in every frame. What was seen over one of them alone is that something else.
 */
function oddWhere(
  { bars, shifted, foreign }: Pick<PictureComparison, 'bars' | 'shifted' | 'foreign'>,
  odd: FrameSpan[] | undefined,
): Pick<PictureComparison, 'odd' | 'foreign'> {
  const alone = ({ span }: { span: FrameSpan }) =>
    odd?.some(({ from, to }) => span.from >= from && span.to <= to) ?? false;
  const lasting = foreign?.filter((thing) => !alone(thing));
  return { foreign: lasting, odd: bars || shifted.length || lasting?.length ? undefined : odd };
}
