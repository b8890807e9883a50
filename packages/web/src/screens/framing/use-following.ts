import { useSnackbar } from 'notistack';
import { useMemo } from 'react';
import {
  followedWords,
  followFilm,
  followUnit,
  replaceFramingIn,
  judgeUnit,
  subjectsIn,
  usualLively,
  withPoint,
  type FollowMove,
  type Framing,
  type Judgement,
  type Pose,
  type SetSpan,
  type Clip,
  type Track,
  type Unit,
} from '@mivvy/core';
import type { LookView, Master, Version } from '@mivvy/api';
import { useLook } from '../../api/queries.ts';
import { followFilmOf } from '../../parts/following.ts';
import { useThisProduction } from '../../parts/this-production.ts';

/** Following, for the shot in the hand. */
export interface Following {
  look: LookView | undefined;
  /** The subjects that the shot can go by. */
  tracks: readonly Track[];
  /** The one that it goes by, and how well that goes. */
  subject: Track | undefined;
  judgement: Judgement | null;
  lively: number;
  /** Frames the shot by what is seen: by the subject that is named, or by the best; null for none. */
  run: (wish?: { subject?: string | null; lively?: number; drawn?: Track }) => void;
  /** Frames every shot of the version. */
  runAll: (lively: number, handMade: boolean) => void;
  /** Sets or removes what a person fixes of the window's way; the rest is worked out around it. */
  setPoint: (at: number, place: { x: number; y: number } | null) => void;
  movePoint: (from: number, to: number, place: { x: number; y: number }) => void;
  setPose: (at: number, pose: Pose) => void;
  setSpan: (span: SetSpan | { from: number; to: number; how: null }) => void;
}

export function useFollowing(
  version: Version,
  master: Master,
  { framing, unit, clip }: { framing: Framing; unit: Unit; clip: Clip },
  change: (framing: Framing) => void,
): Following {
  const { margin } = useThisProduction();
  const { enqueueSnackbar } = useSnackbar();
  const look = useLook(master.id).data;
  const film = useMemo(() => followFilmOf(version, master, look, margin), [version, master, look, margin]);
  const stretch = framing.stretches.find((s) => s.from === unit.from);
  const pick = stretch?.pick;
  const lively = pick?.lively ?? usualLively;
  const tracks = useMemo(() => (film ? (subjectsIn(film, unit)?.tracks ?? []) : []), [film, unit]);
  const subject = pick?.subject ? tracks.find((t) => t.id === pick.subject!.id) : undefined;
  const judgement = useMemo(() => (film ? judgeUnit(film, framing, unit) : null), [film, framing, unit]);

  const apply = (wish: { subject?: string | null; lively?: number; move?: FollowMove; drawn?: Track }) => {
    if (!film) return void enqueueSnackbar('The film must be looked at first.', { variant: 'warning' });
    const here = wish.drawn
      ? { ...film, drawn: [...film.drawn.filter((t) => t.id !== wish.drawn!.id), wish.drawn] }
      : film;
    const chosen = followUnit(here, framing, unit, {
      lively: wish.lively ?? lively,
      ...(wish.subject === undefined ? {} : { subject: wish.subject }),
      ...(wish.move ? { move: wish.move } : {}),
    });
    if (!chosen) return void enqueueSnackbar('This shot has not been looked at yet.', { variant: 'warning' });
    if (chosen.relaxed > 1.02)
      enqueueSnackbar(
        `To meet the points that you set, the window goes up to ${chosen.relaxed.toFixed(1)} times as fast as its limits.`,
        { variant: 'warning' },
      );
    change(
      replaceFramingIn(
        framing,
        unit,
        { ...chosen.clip, ...(stretch?.locked ? { locked: true as const } : {}) },
        film.frames,
      ),
    );
  };
  const move = clip.move.kind === 'follow' ? clip.move : null;
  const withMove = (next: FollowMove) => apply({ move: next });
  return {
    look,
    tracks,
    subject,
    judgement,
    lively,
    run: (wish = {}) => apply(wish),
    runAll: (control, handMade) => {
      if (!film) return void enqueueSnackbar('The film must be looked at first.', { variant: 'warning' });
      const run = followFilm(film, framing, { lively: control, handMade });
      if (run.changed) change(run.framing);
      enqueueSnackbar(followedWords(run));
    },
    setPoint: (at, place) =>
      move &&
      withMove(
        place
          ? withPoint(move, { at, ...place })
          : { ...move, points: move.points.filter((p) => p.at !== at) },
      ),
    movePoint: (from, to, place) =>
      move &&
      withMove(
        withPoint({ ...move, points: move.points.filter((p) => p.at !== from) }, { at: to, ...place }),
      ),
    setPose: (at, pose) =>
      move &&
      withMove(
        pose.zoom === move.zoom
          ? withPoint(move, { at, x: pose.x, y: pose.y })
          : { ...move, zoom: pose.zoom },
      ),
    setSpan: (span) => {
      if (!move) return;
      const others = move.spans.filter((s) => s.to < span.from || s.from > span.to);
      withMove({
        ...move,
        spans:
          span.how === null
            ? others
            : [...others, { from: span.from, to: span.to, how: span.how }].sort((a, b) => a.from - b.from),
      });
    },
  };
}
