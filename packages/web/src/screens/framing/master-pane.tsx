import { useSnackbar } from 'notistack';
import { useMemo, useRef, useState } from 'react';
import {
  commonArea,
  layoutAt,
  problemLine,
  sizeLabel,
  upperHeight,
  type MasterRect,
  type Size,
} from '@mivvy/core';
import { problemOf } from '../../api/client.ts';
import { useDrawSubject } from '../../api/changes.ts';
import { useKey } from '../../keys/use-key.ts';
import { frameOf, WholeMaster } from '../../parts/proof.tsx';
import { UndoButtons } from '../../parts/undo-buttons.tsx';
import { useFraming, useHeadFrame } from './framing-session.tsx';
import { fitted } from './fitted.ts';
import { Dimmed, KeepMarks, OverMaster, placeOver, type OverWindow } from './over-master.tsx';
import { usePictureHand, type Caught, type Held } from './picture-hand.ts';
import type { Panel } from './shot-editor.ts';
import { DrawSubject, SubjectMarks } from './subject-marks.tsx';
import type { MasterLook } from './use-master-look.ts';

const one = (n: number) => Number(n.toFixed(1));
const nothingCaught: Caught = { x: null, y: null };

/** The windows at a frame: this version's own, and those of others that are shown with it. */
function useWindowsAt(frame: number, over: readonly string[]): { mine: MasterRect[]; others: OverWindow[] } {
  const { framing, displayed, frameSize, siblings, version, master } = useFraming();
  return useMemo(() => {
    const mine = layoutAt(framing, frame, displayed, frameSize).panels.map((p) => p.source);
    const others = siblings
      .filter((v) => v.id !== version.id && v.placement && over.includes(v.id))
      .flatMap((v) =>
        layoutAt(v.framing, frame, displayed, frameOf(v, master)).panels.map((p) => ({
          version: v,
          window: p.source,
        })),
      );
    return { mine, others };
  }, [framing, frame, displayed, frameSize, siblings, version, master, over]);
}

/** The window's numbers at the play head, in master pixels. */
function WindowNumbers() {
  const { panel } = useFraming();
  const { mine } = useWindowsAt(useHeadFrame(), noOthers);
  const window = mine[panel === 'lower' ? 1 : 0] ?? mine[0]!;
  return (
    <span className="mono quiet clip" data-testid="window-numbers">
      x {one(window.x)} · y {one(window.y)} · w {one(window.width)} · h {one(window.height)}
    </span>
  );
}
const noOthers: readonly string[] = [];

/** What the windows that are shown together have in common; without others, what the master is. */
function CommonWords({ over }: { over: readonly string[] }) {
  const { version, drawn, displayed } = useFraming();
  const { mine, others } = useWindowsAt(useHeadFrame(), over);
  if (others.length === 0)
    return (
      <>
        {drawn.name}, {sizeLabel(displayed)}
      </>
    );
  const common = commonArea([...mine, ...others.map((o) => o.window)]);
  const tags = [...new Set([version.tag, ...others.map((o) => o.version.tag)])].sort().join(' ');
  if (!common) return <>{tags} have nothing in common</>;
  return (
    <>
      Common area of {tags}:{' '}
      <b data-testid="common-size">
        {one(common.width)} × {one(common.height)}
      </b>
    </>
  );
}

/** The windows as they lie on the master, the one at hand plainest. */
function OwnWindows({ windows, look }: { windows: readonly MasterRect[]; look: MasterLook }) {
  const { version, panel, displayed } = useFraming();
  const stacked = windows.length > 1;
  return windows.map((window, i) => {
    const which: Panel = i === 0 ? 'upper' : 'lower';
    return (
      <div
        key={which}
        className={`window ${stacked && which !== panel ? 'resting' : ''}`}
        style={{ ...placeOver(window, displayed), outlineWidth: look.line, outlineColor: look.colour }}
      >
        <span className="tag">
          {version.tag}
          {stacked && ` ${which}`}
        </span>
      </div>
    );
  });
}

/** Everything that is drawn over the master, frame by frame. */
function OverPicture({
  over,
  look,
  showSubjects,
}: {
  over: readonly string[];
  look: MasterLook;
  showSubjects: boolean;
}) {
  const { displayed, keeps, following, drawing } = useFraming();
  const frame = useHeadFrame();
  const { mine, others } = useWindowsAt(frame, over);
  const common = commonArea([...mine, ...others.map((o) => o.window)]);
  return (
    <>
      <Dimmed windows={mine} masterSize={displayed} strength={look.dim} />
      <OverMaster others={others} common={common} masterSize={displayed} look={look} />
      <KeepMarks keeps={keeps} frame={frame} />
      {showSubjects && !drawing && (
        <SubjectMarks
          tracks={following.tracks}
          chosen={following.subject?.id}
          frame={frame}
          onChoose={(subject) => following.run({ subject })}
        />
      )}
      <OwnWindows windows={mine} look={look} />
    </>
  );
}

