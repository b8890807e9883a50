import * as z from 'zod';
import { facesThatMatter, type SeenFace } from '../captions/seen-faces.ts';
import { keepAt, type Keep } from '../checks/keeps.ts';
import type { SeenThing } from '../checks/seen.ts';
import type { Difference } from '../compare/differences.ts';
import { fail, ok, type Problem, type Result } from '../problem.ts';
import { frameSpanSchema, type FrameSpan } from '../time/span.ts';
import { nounFor } from '../words.ts';
import { masterFactsSchema, type MasterFacts } from './facts.ts';

/** Differences that are kept at most; a film that has more is not the same edit. */
export const mostDifferences = 400;

/** Where two films do not show the same: the frames, and the box in the picture, 0 to 1. */
export const differenceSchema = z.object({
  span: frameSpanSchema,
  box: z.object({ x: z.number(), y: z.number(), width: z.number(), height: z.number() }),
});

/**
 * A master's textless master: a second film of the same edit without its titles, as it was matched with it frame by
 * frame. It counts for as long as both films are the ones that were matched.
 */
export const textlessFilmSchema = z.object({
  /** The master that it was brought in as. */
  masterId: z.string(),
  name: z.string(),
  sha256: z.string(),
  facts: masterFactsSchema,
  /** Sum of the film that it was matched with. */
  of: z.string(),
  /** Where the two do not show the same, as they come. */
  differs: z.array(differenceSchema).max(mostDifferences),
});
export type TextlessFilm = z.infer<typeof textlessFilmSchema>;

const mend = 'Export it again from the same edit, with its titles switched off.';

/** Whether a film can be the textless master of another, by what their headers say. */
export function couldBeTextless(film: MasterFacts, textless: MasterFacts): Result<void> {
  const [a, b] = [film.video, textless.video];
  if (a.displayed.width !== b.displayed.width || a.displayed.height !== b.displayed.height)
    return fail(
      'other-size',
      `It is ${b.displayed.width} × ${b.displayed.height}, and the film ${a.displayed.width} × ${a.displayed.height}.`,
      mend,
    );
  if (a.rate.num * b.rate.den !== b.rate.num * a.rate.den)
    return fail('other-rate', 'It has another frame rate than the film.', mend);
  if (a.frames !== b.frames)
    return fail(
      'other-length',
      `It has ${b.frames} ${nounFor(b.frames, 'frame')}, and the film ${a.frames}.`,
      mend,
    );
  if ((film.audio === null) !== (textless.audio === null))
    return fail(
      'other-sound',
      film.audio ? 'It has no sound, and the film has.' : 'It has sound, and the film has none.',
      'Export it again with the sound of the film: versions drawn from it take their sound from it too.',
    );
  return ok(undefined);
}

/** What a version needs to know of its master to be planned. */
export interface Drawable {
  facts: MasterFacts | null;
  sha256: string | null;
  keeps: readonly Keep[];
  faces: readonly SeenFace[];
  /** Ids of things seen in it that do not matter. */
  unimportant: readonly string[];
  textless: TextlessFilm | null;
}

/** The film that a version is drawn from. */
export interface DrawnFrom {
  facts: MasterFacts | null;
  sha256: string | null;
  /** What must stay visible of it: a title that it does not have is not among them. */
  keeps: readonly Keep[];
  /** Faces that were seen in it and that captions move out of the way of. */
  faces: readonly SeenFace[];
  /** Missing: the film itself. `wanted`: the textless master is asked for, and there is none that counts. */
  textless?: 'used' | 'wanted';
}

/** The film that a version is drawn from: its master, or that one's textless master where it asks for it. */
export function drawnFrom(wantsTextless: boolean, master: Drawable): DrawnFrom {
  const { facts, sha256, keeps, textless, unimportant } = master;
  const faces = facesThatMatter(master.faces, unimportant);
  if (!wantsTextless) return { facts, sha256, keeps, faces };
  if (!textless || textless.of !== sha256) return { facts, sha256, keeps, faces, textless: 'wanted' };
  return {
    facts: textless.facts,
    sha256: textless.sha256,
    keeps: keepsLeft(keeps, textless.differs),
    faces,
    textless: 'used',
  };
}

