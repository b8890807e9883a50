import { createContext, useContext, useEffect, useMemo, useState, type ReactNode } from 'react';
import { useSearchParams } from 'react-router';
import {
  clipOf,
  drawnFrom,
  fps,
  keepsWithin,
  oneShot,
  playsAt,
  unitsOf,
  type Clip,
  type Framing,
  type Keep,
  type Pose,
  type Shot,
  type Size,
  type Unit,
} from '@mivvy/core';
import type { Cut, Master, Version } from '@mivvy/api';
import { frameOf } from '../../parts/proof.tsx';
import { usePlanner } from '../../parts/seen.tsx';
import { useThisProduction } from '../../parts/this-production.ts';
import { cutOf, drawnMaster, type Planned } from '../../parts/versions.ts';
import { useDesk, useHeadPart, usePanelFrame, useSpanAtHead } from '../../play/use-desk.tsx';
import { shotEditorAt, type Panel, type ShotEditor } from './shot-editor.ts';
import { useFollowing, type Following } from './use-following.ts';
import { useFramingEdit, type FramingEdit } from './use-framing-edit.ts';

/** One version at work: what all panes of the screen share. It changes with the shot under the play head, not with each frame. */
export interface FramingSession extends Pick<FramingEdit, 'framing' | 'saving' | 'step'> {
  /** The version as it is saved. */
  version: Version;
  /** The version with the framing that is in the hand. */
  shown: Version;
  master: Master;
  /** The film that its pictures come from: the master, or that one's textless master. */
  drawn: Master;
  /** The other versions of the master, and this one. */
  siblings: readonly Version[];
  cut: Cut | undefined;
  planned: Planned | null;
  displayed: Size;
  frameSize: Size;
  frames: number;
  shots: readonly Shot[];
  keeps: readonly Keep[];
  units: readonly Unit[];
  /** The shot under the play head, with its framing. */
  unit: Unit;
  clip: Clip;
  /** Which of two stacked windows is at hand. */
  panel: Panel;
  setPanel: (panel: Panel) => void;
  following: Following;
  /** The window at hand goes on a way that is worked out. */
  follows: boolean;
  drawing: boolean;
  setDrawing: (on: boolean) => void;
  /** The shot at the play head at this very moment, from the framing that is in the hand at this moment. */
  editorNow: () => ShotEditor;
  change: (framing: Framing) => void;
  /** Changes the shot at the play head. */
  edit: (change: (shot: ShotEditor) => Framing) => void;
  /** Sets a window's pose there; on a way that is worked out it becomes a point that the rest goes around. */
  setPose: (panel: Panel, pose: Pose) => void;
  /** Playing stops, and the head goes to the end of a glide that is being changed. */
  settleHead: () => void;
  seek: (frame: number) => void;
}

const SessionContext = createContext<FramingSession | null>(null);

/** The session that a pane belongs to. */
export function useFraming(): FramingSession {
  const session = useContext(SessionContext);
  if (!session) throw new Error('no framing session here');
  return session;
}

/** The frame under the play head, inside the film; whoever asks is drawn anew with every frame. */
export function useHeadFrame(): number {
  const { frames } = useFraming();
  return Math.min(useHeadPart('frame'), frames - 1);
}

/**
 * The shot at the play head as panels show it: it follows the head while that rests, and changes with the shots alone
 * while the film plays.
 */
export function useShotEditor(): ShotEditor {
  const { framing, units, displayed, frameSize, frames, master } = useFraming();
  const frame = usePanelFrame(units, frames);
  const framesPerSecond = fps(master.facts!.video.rate);
  return useMemo(
    () => shotEditorAt(framing, units, frame, displayed, frameSize, framesPerSecond),
    [framing, units, frame, displayed, frameSize, framesPerSecond],
  );
}

