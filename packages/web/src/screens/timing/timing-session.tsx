import { createContext, useContext, useEffect, useMemo, useState, type ReactNode } from 'react';
import {
  adviceFor,
  fps,
  oneShot,
  shotSpans,
  takeAdvice,
  type Advice,
  type FrameSpan,
  type Rate,
  type Shot,
} from '@mivvy/core';
import type { Cut, Master, ProductionDetail } from '@mivvy/api';
import { useAlong } from '../../api/queries.ts';
import type { CutWork } from '../../api/changes.ts';
import { usePlanner } from '../../parts/seen.tsx';
import { useDesk, useSpanAtHead } from '../../play/use-desk.tsx';
import { markedOf, type Spared } from './advice-panel.tsx';
import { useCutActions, type CutActions } from './cut-actions.ts';
import { tightest, type TimedVersion } from './place-times.tsx';
import type { CutEdit } from './use-cut-edit.ts';

/** What plays of a master, at work: what all panes share. It changes with the shot under the play head, not with each frame. */
export interface TimingSession {
  production: ProductionDetail;
  master: Master;
  /** The master with the cut as it is in the hand. */
  shownMaster: Master;
  /** Undefined for the full film, which cannot be changed. */
  cut: Cut | undefined;
  work: CutWork;
  change: CutEdit['change'] | null;
  step: (direction: 'undo' | 'redo') => void;
  saving: CutEdit['saving'] | null;
  frames: number;
  rate: Rate;
  shots: readonly Shot[];
  spans: readonly FrameSpan[];
  /** The shot under the play head. */
  shotIndex: number;
  shot: FrameSpan;
  /** The kept span under the play head; null where nothing is kept. */
  chosenSpan: number | null;
  /** Every version of the film with its plan, those that play the cut, and the one of them that is shown. */
  mine: readonly TimedVersion[];
  timed: readonly TimedVersion[];
  shown: TimedVersion | undefined;
  show: (versionId: string) => void;
  /** The one of them whose limit is broken furthest, or nearest. */
  closest: TimedVersion | undefined;
  actions: CutActions;
  advice: CutAdvice;
}

/** What could go from the cut, and what of it is marked to. */
export interface CutAdvice {
  along: ReturnType<typeof useAlong>;
  advice: readonly Advice[];
  marked: readonly string[];
  mark: (keys: readonly string[]) => void;
  going: readonly Advice[];
  spared: Spared;
  spare: (spared: Spared) => void;
}

const SessionContext = createContext<TimingSession | null>(null);

/** The session that a pane belongs to. */
export function useTiming(): TimingSession {
  const session = useContext(SessionContext);
  if (!session) throw new Error('no timing session here');
  return session;
}

/** What the cut in the hand could do without. */
function useAdvice(
  master: Master,
  kept: readonly FrameSpan[],
  spans: readonly FrameSpan[],
  wanted: boolean,
): CutAdvice {
  const { rate } = master.facts!.video;
  const along = useAlong(master);
  const [marked, mark] = useState<readonly string[]>([]);
  const [spared, spare] = useState<Spared>({ hook: 0, endCard: false });
  const advice = useMemo(() => {
    if (!along.data || !wanted) return [];
    const protect: FrameSpan[] = [
      ...(spared.hook > 0 ? [{ from: 0, to: Math.round(spared.hook * fps(rate)) }] : []),
      ...(spared.endCard ? [spans.at(-1)!] : []),
    ];
    const { silences, speech, shots } = along.data;
    return adviceFor(kept, { framesPerSecond: fps(rate), silences, speech, shots }, protect);
  }, [along.data, wanted, kept, rate, spared, spans]);
  const going = useMemo(() => markedOf(advice, marked), [advice, marked]);
  return { along, advice, marked, mark, going, spared, spare };
}

/** Plays the cut as it will be, also without what is marked to go. */
function usePlayed(master: Master, cut: Cut | undefined, work: CutWork, going: readonly Advice[]): void {
  const desk = useDesk();
  const { kept, pace } = work;
  const played = useMemo(() => (going.length ? takeAdvice(kept, going) : [...kept]), [kept, going]);
  useEffect(() => desk.lead(master.id), [desk, master.id]);
  useEffect(
    () => desk.setCut(cut && played.length ? { kept: played, pace } : null),
    [desk, cut, played, pace],
  );
  useEffect(() => () => desk.setCut(null), [desk]);
}

/** What a session is opened with. */
export interface TimingWork {
  production: ProductionDetail;
  master: Master;
  cut: Cut | undefined;
  /** The cut in the hand; null for the full film. */
  edit: CutEdit | null;
  work: CutWork;
}

/** Opens a cut, or the full film, for the panes in it. */
export function TimingSessionProvider({
  production,
  master,
  cut,
  edit,
  work,
  children,
}: TimingWork & { children: ReactNode }) {
  const { frames, rate } = master.facts!.video;
  const shots = master.shots ?? oneShot;
  const spans = useMemo(() => shotSpans(shots, frames), [shots, frames]);
  // Beyond the film's last picture nothing plays: the head is in its last shot.
  const found = useSpanAtHead(spans);
  const shotIndex = found < 0 ? spans.length - 1 : found;
  const chosen = useSpanAtHead(work.kept);
  const shownMaster = useMemo(
    () =>
      cut ? { ...master, cuts: master.cuts.map((c) => (c.id === cut.id ? { ...c, ...work } : c)) } : master,
    [master, cut, work],
  );
  const plan = usePlanner();
  const mine = useMemo(
    () =>
      production.versions
        .filter((v) => v.masterId === master.id && v.placement)
        .map((version) => ({ version, planned: plan(version, shownMaster) })),
    [production, master.id, shownMaster, plan],
  );
  const timed = useMemo(() => mine.filter((t) => t.version.cutId === (cut?.id ?? null)), [mine, cut?.id]);
  const [shownId, show] = useState<string | null>(null);
  const closest = tightest(timed);
  const advice = useAdvice(master, work.kept, spans, edit !== null);
  usePlayed(master, cut, work, advice.going);
  const actions = useCutActions({ edit, work, frames, spans });
  const session: TimingSession = {
    production,
    master,
    shownMaster,
    cut,
    work,
    change: edit?.change ?? null,
    step: (direction) => void edit?.step(direction),
    saving: edit?.saving ?? null,
    frames,
    rate,
    shots,
    spans,
    shotIndex,
    shot: spans[shotIndex]!,
    chosenSpan: chosen < 0 ? null : chosen,
    mine,
    timed,
    shown: timed.find((t) => t.version.id === shownId) ?? closest ?? timed[0],
    show,
    closest,
    actions,
    advice,
  };
  return <SessionContext value={session}>{children}</SessionContext>;
}
