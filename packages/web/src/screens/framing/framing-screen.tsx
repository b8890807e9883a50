import { useGesture } from '@use-gesture/react';
import { useSnackbar } from 'notistack';
import { useEffect, useRef, useState, type ReactNode, type RefObject } from 'react';
import { useHotkeys } from 'react-hotkeys-hook';
import { Link, useNavigate, useParams } from 'react-router';
import { aspectLabel, bitrateLabel, bytesLabel, centredPose, clamp, codecLabel, commonArea, durationLabel, enlargement, frameToTimecode, maxZoom, planSeconds, poseAt, problemLine, rateLabel, settlePose, shapeWord, sizeLabel, windowAt, windowOf, zoomAbout, type Pose, type Size } from '@mivvy/core';
import type { Master, Version } from '@mivvy/api';
import { problemOf } from '../../api/client.ts';
import { useRemoveVersion } from '../../api/queries.ts';
import { FilmStrip } from '../../parts/film-strip.tsx';
import { EditableNumber } from '../../parts/editable.tsx';
import { Empty } from '../../parts/notices.tsx';
import { OverlaySwitches, useOverlays } from '../../parts/overlay-switches.tsx';
import { frameOf, Proof, TroubleStrip, WholeMaster } from '../../parts/proof.tsx';
import { StandingStamp, VersionStamp } from '../../parts/stamp.tsx';
import { Transport } from '../../parts/transport.tsx';
import { usePlanned, versionName, type Planned } from '../../parts/versions.ts';
import { useDesk, useHead } from '../../play/use-desk.tsx';
import { useThisProduction } from '../production/production-frame.tsx';
import { OverMaster, placeOver, WindowChoice } from './over-master.tsx';
import { useFramingEdit } from './use-framing-edit.ts';
import './framing.css';

/** One notch of the wheel or one press of a key zooms by this factor. */
const zoomStep = 1.05;

/** Dragging, wheel and pinch on a picture, turned into poses. `perPixel` is how many master pixels one screen pixel drags. */
function usePictureHand(target: RefObject<HTMLElement | null>, hand: { pose: Pose; master: Size; frame: Size; setPose: (pose: Pose) => void }, surface: 'master' | 'proof') {
  const grip = useRef<{ x: number; y: number; zoom: number; scale: number } | null>(null);
  useGesture(
    {
      onDrag: ({ movement: [mx, my], first, last, buttons, pinching, cancel }) => {
        // A button let go outside the browser's window ends the drag at the next movement.
        if (pinching || (buttons === 0 && !last)) return cancel();
        const { pose, master, frame, setPose } = hand;
        const box = target.current!.getBoundingClientRect();
        const window = windowOf(pose, master, frame);
        // On the master the window is dragged; on the proof, the picture behind the window.
        if (first) grip.current = { x: window.x, y: window.y, zoom: pose.zoom, scale: surface === 'master' ? master.width / box.width : -window.width / box.width };
        const { x, y, zoom, scale } = grip.current!;
        setPose(poseAt(x + mx * scale, y + my * scale, zoom, master, frame));
      },
      onWheel: ({ event, delta: [, dy] }) => {
        event.preventDefault();
        if (dy === 0) return;
        const { pose, master, frame, setPose } = hand;
        const { u, v } = pointIn(event.clientX, event.clientY);
        setPose(zoomAbout(pose, clamp(pose.zoom * zoomStep ** (-dy / 100), 1, maxZoom), u, v, master, frame));
      },
      onPinch: ({ offset: [zoom], origin: [ox, oy] }) => {
        const { pose, master, frame, setPose } = hand;
        const { u, v } = pointIn(ox, oy);
        setPose(zoomAbout(pose, clamp(zoom, 1, maxZoom), u, v, master, frame));
      },
    },
    { target, drag: { filterTaps: true, pointer: { keys: false } }, wheel: { eventOptions: { passive: false } }, pinch: { scaleBounds: { min: 1, max: maxZoom }, from: () => [hand.pose.zoom, 0] } },
  );

  /** The master point under a screen point, in fractions of the master. */
  function pointIn(clientX: number, clientY: number): { u: number; v: number } {
    const { pose, master, frame } = hand;
    const box = target.current!.getBoundingClientRect();
    const fx = clamp((clientX - box.left) / box.width, 0, 1);
    const fy = clamp((clientY - box.top) / box.height, 0, 1);
    if (surface === 'master') return { u: fx, v: fy };
    const w = windowOf(pose, master, frame);
    return { u: (w.x + fx * w.width) / master.width, v: (w.y + fy * w.height) / master.height };
  }
}