/** What plays is what the version keeps; a version that plays a cut is opened on a picture of it. */
function usePlayedCut(master: Master, cut: Cut | undefined): void {
  const desk = useDesk();
  useEffect(() => desk.lead(master.id), [desk, master.id]);
  useEffect(() => {
    desk.setCut(cut ?? null);
    return () => desk.setCut(null);
  }, [desk, cut]);
  useEffect(() => {
    if (cut && playsAt(cut.kept, desk.snapshot().frame) === null) desk.seek(cut.kept[0]!.from);
  }, [desk, cut?.id]); // eslint-disable-line react-hooks/exhaustive-deps -- a cut that changes meanwhile moves nothing
}

/** Whoever comes from a note to a frame is shown that frame. */
function useWantedFrame(versionId: string): void {
  const desk = useDesk();
  const [search] = useSearchParams();
  const wanted = search.get('at');
  useEffect(() => {
    if (wanted !== null && /^\d+$/.test(wanted)) desk.seek(Number(wanted));
  }, [desk, wanted, versionId]);
}

/** Opens a version for the panes in it. */
export function FramingSessionProvider({
  version,
  master,
  siblings,
  children,
}: {
  version: Version;
  master: Master;
  siblings: readonly Version[];
  children: ReactNode;
}) {
  const desk = useDesk();
  const edit = useFramingEdit(version);
  const { framing, framingNow, setFraming } = edit;
  const shown = useMemo(() => ({ ...version, framing }), [version, framing]);
  const planner = usePlanner();
  const planned = useMemo(() => planner(shown, master), [planner, shown, master]);
  const { textlessMasters } = useThisProduction();
  const facts = master.facts!.video;
  const { displayed, frames } = facts;
  const frameSize = useMemo(() => frameOf(version, master), [version, master]);
  const shots = master.shots ?? oneShot;
  const units = useMemo(() => unitsOf(framing, shots, frames), [framing, shots, frames]);
  const found = useSpanAtHead(units);
  const unit = units[found] ?? units.at(-1)!;
  const clip = useMemo(() => clipOf(framing, unit), [framing, unit]);
  const [chosenPanel, setPanel] = useState<Panel>('upper');
  const panel: Panel = clip.fill.kind === 'stacked' ? chosenPanel : 'upper';
  const following = useFollowing(version, master, { framing, unit, clip }, setFraming);
  const follows = panel === 'upper' && clip.fill.kind === 'filled' && clip.move.kind === 'follow';
  const [drawing, setDrawing] = useState(false);
  const cut = cutOf(version, master);
  usePlayedCut(master, cut);
  useWantedFrame(version.id);

  const editorNow = () => {
    const now = framingNow();
    const frame = Math.min(desk.snapshot().frame, frames - 1);
    return shotEditorAt(now, unitsOf(now, shots, frames), frame, displayed, frameSize, fps(facts.rate));
  };
  const session: FramingSession = {
    framing,
    saving: edit.saving,
    step: edit.step,
    version,
    shown,
    master,
    siblings,
    cut,
    planned,
    displayed,
    frameSize,
    frames,
    shots,
    drawn: drawnMaster(version, master, textlessMasters),
    keeps: keepsWithin(drawnFrom(version.textless, master).keeps, frames),
    units,
    unit,
    clip,
    panel,
    setPanel,
    following,
    follows,
    drawing,
    setDrawing,
    editorNow,
    change: setFraming,
    edit: (change) => setFraming(change(editorNow())),
    setPose: (which, pose) => {
      const shot = editorNow();
      if (follows) following.setPose(shot.at, pose);
      else setFraming(shot.withPose(which, pose));
    },
    settleHead: () => {
      if (desk.snapshot().playing) desk.pause();
      const shot = editorNow();
      const at = shot.unit.from + shot.editAt(panel);
      if (at !== desk.snapshot().frame) desk.seek(at);
    },
    seek: (frame) => {
      desk.pause();
      desk.seek(frame);
    },
  };
  return <SessionContext value={session}>{children}</SessionContext>;
}
