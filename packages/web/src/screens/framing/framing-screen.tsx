import RedoIcon from '@mui/icons-material/RedoOutlined';
import UndoIcon from '@mui/icons-material/UndoOutlined';
import Tooltip from '@mui/material/Tooltip';
import { useDrag } from '@use-gesture/react';
import { useSnackbar } from 'notistack';
import { useEffect, useMemo, useRef, useState } from 'react';
import { TextFileInput } from '../../parts/text-file-input.tsx';
import { useKeys } from '../../parts/use-keys.ts';
import { Link, useNavigate, useParams, useSearchParams } from 'react-router';
import {
  centredPose,
  clamp,
  commonArea,
  fps,
  frameToTimecode,
  keepsWithin,
  layoutAt,
  maxZoom,
  oneShot,
  playsAt,
  poseAt,
  problemLine,
  clampPose,
  sizeLabel,
  stretchAt,
  unitsOf,
  upperHeight,
  windowOf,
  withUnitMarks,
  type Clip,
  type Size,
} from '@mivvy/core';
import type { Master, Version } from '@mivvy/api';
import { problemOf } from '../../api/client.ts';
import { useDrawSubject, useReadPlan } from '../../api/queries.ts';
import { Empty } from '../../parts/notices.tsx';
import { OverlaySwitches, useOverlays } from '../../parts/overlay-switches.tsx';
import { frameOf, Proof, WholeMaster } from '../../parts/proof.tsx';
import { Dropped, KeepRow, moveWord, PathRow, Score, ShotRow, TroubleRow } from '../../parts/score.tsx';
import { VersionStamp } from '../../parts/stamp.tsx';
import { useThisProduction } from '../../parts/this-production.ts';
import { Transport } from '../../parts/transport.tsx';
import { useNextTrouble } from '../../parts/troubles.ts';
import { TrueSize } from '../../parts/true-size.tsx';
import { cutOf, usePlanned, versionName } from '../../parts/versions.ts';
import { useDesk, useHead } from '../../play/use-desk.tsx';
import { CarryDialog } from './carry-dialog.tsx';
import { DeliveryNote, WaitingNote } from './delivery-note.tsx';
import { Dimmed, KeepMarks, OverMaster, placeOver, WindowChoice } from './over-master.tsx';
import { FollowDialog } from './follow-dialog.tsx';
import { RoundBar } from './round-bar.tsx';
import { DrawSubject, SubjectMarks } from './subject-marks.tsx';
import { SubjectNote } from './subject-note.tsx';
import { usePictureHand, zoomStep, type Caught, type Held } from './picture-hand.ts';
import { moveAs, shotEditorAt, withoutKey, type Panel } from './shot-editor.ts';
import { useFollowing } from './use-following.ts';
import { useFramingEdit } from './use-framing-edit.ts';
import { useMasterLook } from './use-master-look.ts';
import { WayEditor } from './way-editor.tsx';
import './framing.css';

/** A picture as large as its box allows, in its own shape. */
const fitted = (size: Size) => ({
  aspectRatio: `${size.width} / ${size.height}`,
  width: `min(100cqw, ${(100 * size.width) / size.height}cqh)`,
});

/** The framing that was copied last, for as long as the page is open: it can be pasted on any shot of any version. */
let copied: Clip | null = null;