/** A picture as large as its box allows, in its own shape. */
const fitted = (size: Size) => ({ aspectRatio: `${size.width} / ${size.height}`, width: `min(100cqw, ${(100 * size.width) / size.height}cqh)` });

/** The delivery note: the version in sentences, with what can be changed underlined. */
function DeliveryNote({ version, master, frame, planned, pose, setPose, saved, choice }: { version: Version; master: Master; frame: Size; planned: Planned; pose: Pose; setPose: (pose: Pose) => void; saved: string; choice: ReactNode }) {
  const { displayed } = master.facts!.video;
  const { plan, delivered, budget } = planned.planned;
  const window = windowOf(pose, displayed, frame);
  const limit = version.placement!.duration?.maxSeconds;
  const rate = plan.video.rate;
  const factor = enlargement(window, frame);
  const room = { x: displayed.width - window.width, y: displayed.height - window.height };
  const pixels = (n: number) => `${Number(n.toFixed(1))} px`;
  const edge = (which: 'x' | 'y') => (value: number) => setPose(poseAt(which === 'x' ? value : window.x, which === 'y' ? value : window.y, pose.zoom, displayed, frame));
  return (
    <section className="note" aria-label="Delivery note">
      <h2>{versionName(version)}</h2>
      <p>
        {shapeWord(frame)[0]!.toUpperCase() + shapeWord(frame).slice(1)} {aspectLabel(frame)}, <b>{sizeLabel(frame)}</b>, at <b>{rateLabel(plan.rate)} fps</b> {delivered.words}. Runs <b>{durationLabel(planSeconds(plan))}</b>{limit === undefined ? ', no limit' : <> of {durationLabel(limit)} allowed</>}.
      </p>
      <p>
        {codecLabel(plan.video.codec)}, {rate.mode === 'two-pass' ? <>two passes at <b>{bitrateLabel(rate.targetKbps)}</b>, never above {bitrateLabel(rate.maxKbps)}</> : <>quality {rate.crf}{rate.maxKbps !== undefined && <>, never above {bitrateLabel(rate.maxKbps)}</>}</>}
        {budget.expectedBytes !== null && <>: {rate.mode === 'two-pass' ? 'about' : 'at most'} <b>{bytesLabel(budget.expectedBytes)}</b></>}.
        {' '}{plan.audio ? <>Sound in {codecLabel(plan.audio.codec)}{plan.audio.loudness ? ` at ${plan.audio.loudness.integratedLufs.toString().replace('-', '−')} LUFS` : ''}.</> : 'Silent.'}
      </p>
      <h3>The window</h3>
      <p>
        The picture fills the frame and holds still, at <EditableNumber label="Zoom" value={pose.zoom} shown={`${pose.zoom.toFixed(2)} ×`} min={1} max={maxZoom} step={0.01} unit="times" onChange={(zoom) => setPose(zoomAbout(pose, zoom, (window.x + window.width / 2) / displayed.width, (window.y + window.height / 2) / displayed.height, displayed, frame))} />.
        {' '}Its left edge is at {room.x < 0.05 ? <b>0 px</b> : <EditableNumber label="Left edge" value={window.x} shown={pixels(window.x)} min={0} max={room.x} unit="master pixels" onChange={edge('x')} />} of {pixels(room.x)}, its top at {room.y < 0.05 ? <b>0 px</b> : <EditableNumber label="Top" value={window.y} shown={pixels(window.y)} min={0} max={room.y} unit="master pixels" onChange={edge('y')} />} of {pixels(room.y)}.
      </p>
      <p><button className="fix" onClick={() => setPose(centredPose)}>Back to the middle</button></p>
      {planned.troubles.filter((t) => t.code !== 'enlarged').map((t) => <p key={t.code} className={`warn ${t.severity === 'look' ? '' : t.severity === 'note' ? 'mild' : 'fault'}`}>{t.sentence} {t.mend}</p>)}
      <p className={factor > 1.005 ? 'warn mild' : 'quiet'}>{factor > 1.005 ? `The picture is enlarged ${factor.toFixed(2)} times. A master with more pixels would avoid it.` : `The picture is reduced to ${factor.toFixed(2)} of its size.`}</p>
      {choice}
      <p className="quiet" style={{ fontSize: 12 }} role="status">{saved}</p>
      <RemoveVersion version={version} />
    </section>
  );
}