type Box = Difference['box'];

const overlap = (a: Box, b: Box): number =>
  Math.max(0, Math.min(a.x + a.width, b.x + b.width) - Math.max(a.x, b.x)) *
  Math.max(0, Math.min(a.y + a.height, b.y + b.height) - Math.max(a.y, b.y));

/** Of a title's box so much lies inside what differs, at least, for it to be the title that is missing. */
const leastCovered = 0.4;

/** Whether what is marked somewhere in the film is what its textless master does not show. */
function isMissing(mark: Pick<Keep, 'span' | 'keys'>, differs: readonly Difference[]): boolean {
  return differs.some(({ span, box }) => {
    const [from, to] = [Math.max(span.from, mark.span.from), Math.min(span.to, mark.span.to)];
    if (to <= from) return false;
    const at = keepAt(mark, Math.floor((from + to - 1) / 2));
    return overlap(at, box) >= leastCovered * at.width * at.height;
  });
}

/** Kinds of keeps that a textless master can do without. */
const isTitle = ({ kind }: Keep): boolean => kind === 'title' || kind === 'logo' || kind === 'other';

/** Keeps by the differences that they were weighed against; lists are the same objects while nothing changes. */
const left = new WeakMap<readonly Difference[], WeakMap<readonly Keep[], readonly Keep[]>>();

function keepsLeft(keeps: readonly Keep[], differs: readonly Difference[]): readonly Keep[] {
  const known = left.get(differs) ?? new WeakMap<readonly Keep[], readonly Keep[]>();
  left.set(differs, known);
  const there = known.get(keeps);
  if (there) return there;
  const found = keeps.filter((keep) => !isTitle(keep) || !isMissing(keep, differs));
  known.set(keeps, found);
  return found;
}

/** What was seen in a film without the titles that its textless master does not show. */
export function seenLeft(things: readonly SeenThing[], differs: readonly Difference[]): SeenThing[] {
  return things.filter((thing) => thing.what !== 'title' || !isMissing(thing, differs));
}

/** Of a difference so much lies inside titles, at least, for it to be expected. */
const leastExpected = 0.6;
/** A title's box is drawn about its letters; plate, shadow and glow reach so much further, of the picture. */
const beyond = 0.03;

/**
 * The differences that no title or logo explains: drawn as keeps or seen. The two films are the same everywhere else.
 *
 * @param marks titles and logos of the film
 */
export function unexplained(
  differs: readonly Difference[],
  marks: readonly Pick<Keep, 'span' | 'keys'>[],
): Difference[] {
  return differs.filter(({ span, box }) => {
    const covered = marks.reduce((sum, mark) => {
      const [from, to] = [Math.max(span.from, mark.span.from), Math.min(span.to, mark.span.to)];
      if (to <= from) return sum;
      const at = keepAt(mark, Math.floor((from + to - 1) / 2));
      const wide = {
        x: at.x - beyond,
        y: at.y - beyond,
        width: at.width + 2 * beyond,
        height: at.height + 2 * beyond,
      };
      return sum + overlap(wide, box);
    }, 0);
    return covered < leastExpected * box.width * box.height;
  });
}

/** A film whose pictures differ in so many of its frames, over so much of each, is another edit, grade or size. */
export const mostOtherPictures = 0.1;
export const otherPicture = 0.35;

/** The problem of a film that is not the textless master of another after all; null for one that is. */
export function matchProblem(frames: number, found: { others: readonly FrameSpan[] }): Problem | null {
  const wrong = found.others.reduce((sum, { from, to }) => sum + to - from, 0);
  if (wrong <= frames * mostOtherPictures) return null;
  return {
    code: 'other-pictures',
    sentence: `Its pictures are others in ${wrong} of ${frames} frames, first in frame ${found.others[0]!.from}.`,
    mend,
  };
}
