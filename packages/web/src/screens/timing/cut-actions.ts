import { useState } from 'react';
import {
  dropFrames,
  keepFrames,
  keepOrDrop,
  keepWithin,
  moveKept,
  rollJoin,
  splitKept,
  trimKept,
  type FrameSpan,
} from '@mivvy/core';
import type { CutWork } from '../../api/changes.ts';
import { useDesk } from '../../play/use-desk.tsx';
import type { Edge, Marks } from './kept-row.tsx';
import type { CutEdit } from './use-cut-edit.ts';

const noMarks: Marks = { in: null, out: null };

/** Everything that can be done to the cut in the hand; of the full film, nothing but looking. */
export interface CutActions {
  /** The edge that is in the hand. */
  edge: Edge | null;
  takeEdge: (edge: Edge | null) => void;
  /** Takes the edge nearest to the play head; asked again, the other one of the two that meet there. */
  takeNearestEdge: () => void;
  marks: Marks;
  /** From the in point to the out point; null unless both are set. */
  range: FrameSpan | null;
  markIn: () => void;
  markOut: () => void;
  /** Lets go of the edge and the points. */
  letGo: () => void;
  /** Stops playing and goes to a frame. */
  see: (frame: number) => void;
  keepOrDropHere: () => void;
  keepOnlyRange: () => void;
  keepAllOfRange: () => void;
  splitHere: () => void;
  dropSpan: (index: number) => void;
  move: (from: number, to: number) => void;
  trim: (edge: Edge, frame: number) => void;
  /** Trims the edge in the hand by frames; without one, steps. */
  nudge: (by: number) => void;
  roll: (by: number) => void;
  goShot: (by: number) => void;
}

const spanAt = (spans: readonly FrameSpan[], frame: number): number =>
  spans.findIndex((s) => frame >= s.from && frame < s.to);

/** Both edges of every span, the nearest to a frame first. */
function edgesNear(kept: readonly FrameSpan[], at: number): (Edge & { frame: number })[] {
  return kept
    .flatMap((s, index) => [
      { index, side: 'from' as const, frame: s.from },
      { index, side: 'to' as const, frame: s.to - 1 },
    ])
    .sort((a, b) => Math.abs(a.frame - at) - Math.abs(b.frame - at));
}

/** What can be done to a cut. Each works on what is in the hand, and where the play head stands, at that moment. */
export function useCutActions({
  edit,
  work,
  frames,
  spans,
}: {
  edit: CutEdit | null;
  work: CutWork;
  frames: number;
  spans: readonly FrameSpan[];
}): CutActions {
  const desk = useDesk();
  const [taken, setEdge] = useState<Edge | null>(null);
  const [marks, setMarks] = useState<Marks>(noMarks);
  // A cut that was changed elsewhere or taken back may not have that span any more.
  const edge = taken && work.kept[taken.index] ? taken : null;
  const range =
    marks.in !== null && marks.out !== null && marks.in <= marks.out
      ? { from: marks.in, to: marks.out + 1 }
      : null;
  const keptNow = () => (edit ? edit.workNow().kept : work.kept);
  const atNow = () => Math.min(desk.snapshot().frame, frames - 1);
  const shotNow = () => Math.max(0, spanAt(spans, atNow()));
  const see = (frame: number) => {
    desk.pause();
    desk.seek(frame);
  };
  const keep = (next: FrameSpan[]) => {
    if (!edit) return;
    setEdge(null);
    edit.change({ kept: next });
  };
  const keepWithMarks = (next: FrameSpan[]) => {
    keep(next);
    setMarks(noMarks);
  };
  const trim = (which: Edge, frame: number) => {
    const next = trimKept(keptNow(), which.index, which.side, frame, frames);
    edit?.change({ kept: next });
    const span = next[which.index]!;
    see(which.side === 'from' ? span.from : span.to - 1);
  };
  return {
    edge,
    takeEdge: setEdge,
    takeNearestEdge: () => {
      const next = edgesNear(keptNow(), atNow()).find(
        (e) => !edge || e.index !== edge.index || e.side !== edge.side,
      );
      if (!edit || !next) return;
      setEdge({ index: next.index, side: next.side });
      see(next.frame);
    },
    marks,
    range,
    markIn: () => setMarks((was) => ({ ...was, in: atNow() })),
    markOut: () => setMarks((was) => ({ ...was, out: atNow() })),
    letGo: () => {
      setEdge(null);
      setMarks(noMarks);
    },
    see,
    keepOrDropHere: () => keepWithMarks(keepOrDrop(keptNow(), range ?? spans[shotNow()]!)),
    keepOnlyRange: () => range && keepWithMarks(keepWithin(keptNow(), range)),
    keepAllOfRange: () => range && keepWithMarks(keepFrames(keptNow(), range)),
    splitHere: () => keep(splitKept(keptNow(), atNow())),
    dropSpan: (index) => {
      const kept = keptNow();
      if (kept[index]) keep(dropFrames(kept, kept[index]));
    },
    move: (from, to) => {
      const kept = keptNow();
      if (to >= 0 && to < kept.length) keep(moveKept(kept, from, to));
    },
    trim,
    nudge: (by) => {
      if (!edge || !edit) return desk.step(by);
      trim(edge, keptNow()[edge.index]![edge.side] + by);
    },
    roll: (by) => {
      const kept = keptNow();
      const join = edge && (edge.side === 'to' ? edge.index : edge.index - 1);
      if (!edge || join === null || !kept[join] || !kept[join + 1]) return;
      const next = rollJoin(kept, join, by, frames);
      edit?.change({ kept: next });
      see(edge.side === 'to' ? next[join]!.to - 1 : next[join + 1]!.from);
    },
    goShot: (by) => see(spans[Math.max(0, Math.min(spans.length - 1, shotNow() + by))]!.from),
  };
}
