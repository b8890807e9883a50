import { useNavigate } from 'react-router';
import {
  centredPose,
  clamp,
  clampPose,
  maxZoom,
  poseAt,
  stretchAt,
  windowOf,
  withUnitMarks,
  withoutKey,
} from '@mivvy/core';
import { useKey } from '../../keys/use-key.ts';
import { useNextTrouble } from '../../parts/troubles.ts';
import { useDesk } from '../../play/use-desk.tsx';
import { useFraming } from './framing-session.tsx';
import { zoomStep } from './picture-hand.ts';
import { moveTo } from './shot-editor.ts';

const steps: Record<string, readonly [number, number]> = {
  ArrowLeft: [-1, 0],
  ArrowRight: [1, 0],
  ArrowUp: [0, -1],
  ArrowDown: [0, 1],
};

/** Keys that move the window. Each press starts from where the last one left it, however fast they follow each other. */
export function useWindowKeys(): void {
  const { panel, displayed, editorNow, setPose, settleHead } = useFraming();
  const poseHere = () => {
    settleHead();
    const shot = editorNow();
    return shot.movable ? { pose: shot.editPose(panel), part: shot.partOf(panel) } : null;
  };
  const nudge = (key: string, by: number) => {
    const here = poseHere();
    const [dx, dy] = steps[key] ?? [0, 0];
    if (!here) return;
    const window = windowOf(here.pose, displayed, here.part);
    setPose(panel, poseAt(window.x + dx * by, window.y + dy * by, here.pose.zoom, displayed, here.part));
  };
  const zoomBy = (factor: number) => {
    const here = poseHere();
    if (!here) return;
    const zoom = clamp(here.pose.zoom * factor, 1, maxZoom);
    setPose(panel, clampPose({ ...here.pose, zoom }, displayed, here.part));
  };
  useKey('Framing.nudge', (event) => nudge(event.key, 1));
  useKey('Framing.nudgeFar', (event) => nudge(event.key, 10));
  useKey('Framing.zoomIn', () => zoomBy(zoomStep));
  useKey('Framing.zoomOut', () => zoomBy(1 / zoomStep));
  useKey('Framing.centre', () => {
    if (poseHere()) setPose(panel, centredPose);
  });
}

/** Keys that choose how the shot at the head is framed. */
export function useShotKeys(): void {
  const { panel, follows, following, frames, framing, unit, edit, editorNow, change, drawing, setDrawing } =
    useFraming();
  const choose = (kind: 'hold' | 'glide' | 'path') => {
    if (editorNow().movable) edit((shot) => shot.withMove(panel, moveTo(kind, shot, panel)));
  };
  const setKey = () => {
    const shot = editorNow();
    if (follows) following.setPoint(shot.at, shot.poseOf(panel));
    else if (shot.moveOf(panel).kind === 'path') change(shot.withPose(panel, shot.poseOf(panel)));
    else choose('path');
  };
  const removeKey = () => {
    const shot = editorNow();
    if (follows) following.setPoint(shot.at, null);
    else change(shot.withMove(panel, withoutKey(shot.moveOf(panel), shot.at)));
  };
  useKey('Framing.hold', () => choose('hold'));
  useKey('Framing.glide', () => choose('glide'));
  useKey('Framing.keyframe', setKey);
  useKey('Framing.removeKeyframe', removeKey);
  useKey('Framing.follow', () => editorNow().movable && following.run());
  useKey('Framing.drawSubject', () => setDrawing(!drawing));
  useKey('Framing.lock', () =>
    change(withUnitMarks(framing, unit, frames, { locked: !stretchAt(framing, unit.from).locked })),
  );
  useKey('Framing.share', () => edit((shot) => (shot.shared ? shot.alone() : shot.sharedOut())));
}

/** Keys that go to another shot, version or trouble, and back and on in what was done. */
export function useRoadKeys(): void {
  const { version, shown, siblings, units, unit, step, seek } = useFraming();
  const desk = useDesk();
  const navigate = useNavigate();
  const nextTrouble = useNextTrouble(shown);
  const goShot = (by: number) => seek(units[clamp(units.indexOf(unit) + by, 0, units.length - 1)]!.from);
  const goVersion = (by: number) => {
    const here = siblings.findIndex((v) => v.id === version.id);
    const next = siblings[(here + by + siblings.length) % siblings.length];
    desk.pause();
    if (next) void navigate(`/productions/${version.productionId}/framing/${next.id}`);
  };
  useKey('Everywhere.undo', () => void step('undo'));
  useKey('Everywhere.redo', () => void step('redo'));
  useKey('Everywhere.shotAfter', () => goShot(1));
  useKey('Everywhere.shotBefore', () => goShot(-1));
  useKey('Everywhere.versionAfter', () => goVersion(1));
  useKey('Everywhere.versionBefore', () => goVersion(-1));
  useKey('Everywhere.nextTrouble', () => nextTrouble());
}