function Workplace({ version, master, siblings }: { version: Version; master: Master; siblings: Version[] }) {
  const desk = useDesk();
  const navigate = useNavigate();
  const production = useThisProduction();
  const { enqueueSnackbar } = useSnackbar();
  const [overlays, setOverlays] = useOverlays();
  const [look, setLook] = useMasterLook();
  const { framing, setFraming, saving, step } = useFramingEdit(version);
  const shown: Version = useMemo(() => ({ ...version, framing }), [version, framing]);
  const planned = usePlanned(shown, master, production.margin);
  const head = useHead();
  const facts = master.facts!.video;
  const { displayed, frames } = facts;
  const frame = frameOf(version, master);
  const shots = master.shots ?? oneShot;
  const headFrame = Math.min(head.frame, frames - 1);
  const units = useMemo(() => unitsOf(framing, shots, frames), [framing, shots, frames]);
  const hand = shotEditorAt(framing, units, headFrame, displayed, frame, fps(facts.rate));
  const [chosenPanel, setPanel] = useState<Panel>('upper');
  const panel: Panel = hand.clip.fill.kind === 'stacked' ? chosenPanel : 'upper';
  const following = useFollowing(version, master, framing, hand, setFraming);
  const follows =
    panel === 'upper' && hand.clip.fill.kind === 'filled' && hand.clip.move.kind === 'follow'
      ? hand.clip.move
      : null;
  const [drawing, setDrawing] = useState(false);
  const [showSubjects, setShowSubjects] = useState(true);
  const [followingAll, setFollowingAll] = useState(false);
  const draw = useDrawSubject(master.id);
  const [caught, setCaught] = useState<Caught>({ x: null, y: null });
  const [carrying, setCarrying] = useState(false);
  const [trueSize, setTrueSize] = useState(false);
  const masterBox = useRef<HTMLDivElement>(null);
  const proofBox = useRef<HTMLDivElement>(null);
  useEffect(() => desk.lead(master.id), [desk, master.id]);
  const cut = cutOf(version, master);
  // What plays is what the version keeps.
  useEffect(() => {
    desk.setCut(cut ?? null);
    return () => desk.setCut(null);
  }, [desk, cut]);
  // A version that plays a cut is opened on a picture of it.
  useEffect(() => {
    if (cut && playsAt(cut.kept, desk.snapshot().frame) === null) desk.seek(cut.kept[0]!.from);
  }, [desk, cut?.id]); // eslint-disable-line react-hooks/exhaustive-deps -- a cut that changes meanwhile moves nothing

  /** A glide is set at its ends: the head goes to the one that is being changed. */
  const settleHead = () => {
    if (desk.snapshot().playing) desk.pause();
    const at = hand.unit.from + hand.editAt(panel);
    if (at !== headFrame) desk.seek(at);
  };
  const held = (which: Panel): Held | null =>
    hand.movable
      ? {
          pose: hand.editPose(which),
          master: displayed,
          part: hand.partOf(which),
          setPose: (pose) =>
            follows ? following.setPose(hand.at, pose) : setFraming(hand.withPose(which, pose)),
        }
      : null;
  const pickOnMaster = (fx: number, fy: number) => {
    if (hand.clip.fill.kind !== 'stacked') return held('upper');
    const inside = (which: Panel) => {
      const w = hand.windowOf(which);
      return (
        fx * displayed.width >= w.x &&
        fx * displayed.width <= w.x + w.width &&
        fy * displayed.height >= w.y &&
        fy * displayed.height <= w.y + w.height
      );
    };
    const other: Panel = panel === 'upper' ? 'lower' : 'upper';
    const which = inside(panel) || !inside(other) ? panel : other;
    if (which !== panel) setPanel(which);
    return held(which);
  };
  const divide =
    hand.clip.fill.kind === 'stacked' ? upperHeight(hand.clip.fill.divide, frame) / frame.height : null;
  const pickOnProof = (_fx: number, fy: number) => {
    const which: Panel = divide !== null && fy > divide ? 'lower' : 'upper';
    if (divide !== null && which !== panel) setPanel(which);
    return held(which);
  };
  usePictureHand(masterBox, pickOnMaster, 'master', settleHead, setCaught);
  usePictureHand(proofBox, pickOnProof, 'proof', settleHead, setCaught);

  const pose = hand.editPose(panel);
  const part = hand.partOf(panel);
  const window = windowOf(pose, displayed, part);
  const setPose = (next: typeof pose) => {
    if (!hand.movable) return;
    settleHead();
    // On a way that is worked out, a place set by hand is a point that the rest goes around.
    if (follows) following.setPose(hand.at, next);
    else setFraming(hand.withPose(panel, next));
  };
  const deps = [framing, headFrame, panel, version, production, following];
  const keys = { preventDefault: true };
  useKeys(
    'left,right,up,down,shift+left,shift+right,shift+up,shift+down',
    (event) => {
      const by = event.shiftKey ? 10 : 1;
      const [dx, dy] = { ArrowLeft: [-by, 0], ArrowRight: [by, 0], ArrowUp: [0, -by], ArrowDown: [0, by] }[
        event.key
      ] ?? [0, 0];
      setPose(poseAt(window.x + dx!, window.y + dy!, pose.zoom, displayed, part));
    },
    keys,
    deps,
  );
  const zoomBy = (k: number) =>
    setPose(clampPose({ ...pose, zoom: clamp(pose.zoom * k, 1, maxZoom) }, displayed, part));
  useKeys('equal,shift+equal,add', () => zoomBy(zoomStep), keys, deps);
  useKeys('minus,subtract', () => zoomBy(1 / zoomStep), keys, deps);
  useKeys('0', () => setPose(centredPose), deps);
  const kind = (which: 'hold' | 'glide' | 'path') =>
    hand.movable && setFraming(hand.withMove(panel, moveAs(which, hand, panel)));
  useKeys('h', () => void kind('hold'), deps);
  useKeys('g', () => void kind('glide'), deps);
  useKeys(
    'k',
    () =>
      void (follows
        ? following.setPoint(hand.at, hand.poseOf(panel))
        : hand.moveOf(panel).kind === 'path'
          ? setFraming(hand.withPose(panel, hand.poseOf(panel)))
          : kind('path')),
    deps,
  );
  useKeys('f', () => hand.movable && following.run(), deps);
  useKeys('o', () => setShowSubjects((was) => !was), deps);
  useKeys('d', () => setDrawing((was) => !was), deps);
  useKeys(
    't',
    () =>
      setFraming(
        withUnitMarks(framing, hand.unit, frames, { locked: !stretchAt(framing, hand.unit.from).locked }),
      ),
    deps,
  );
  useKeys(
    'delete,backspace',
    () =>
      follows
        ? following.setPoint(hand.at, null)
        : setFraming(hand.withMove(panel, withoutKey(hand.moveOf(panel), hand.at))),
    deps,
  );
  useKeys('a', () => setFraming(hand.shared ? hand.alone() : hand.sharedOut()), deps);
  const copy = () => {
    copied = hand.clip;
    enqueueSnackbar(`The framing of shot ${hand.unit.shot + 1} is copied.`);
  };
  const paste = () =>
    copied
      ? setFraming(hand.withClip(copied))
      : enqueueSnackbar('Nothing has been copied yet.', { variant: 'warning' });
  useKeys('c', copy, deps);
  useKeys('v', () => void paste(), deps);
  useKeys('mod+z', () => void step('undo'), keys, [version.id]);
  useKeys('mod+shift+z,mod+y', () => void step('redo'), keys, [version.id]);
  const goShot = (by: number) => {
    const index = hand.units.indexOf(hand.unit) + by;
    const next = hand.units[clamp(index, 0, hand.units.length - 1)]!;
    desk.pause();
    desk.seek(next.from);
  };
  useKeys('bracketright', () => goShot(1), deps);
  useKeys('bracketleft', () => goShot(-1), deps);
  const go = (by: number) => {
    const next =
      siblings[(siblings.findIndex((v) => v.id === version.id) + by + siblings.length) % siblings.length];
    if (next) void navigate(`/productions/${version.productionId}/framing/${next.id}`);
  };
  useKeys('pagedown', () => go(1), keys, [siblings, version.id]);
  useKeys('pageup', () => go(-1), keys, [siblings, version.id]);
  const nextTrouble = useNextTrouble(shown);
  useKeys('n', () => nextTrouble(), deps);
  const bindDivide = useDrag(
    ({ xy: [, y] }) => {
      const { fill } = hand.clip;
      const box = proofBox.current?.getBoundingClientRect();
      if (box && fill.kind === 'stacked')
        setFraming(
          hand.withFill({ ...fill, divide: Number(clamp((y - box.top) / box.height, 0.2, 0.8).toFixed(3)) }),
        );
    },
    { pointer: { keys: false } },
  );

  const otherVersions = siblings.filter((v) => v.id !== version.id && v.placement);
  const [over, setOver] = useState<string[]>([]);
  const others = otherVersions
    .filter((v) => over.includes(v.id))
    .flatMap((v) =>
      layoutAt(v.framing, headFrame, displayed, frameOf(v, master)).panels.map((p) => ({
        version: v,
        window: p.source,
      })),
    );
  const mine = layoutAt(framing, headFrame, displayed, frame).panels.map((p) => p.source);
  const common = commonArea([...mine, ...others.map((o) => o.window)]);
  const tags = [...new Set([version.tag, ...others.map((o) => o.version.tag)])].sort().join(' ');
  const one = (n: number) => Number(n.toFixed(1));
  const readout = mine[panel === 'lower' ? 1 : 0]!;
  const saved =
    saving === 'saved' ? 'Saved.' : saving === 'failed' ? 'Not saved yet; trying again.' : 'Saving …';
  const keeps = keepsWithin(master.keeps, frames);
  const waiting = planned?.troubles.filter((t) => t.severity !== 'note').length ?? 0;

  const [search] = useSearchParams();
  const round = search.has('round');
  const onDrawn = (box: Parameters<typeof draw.mutate>[0]['box']) =>
    draw.mutate(
      { frame: headFrame, name: `choice ${(following.look?.drawn.length ?? 0) + 1}`, box },
      {
        onSuccess: ({ subject, look: seen }) => {
          setDrawing(false);
          const drawn = seen.drawn.find((t) => t.id === subject);
          if (drawn) following.run({ subject, drawn });
        },
        onError: (error) => enqueueSnackbar(problemLine(problemOf(error)), { variant: 'error' }),
      },
    );

  const header = (
    <>
      <div className="siblings" role="navigation" aria-label="Versions of this master">
        {siblings.map((v) => (
          <Link
            key={v.id}
            to={`/productions/${v.productionId}/framing/${v.id}`}
            className={v.id === version.id ? 'on' : ''}
            aria-current={v.id === version.id ? 'page' : undefined}
            aria-label={`${v.tag}, ${versionName(v)}`}
            title={versionName(v)}
          >
            {v.tag}
          </Link>
        ))}
      </div>
      <h2>{versionName(version)}</h2>
      {!round && <RoundBar version={version} framing={framing} hand={hand} change={setFraming} />}
    </>
  );
  const footer = (
    <>
      <WindowChoice siblings={otherVersions} shown={over} onChange={setOver} look={look} onLook={setLook} />
      <h3>Carry over</h3>
      <p>
        <button className="fix" onClick={copy}>
          Copy this shot’s framing
        </button>
        ,{' '}
        <button className="fix" onClick={() => void paste()}>
          paste the one copied
        </button>
        , or{' '}
        <button className="fix" onClick={() => setCarrying(true)}>
          carry it to other versions
        </button>
        .
      </p>
      <PlanSentence version={version} />
      <p>
        Guides for this frame:{' '}
        <a className="fix" href={`/api/masters/${master.id}/guides/guides.png?frame=${headFrame}`} download>
          PNG
        </a>
        ,{' '}
        <a className="fix" href={`/api/masters/${master.id}/guides/guides.svg?frame=${headFrame}`} download>
          SVG
        </a>
        ,{' '}
        <a className="fix" href={`/api/masters/${master.id}/guides/guides.tsv?frame=${headFrame}`} download>
          numbers
        </a>
        .
      </p>
    </>
  );
  return (
    <>
      {round && <RoundBar version={version} framing={framing} hand={hand} change={setFraming} />}
      <div className="framing">
        {planned ? (
          <DeliveryNote
            key={version.id}
            version={version}
            master={master}
            frame={frame}
            planned={planned}
            hand={hand}
            panel={panel}
            setPanel={setPanel}
            change={setFraming}
            seek={(f) => {
              desk.pause();
              desk.seek(f);
            }}
            framing={framing}
            following={following}
            subject={
              <SubjectNote
                version={version}
                master={master}
                framing={framing}
                hand={hand}
                following={following}
                change={setFraming}
                drawing={drawing}
                onDraw={() => setDrawing(!drawing)}
                onFollowAll={() => setFollowingAll(true)}
              />
            }
            saved={saved}
            header={header}
            footer={footer}
          />
        ) : (
          <WaitingNote version={version} />
        )}
        <section className="table" aria-label="Master">
          <div className="bar">
            <span style={{ display: 'flex', alignItems: 'center', gap: 6, minWidth: 0 }}>
              <b style={{ fontWeight: 650, marginRight: 6 }}>Master</b>
              <span className="mono quiet clip" data-testid="window-numbers">
                x {one(readout.x)} · y {one(readout.y)} · w {one(readout.width)} · h {one(readout.height)}
              </span>
              <Tooltip title="Take back (Ctrl Z)">
                <span>
                  <button
                    className="iconbutton"
                    aria-label="Take back"
                    disabled={!version.can.undo && saving === 'saved'}
                    onClick={() => void step('undo')}
                  >
                    <UndoIcon />
                  </button>
                </span>
              </Tooltip>
              <Tooltip title="Do again (Ctrl Shift Z)">
                <span>
                  <button
                    className="iconbutton"
                    aria-label="Do again"
                    disabled={!version.can.redo}
                    onClick={() => void step('redo')}
                  >
                    <RedoIcon />
                  </button>
                </span>
              </Tooltip>
            </span>
            <span className="quiet clip">
              {others.length === 0 ? (
                <>
                  {master.name}, {sizeLabel(displayed)}
                </>
              ) : common ? (
                <>
                  Common area of {tags}:{' '}
                  <b data-testid="common-size">
                    {one(common.width)} × {one(common.height)}
                  </b>
                </>
              ) : (
                <>{tags} have nothing in common</>
              )}
            </span>
          </div>
          <div className="well">
            <div ref={masterBox} className="on-master" style={fitted(displayed)} data-testid="master-surface">
              <WholeMaster master={master} />
              <Dimmed windows={mine} master={displayed} strength={look.dim} />
              <OverMaster others={others} common={common} master={displayed} look={look} />
              <KeepMarks keeps={keeps} frame={headFrame} />
              {showSubjects && !drawing && (
                <SubjectMarks
                  tracks={following.tracks}
                  chosen={following.subject?.id}
                  frame={headFrame}
                  onChoose={(subject) => following.run({ subject })}
                />
              )}
              {caught.x !== null && (
                <div className="caught" style={{ left: `${caught.x * 100}%`, top: 0, bottom: 0, width: 1 }} />
              )}
              {caught.y !== null && (
                <div className="caught" style={{ top: `${caught.y * 100}%`, left: 0, right: 0, height: 1 }} />
              )}
              {mine.map((w, i) => (
                <div
                  key={i}
                  className={`window ${mine.length > 1 && (i === 0) !== (panel === 'upper') ? 'resting' : ''}`}
                  style={{ ...placeOver(w, displayed), outlineWidth: look.line, outlineColor: look.colour }}
                >
                  <span className="tag">
                    {version.tag}
                    {mine.length > 1 && (i === 0 ? ' upper' : ' lower')}
                  </span>
                </div>
              ))}
              {drawing && <DrawSubject busy={draw.isPending} onDrawn={onDrawn} />}
            </div>
          </div>
        </section>
        <section className="proof" aria-label="Proof">
          <div className="bar">
            <b style={{ fontWeight: 650 }}>{version.tag} · proof</b>
            <VersionStamp standing={version.standing} troubles={planned?.troubles ?? []} />
          </div>
          <div className="fitbox">
            <div ref={proofBox} className="crops on-proof" style={fitted(frame)} data-testid="proof-surface">
              <Proof version={shown} master={master} overlays={overlays} />
              {divide !== null && (
                <div
                  {...bindDivide()}
                  className="divide"
                  style={{ top: `${divide * 100}%` }}
                  role="separator"
                  aria-label="Divide between the two windows"
                />
              )}
            </div>
          </div>
          <OverlaySwitches overlays={overlays} onChange={setOverlays} />
          <button className="fix tall" onClick={() => setTrueSize(true)}>
            True size
          </button>
        </section>
      </div>
      <div className="score">
        <div style={{ gridColumn: '1 / -1', display: 'flex', alignItems: 'center', gap: 16 }}>
          <Transport master={master} shot={hand.unit} />
          <span className="quiet">
            of <span className="mono">{frameToTimecode(frames, facts.rate)}</span>
          </span>
          {waiting > 0 && (
            <button className="fix tall" onClick={() => nextTrouble()}>
              Next trouble
            </button>
          )}
          <span className="quiet clip" style={{ marginLeft: 'auto', fontSize: 12 }}>
            Drag the window or the proof, scroll to zoom, arrows to nudge, [ and ] for the shots, ? for all
            keys
          </span>
        </div>
        {follows && (
          <>
            <div className="labels">
              <span style={{ height: 76 }}>This shot</span>
            </div>
            <WayEditor
              hand={hand}
              move={follows}
              master={master}
              frame={frame}
              following={following}
              headFrame={headFrame}
            />
          </>
        )}
        <div className="labels">
          <span style={{ height: 46 }}>Shots</span>
          <span style={{ height: 44 }}>Window’s way</span>
          <span style={{ height: 20 }}>Keeps</span>
          <span style={{ height: 12 }}>Troubles</span>
        </div>
        <Score master={master}>
          <ShotRow
            master={master}
            shots={shots}
            chosen={hand.unit}
            words={(i) => moveWord(framing, shots[i]!.from)}
          />
          <PathRow framing={framing} units={hand.units} master={master} frame={frame} />
          <KeepRow keeps={keeps} frames={frames} />
          <TroubleRow troubles={planned?.troubles ?? []} frames={frames} />
          {cut && <Dropped kept={cut.kept} frames={frames} />}
        </Score>
      </div>
      {carrying && (
        <CarryDialog
          open
          version={version}
          shotAt={hand.unit.from}
          shotName={`shot ${hand.unit.shot + 1}`}
          onClose={() => setCarrying(false)}
        />
      )}
      {followingAll && (
        <FollowDialog
          version={version}
          lively={following.lively}
          onVersion={following.runAll}
          onClose={() => setFollowingAll(false)}
        />
      )}
      {trueSize && (
        <TrueSize version={shown} master={master} overlays={overlays} onClose={() => setTrueSize(false)} />
      )}
    </>
  );
}