/** Takes a version out of the production, asking first. */
function RemoveVersion({ version }: { version: Version }) {
  const [asking, setAsking] = useState(false);
  const removal = useRemoveVersion(version.productionId);
  const navigate = useNavigate();
  const { enqueueSnackbar } = useSnackbar();
  if (!asking) return <button className="fix tall" onClick={() => setAsking(true)}>Remove this version</button>;
  return (
    <p className="warn fault">
      Remove it{version.deliverable && ' with the files made for it'}?{' '}
      <button className="fix" disabled={removal.isPending} onClick={() => removal.mutate(version.id, { onSuccess: () => void navigate(`/productions/${version.productionId}`), onError: (error) => enqueueSnackbar(problemLine(problemOf(error)), { variant: 'error' }) })}>Remove</button>{' · '}
      <button className="fix" onClick={() => setAsking(false)}>Keep it</button>
    </p>
  );
}

function Workplace({ version, master, siblings }: { version: Version; master: Master; siblings: Version[] }) {
  const desk = useDesk();
  const navigate = useNavigate();
  const [overlays, setOverlays] = useOverlays();
  const { framing, pose, setPose, saving } = useFramingEdit(version);
  const shown: Version = { ...version, framing };
  const planned = usePlanned(shown, master);
  const head = useHead();
  const displayed = master.facts!.video.displayed;
  const frame = frameOf(version, master);
  const window = windowOf(pose, displayed, frame);
  const masterBox = useRef<HTMLDivElement>(null);
  const proofBox = useRef<HTMLDivElement>(null);
  usePictureHand(masterBox, { pose, master: displayed, frame, setPose }, 'master');
  usePictureHand(proofBox, { pose, master: displayed, frame, setPose }, 'proof');
  useEffect(() => desk.lead(master.id), [desk, master.id]);

  const nudge = (dx: number, dy: number) => setPose(poseAt(window.x + dx, window.y + dy, pose.zoom, displayed, frame));
  const zoomBy = (k: number) => setPose(settlePose({ ...pose, zoom: clamp(pose.zoom * k, 1, maxZoom) }, displayed, frame));
  const deps = [pose, version.id];
  const keys = { preventDefault: true };
  useHotkeys('left,right,up,down,shift+left,shift+right,shift+up,shift+down', (event) => {
    const by = event.shiftKey ? 10 : 1;
    const [dx, dy] = { ArrowLeft: [-by, 0], ArrowRight: [by, 0], ArrowUp: [0, -by], ArrowDown: [0, by] }[event.key] ?? [0, 0];
    nudge(dx!, dy!);
  }, keys, deps);
  useHotkeys('equal,shift+equal,add', () => zoomBy(zoomStep), keys, deps);
  useHotkeys('minus,subtract', () => zoomBy(1 / zoomStep), keys, deps);
  useHotkeys('0', () => setPose(centredPose), deps);
  const go = (by: number) => {
    const next = siblings[(siblings.findIndex((v) => v.id === version.id) + by + siblings.length) % siblings.length];
    if (next) void navigate(`/productions/${version.productionId}/framing/${next.id}`);
  };
  useHotkeys('pagedown', () => go(1), keys, [siblings, version.id]);
  useHotkeys('pageup', () => go(-1), keys, [siblings, version.id]);

  const percent = (n: number, of: number) => `${(n / of) * 100}%`;
  const box = placeOver(window, displayed);
  const otherVersions = siblings.filter((v) => v.id !== version.id && v.placement);
  const [over, setOver] = useState<string[]>([]);
  const others = otherVersions.filter((v) => over.includes(v.id)).map((v) => ({ version: v, window: windowAt(v.framing, head.frame, displayed, frameOf(v, master)) }));
  const common = commonArea([window, ...others.map((o) => o.window)]);
  const tags = [version.tag, ...others.map((o) => o.version.tag)].sort().join(' ');
  const right = percent(displayed.width - window.x - window.width, displayed.width);
  const bottom = percent(displayed.height - window.y - window.height, displayed.height);
  const one = (n: number) => Number(n.toFixed(1));
  const saved = saving === 'saved' ? 'Saved.' : saving === 'failed' ? 'Not saved yet; trying again.' : 'Saving …';
  return (
    <>
      <div className="framing">
        {planned ? <DeliveryNote version={shown} master={master} frame={frame} planned={planned} pose={pose} setPose={setPose} saved={saved} choice={<WindowChoice siblings={otherVersions} shown={over} onChange={setOver} />} /> : <section className="note"><h2>{versionName(version)}</h2><p className="quiet">Its master is still being read.</p></section>}
        <section className="table" aria-label="Master">
          <div className="bar"><span><b style={{ fontWeight: 650, marginRight: 12 }}>Master</b><span className="mono quiet" data-testid="window-numbers">x {one(window.x)} · y {one(window.y)} · w {one(window.width)} · h {one(window.height)}</span></span><span className="quiet clip">{others.length === 0 ? <>{master.name}, {sizeLabel(displayed)}</> : common ? <>Common area of {tags}: <b data-testid="common-size">{one(common.width)} × {one(common.height)}</b></> : <>{tags} have nothing in common</>}</span></div>
          <div className="well">
            <div ref={masterBox} className="on-master" style={fitted(displayed)} data-testid="master-surface">
              <WholeMaster master={master} />
              <div className="dim" style={{ left: 0, top: 0, bottom: 0, width: box.left }} />
              <div className="dim" style={{ right: 0, top: 0, bottom: 0, width: right }} />
              <div className="dim" style={{ left: box.left, right, top: 0, height: box.top }} />
              <div className="dim" style={{ left: box.left, right, bottom: 0, height: bottom }} />
              <OverMaster others={others} common={common} master={displayed} />
              <div className="window" style={box}><span className="tag">{version.tag}</span></div>
            </div>
          </div>
        </section>
        <section className="proof" aria-label="Proof">
          <div className="bar"><b style={{ fontWeight: 650 }}>{version.tag} · proof</b><VersionStamp standing={version.standing} troubles={planned?.troubles ?? []} /></div>
          <div className="fitbox"><div ref={proofBox} className="crops on-proof" style={fitted(frame)} data-testid="proof-surface"><Proof version={shown} master={master} overlays={overlays} /></div></div>
          <OverlaySwitches overlays={overlays} onChange={setOverlays} />
        </section>
      </div>
      <div className="score">
        <div style={{ gridColumn: '1 / -1', display: 'flex', alignItems: 'center', gap: 16 }}>
          <Transport master={master} />
          <span className="quiet">of <span className="mono">{frameToTimecode(master.facts!.video.frames, master.facts!.video.rate)}</span></span>
          <span className="quiet" style={{ marginLeft: 'auto', fontSize: 12 }}>Drag the window or the proof, scroll to zoom, arrows to nudge</span>
        </div>
        <span className="label">Film</span><FilmStrip master={master} height={44} />
        <span className="label">Troubles</span><TroubleStrip planned={planned} master={master} />
        <span className="label">Versions of it</span>
        <nav className="siblings" aria-label="Versions of this master">
          {siblings.map((v) => {
            const f = frameOf(v, master);
            const k = 46 / Math.max(f.width, f.height);
            return (
              <Link key={v.id} to={`/productions/${v.productionId}/framing/${v.id}`} className={v.id === version.id ? 'on' : ''} aria-current={v.id === version.id ? 'page' : undefined}>
                <span style={{ width: f.width * k, height: f.height * k, flex: 'none' }}><Proof version={v.id === version.id ? shown : v} master={master} overlays={{ blocked: false, margin: false }} /></span>
                <span><b style={{ fontWeight: 600 }}>{v.tag} · {versionName(v)}</b><br /><StandingStamp standing={v.standing} /></span>
              </Link>
            );
          })}
        </nav>
      </div>
    </>
  );
}

/** Framing: one version at work. */
export function FramingScreen() {
  const production = useThisProduction();
  const { versionId } = useParams();
  const version = production.versions.find((v) => v.id === versionId) ?? production.versions[0];
  const master = production.masters.find((m) => m.id === version?.masterId);
  if (!version) return <Empty title="No versions yet" action={<Link className="fix tall" to={`/productions/${production.id}`}>Choose places on the proof sheet</Link>}>A version is one master made for one place.</Empty>;
  if (!version.placement) return <Empty title="This place is not in the spec book any more" action={<Link className="fix tall" to="/spec-book">Open the spec book</Link>}>Add its spec book file again to go on.</Empty>;
  if (!master?.facts || master.state === 'failed') return <Empty title="This master cannot be used">{master?.problem?.sentence}</Empty>;
  return <Workplace key={version.id} version={version} master={master} siblings={production.versions.filter((v) => v.masterId === master.id)} />;
}