/** The guides that have caught the window while it is dragged. */
function CaughtGuides({ x, y }: Caught) {
  return (
    <>
      {x !== null && <div className="caught upright" style={{ left: `${x * 100}%` }} />}
      {y !== null && <div className="caught level" style={{ top: `${y * 100}%` }} />}
    </>
  );
}

/** Draws a subject on the master and frames the shot by it. */
function useDrawn() {
  const { master, following, setDrawing } = useFraming();
  const { enqueueSnackbar } = useSnackbar();
  const draw = useDrawSubject(master.id);
  const onDrawn = (frame: number, box: { x: number; y: number; width: number; height: number }) =>
    draw.mutate(
      { frame, name: `choice ${(following.look?.drawn.length ?? 0) + 1}`, box },
      {
        onSuccess: ({ subject, look: seen }) => {
          setDrawing(false);
          const drawn = seen.drawn.find((t) => t.id === subject);
          if (drawn) following.run({ subject, drawn });
        },
        onError: (error) => enqueueSnackbar(problemLine(problemOf(error)), { variant: 'error' }),
      },
    );
  return { onDrawn, busy: draw.isPending };
}

/** Which window is meant at a place of the master: with two of them, the one that lies there. */
function usePickOnMaster(): (fx: number, fy: number) => Held | null {
  const { panel, setPanel, displayed, editorNow } = useFraming();
  const held = useHeld();
  return (fx, fy) => {
    const shot = editorNow();
    if (shot.clip.fill.kind !== 'stacked') return held('upper');
    const inside = (which: Panel) => {
      const w = shot.windowOf(which);
      const [x, y] = [fx * displayed.width, fy * displayed.height];
      return x >= w.x && x <= w.x + w.width && y >= w.y && y <= w.y + w.height;
    };
    const other: Panel = panel === 'upper' ? 'lower' : 'upper';
    const which = inside(panel) || !inside(other) ? panel : other;
    if (which !== panel) setPanel(which);
    return held(which);
  };
}

/** A window as it can be dragged; null where the whole master is shown. */
export function useHeld(): (which: Panel) => Held | null {
  const { displayed, editorNow, setPose } = useFraming();
  return (which) => {
    const shot = editorNow();
    if (!shot.movable) return null;
    return {
      pose: shot.editPose(which),
      masterSize: displayed,
      part: shot.partOf(which),
      setPose: (pose) => setPose(which, pose),
    };
  };
}

/** How high the upper of two stacked windows stands in a frame, as a share of it. */
export const dividedAt = (divide: number, frameSize: Size): number =>
  upperHeight(divide, frameSize) / frameSize.height;

/** The whole master with the windows on it, to be dragged. */
export function MasterPane({ over, look }: { over: readonly string[]; look: MasterLook }) {
  const { version, drawn, displayed, saving, step, drawing, settleHead, editorNow } = useFraming();
  const [showSubjects, setShowSubjects] = useState(true);
  const [caught, setCaught] = useState<Caught>(nothingCaught);
  const surface = useRef<HTMLDivElement>(null);
  const { onDrawn, busy } = useDrawn();
  usePictureHand(surface, usePickOnMaster(), 'master', settleHead, setCaught);
  useKey('Framing.subjects', () => setShowSubjects((was) => !was));
  return (
    <section className="table" aria-label="Master">
      <div className="bar">
        <span className="barstart">
          <b>Master</b>
          <WindowNumbers />
          <UndoButtons
            undo={version.can.undo || saving !== 'saved'}
            redo={version.can.redo}
            onStep={(direction) => void step(direction)}
          />
        </span>
        <span className="quiet clip">
          <CommonWords over={over} />
        </span>
      </div>
      <div className="well">
        <div ref={surface} className="on-master" style={fitted(displayed)} data-testid="master-surface">
          <WholeMaster master={drawn} />
          <OverPicture over={over} look={look} showSubjects={showSubjects} />
          <CaughtGuides {...caught} />
          {drawing && (
            <DrawSubject
              busy={busy}
              onDrawn={(box) => {
                const shot = editorNow();
                onDrawn(shot.unit.from + shot.at, box);
              }}
            />
          )}
        </div>
      </div>
    </section>
  );
}