/** The version as a file: written, and read in again. */
function PlanSentence({ version }: { version: Version }) {
  const read = useReadPlan();
  const { enqueueSnackbar } = useSnackbar();
  const file = useRef<HTMLInputElement>(null);
  return (
    <p>
      <a className="fix" href={`/api/versions/${version.id}/plan`} download>
        Save this framing as a file
      </a>
      , or{' '}
      <button className="fix" onClick={() => file.current?.click()}>
        read one
      </button>
      .
      <TextFileInput
        ref={file}
        accept=".json"
        testId="plan-chooser"
        onText={(fileName, text) => {
          read.mutate(
            { versionId: version.id, fileName, text },
            {
              onSuccess: (words) => enqueueSnackbar(words.join(' '), { autoHideDuration: 8000 }),
              onError: (error) =>
                enqueueSnackbar(problemLine(problemOf(error)), { variant: 'error', autoHideDuration: 8000 }),
            },
          );
        }}
      />
    </p>
  );
}

/** Framing: one version at work. */
export function FramingScreen() {
  const production = useThisProduction();
  const { versionId } = useParams();
  const version = production.versions.find((v) => v.id === versionId) ?? production.versions[0];
  const master = production.masters.find((m) => m.id === version?.masterId);
  if (!version)
    return (
      <Empty
        title="No versions yet"
        action={
          <Link className="fix tall" to={`/productions/${production.id}`}>
            Choose places on the proof sheet
          </Link>
        }
      >
        A version is one master made for one place.
      </Empty>
    );
  if (!version.placement)
    return (
      <Empty
        title="This place is not in the spec book any more"
        action={
          <Link className="fix tall" to="/spec-book">
            Open the spec book
          </Link>
        }
      >
        Add its spec book file again to go on.
      </Empty>
    );
  if (!master?.facts || master.state === 'failed')
    return <Empty title="This master cannot be used">{master?.problem?.sentence}</Empty>;
  return (
    <Workplace
      key={version.id}
      version={version}
      master={master}
      siblings={production.versions.filter((v) => v.masterId === master.id)}
    />
  );
}
