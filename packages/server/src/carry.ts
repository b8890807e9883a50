import { eq } from 'drizzle-orm';
import {
  carryFraming,
  carryKeeps,
  carryKept,
  clipOf,
  replaceFramingIn,
  matchByTime,
  matchShots,
  oneShot,
  rateLabel,
  sizeLabel,
  unitsOf,
  type CarryFilm,
  type Framing,
  type MasterFacts,
  type Shot,
  type ShotMatch,
} from '@mivvy/core';
import { readThumbnails } from './analysis.ts';
import type { FilmBefore } from './db/codecs.ts';
import { cuts, masters, versions } from './db/schema.ts';
import { remember } from './history.ts';
import { now, type Workspace } from './workspace.ts';

type MasterRow = typeof masters.$inferSelect;
type Ws = Pick<Workspace, 'db' | 'storage'>;

/** A master as framings are carried from it or to it. */
export function carryFilm(row: { shots: Shot[] | null; facts: MasterFacts | null }): CarryFilm | undefined {
  return row.facts
    ? { shots: row.shots ?? oneShot, frames: row.facts.video.frames, rate: row.facts.video.rate }
    : undefined;
}

/** Which shots of one film are which of another: by their pictures where both have been looked at, else by time. */
export async function matchFilms(
  ws: Ws,
  from: { film: CarryFilm; sha256: string | null },
  to: { film: CarryFilm; sha256: string | null },
): Promise<ShotMatch> {
  const [before, after] = await Promise.all([
    readThumbnails(ws.storage, from.sha256),
    readThumbnails(ws.storage, to.sha256),
  ]);
  if (!before || !after) return matchByTime(from.film, to.film);
  return matchShots(from.film.shots, from.film.frames, before, to.film.shots, to.film.frames, after);
}

/** How many shots of one film are in another, in words. */
export function matchWords(from: string, to: string, match: ShotMatch): string {
  const found = match.filter((m) => m !== null).length;
  return found
    ? `“${to}”: ${found} of ${match.length} shots are in “${from}” too.`
    : `No shot of “${to}” resembles one of “${from}”, so nothing was carried to it.`;
}

/** A framing of `film` with its matched shots framed as in `source`; shots without a counterpart keep what they have. */
export function carryMatched(
  framing: Framing,
  own: Framing,
  source: CarryFilm,
  film: CarryFilm,
  match: ShotMatch,
  onlyShot?: number,
): Framing {
  const carried = carryFraming(framing, source, film, match);
  return unitsOf(carried, film.shots, film.frames).reduce((f, unit) => {
    const old = match[unit.shot];
    return old === null || old === undefined || (onlyShot !== undefined && old !== onlyShot)
      ? f
      : replaceFramingIn(f, unit, clipOf(carried, unit), film.frames);
  }, own);
}

/** Layers at the times that they had, in frames of the new film; captions are in seconds and stay. */
function carriedDressing(row: MasterRow, from: CarryFilm, to: CarryFilm) {
  const same = from.rate.num * to.rate.den === to.rate.num * from.rate.den;
  if (same || row.dressing.layers.length === 0) return {};
  const at = (frame: number) =>
    Math.round((frame * from.rate.den * to.rate.num) / (from.rate.num * to.rate.den));
  const layers = row.dressing.layers.map((layer) => ({
    ...layer,
    span: { from: at(layer.span.from), to: Math.max(at(layer.span.from) + 1, at(layer.span.to)) },
  }));
  return { dressing: { ...row.dressing, layers }, dressingRevision: row.dressingRevision + 1 };
}

/** Carries framings and keeps over to a film that has taken another's place, and says what could not be. */
export async function carryOver(ws: Ws, row: MasterRow, before: FilmBefore): Promise<void> {
  const to = carryFilm(row);
  if (!to || !row.facts) return;
  const from: CarryFilm = { shots: before.shots, frames: before.frames, rate: before.rate };
  const match = await matchFilms(ws, { film: from, sha256: before.sha256 }, { film: to, sha256: row.sha256 });
  const { keeps, lost } = carryKeeps(row.keeps, from, to, match);
  const unmatched = to.shots.filter((_, i) => match[i] === null || match[i] === undefined).map((s) => s.from);
  const gone = from.shots.filter((_, i) => !match.includes(i)).length;
  const { displayed, rate } = row.facts.video;
  const shots = (n: number) => `${n} ${n === 1 ? 'shot' : 'shots'}`;
  const words = [
    `“${before.name}” was replaced: ${shots(to.shots.length - unmatched.length)} of ${to.shots.length} kept their framing.`,
  ];
  if (before.displayed.width !== displayed.width || before.displayed.height !== displayed.height)
    words.push(
      `It was ${sizeLabel(before.displayed)} and is ${sizeLabel(displayed)}: windows and keeps were carried over by proportion.`,
    );
  if (before.rate.num * rate.den !== rate.num * before.rate.den)
    words.push(
      `It ran at ${rateLabel(before.rate)} and runs at ${rateLabel(rate)} frames a second: times were carried over.`,
    );
  if (unmatched.length)
    words.push(
      `${shots(unmatched.length)} could not be matched and ${unmatched.length === 1 ? 'shows' : 'show'} the middle: have a look.`,
    );
  if (gone) words.push(`${shots(gone)} of the old film ${gone === 1 ? 'is' : 'are'} not in the new one.`);
  if (lost.length) words.push(`Keeps without a place: ${lost.join(', ')}.`);
  const cut = (await ws.db.select().from(cuts).where(eq(cuts.masterId, row.id))).map((c) => ({
    ...c,
    carried: carryKept(c.kept, from, to, match),
  }));
  const empty = cut.filter((c) => c.carried.length === 0).map((c) => `“${c.name}”`);
  if (empty.length)
    words.push(
      `Nothing of ${empty.join(' and ')} is in the new film: ${empty.length === 1 ? 'it keeps' : 'they keep'} all of it now.`,
    );
  await ws.db.transaction(async (tx) => {
    for (const { id, kept, pace, joinMs, revision, carried } of cut) {
      const spans = carried.length ? carried : [{ from: 0, to: to.frames }];
      await tx
        .update(cuts)
        .set({ kept: spans, revision: revision + 1 })
        .where(eq(cuts.id, id));
      await remember(tx, id, { kept, pace, joinMs }, { kept: spans, pace, joinMs }, now());
    }
    const made = await tx.select().from(versions).where(eq(versions.masterId, row.id));
    for (const version of made) {
      const framing = carryFraming(version.framing, from, to, match);
      await tx
        .update(versions)
        .set({ framing, revision: version.revision + 1, updatedAt: now() })
        .where(eq(versions.id, version.id));
      await remember(tx, version.id, { framing: version.framing }, { framing }, now());
    }
    await tx
      .update(masters)
      .set({
        keeps,
        before: null,
        carried: { words, unmatched, at: now() },
        revision: row.revision + 1,
        ...carriedDressing(row, from, to),
      })
      .where(eq(masters.id, row.id));
  });
}
