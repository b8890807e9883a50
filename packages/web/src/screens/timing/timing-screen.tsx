import RedoIcon from '@mui/icons-material/RedoOutlined';
import UndoIcon from '@mui/icons-material/UndoOutlined';
import Button from '@mui/material/Button';
import Tooltip from '@mui/material/Tooltip';
import { useEffect, useMemo, useRef, useState } from 'react';
import { useKeys } from '../../parts/use-keys.ts';
import { Link, Navigate, useNavigate, useParams } from 'react-router';
import {
  adviceFor,
  asEdited,
  dropFrames,
  fps,
  frameToTimecode,
  keepFrames,
  keepOrDrop,
  keepsAny,
  keepWithin,
  keptLength,
  moveKept,
  oneShot,
  playsAt,
  problemLine,
  rollJoin,
  shotIndexAt,
  shotSpans,
  splitKept,
  takeAdvice,
  timeLeftFigures,
  timeLeftWords,
  trimKept,
  usualJoinMs,
  type FrameSpan,
  type Size,
} from '@mivvy/core';
import type { Cut, Master, ProductionDetail } from '@mivvy/api';
import { problemOf } from '../../api/client.ts';
import { useAlong, usePlayCut, type CutWork } from '../../api/queries.ts';
import { EditableTime } from '../../parts/editable-time.tsx';
import { Empty } from '../../parts/notices.tsx';
import { useOverlays } from '../../parts/overlay-switches.tsx';
import { frameOf, Proof, WholeMaster } from '../../parts/proof.tsx';
import { Score, ShotRow, TroubleRow } from '../../parts/score.tsx';
import { Stamp } from '../../parts/stamp.tsx';
import { useThisProduction } from '../../parts/this-production.ts';
import { Transport } from '../../parts/transport.tsx';
import { planVersion, versionName } from '../../parts/versions.ts';
import { useDesk, useHead } from '../../play/use-desk.tsx';
import { AdvicePanel, markedOf, type Spared } from './advice-panel.tsx';
import { CutSentences, EditLists, RemoveCut } from './cut-note.tsx';
import { KeptRow, LevelRow, type Edge, type Marks } from './kept-row.tsx';
import { NewCutDialog } from './new-cut-dialog.tsx';
import { breaksTime, PlaceTimes, tightest } from './place-times.tsx';
import { RunningOrder } from './running-order.tsx';
import { useCutEdit } from './use-cut-edit.ts';
import './timing.css';

const noMarks: Marks = { in: null, out: null };
/** Pictures side by side, of one height and each in its own shape, as large as the well allows. */
const sideBySide = (sizes: readonly Size[]) =>
  sizes.map((s) => ({
    aspectRatio: `${s.width} / ${s.height}`,
    height: `min(100cqh, calc((100cqw - ${(sizes.length - 1) * wellGap}px) / ${sizes.reduce((sum, x) => sum + x.width / x.height, 0)}))`,
  }));
const wellGap = 16;

interface TimingWorkspaceProps {
  production: ProductionDetail;
  master: Master;
  /** Undefined for the full film, which cannot be changed. */
  cut: Cut | undefined;
  work: CutWork;
  change: ((patch: Partial<CutWork>) => void) | null;
  step: (direction: 'undo' | 'redo') => void;
  saved: string;
}

/** What plays of a master, at work. */
function TimingWorkspace({ production, master, cut, work, change, step, saved }: TimingWorkspaceProps) {
  const desk = useDesk();
  const navigate = useNavigate();
  const head = useHead();
  const [overlays] = useOverlays();
  const { frames, rate, displayed } = master.facts!.video;
  const shots = master.shots ?? oneShot;
  const at = Math.min(head.frame, frames - 1);
  const spans = useMemo(() => shotSpans(shots, frames), [shots, frames]);
  const shotIndex = shotIndexAt(shots, at);
  const shot = spans[shotIndex]!;
  const { kept, pace } = work;
  const base = `/productions/${production.id}/timing/${master.id}`;
  const go = (cutId: string | null) => void navigate(cutId === null ? base : `${base}/${cutId}`);

  // Every version of the film, with its plan as the cut in the hand makes it.
  const shownMaster = useMemo(
    () =>
      cut ? { ...master, cuts: master.cuts.map((c) => (c.id === cut.id ? { ...c, ...work } : c)) } : master,
    [master, cut, work],
  );
  const mine = useMemo(
    () =>
      production.versions
        .filter((v) => v.masterId === master.id && v.placement)
        .map((version) => ({ version, planned: planVersion(version, shownMaster, production.margin) })),
    [production, master.id, shownMaster],
  );
  const timed = useMemo(() => mine.filter((t) => t.version.cutId === (cut?.id ?? null)), [mine, cut?.id]);
  const [shownId, setShownId] = useState<string | null>(null);
  const closest = tightest(timed);
  const shown = timed.find((t) => t.version.id === shownId) ?? closest ?? timed[0];

  const [taken, setEdge] = useState<Edge | null>(null);
  // A cut that was changed elsewhere or taken back may not have that span any more.
  const edge = taken && kept[taken.index] ? taken : null;
  const [marks, setMarks] = useState<Marks>(noMarks);
  const [marked, setMarked] = useState<readonly string[]>([]);
  const [spared, setSpared] = useState<Spared>({ hook: 0, endCard: false });
  const [targetId, setTargetId] = useState<string | null>(null);
  const [making, setMaking] = useState(false);
  const keptBox = useRef<HTMLDivElement>(null);
  const along = useAlong(master);
  const playCut = usePlayCut(production.id);

  const advice = useMemo(() => {
    if (!along.data || !change) return [];
    const protect: FrameSpan[] = [
      ...(spared.hook > 0 ? [{ from: 0, to: Math.round(spared.hook * fps(rate)) }] : []),
      ...(spared.endCard ? [spans.at(-1)!] : []),
    ];
    return adviceFor(
      kept,
      {
        framesPerSecond: fps(rate),
        silences: along.data.silences,
        speech: along.data.speech,
        shots: along.data.shots,
      },
      protect,
    );
  }, [along.data, change, kept, rate, spared, spans]);
  const going = useMemo(() => markedOf(advice, marked), [advice, marked]);
  // Playing shows the cut as it will be, also without what is marked to go.
  const played = useMemo(() => (going.length ? takeAdvice(kept, going) : [...kept]), [kept, going]);
  useEffect(() => desk.lead(master.id), [desk, master.id]);
  useEffect(
    () => desk.setCut(cut && played.length ? { kept: played, pace } : null),
    [desk, cut, played, pace],
  );
  useEffect(() => () => desk.setCut(null), [desk]);

  const chosen = kept.findIndex((s) => at >= s.from && at < s.to);
  const chosenSpan = chosen < 0 ? null : chosen;
  const range =
    marks.in !== null && marks.out !== null && marks.in <= marks.out
      ? { from: marks.in, to: marks.out + 1 }
      : null;
  const see = (frame: number) => {
    desk.pause();
    desk.seek(frame);
  };
  const set = (next: FrameSpan[]) => {
    if (!change) return;
    setEdge(null);
    change({ kept: next });
  };
  const keepOrDropHere = () => {
    set(keepOrDrop(kept, range ?? shot));
    setMarks(noMarks);
  };
  const trim = (which: Edge, frame: number) => {
    const next = trimKept(kept, which.index, which.side, frame, frames);
    change?.({ kept: next });
    const span = next[which.index]!;
    see(which.side === 'from' ? span.from : span.to - 1);
  };
  const takeEdge = () => {
    const edges = kept
      .flatMap((s, index) => [
        { index, side: 'from' as const, frame: s.from },
        { index, side: 'to' as const, frame: s.to - 1 },
      ])
      .sort((a, b) => Math.abs(a.frame - at) - Math.abs(b.frame - at));
    // Pressed again, it takes the other one of the two that meet here.
    const next = edges.find((e) => !edge || e.index !== edge.index || e.side !== edge.side);
    if (!next) return;
    setEdge({ index: next.index, side: next.side });
    see(next.frame);
  };
  const nudge = (by: number) => {
    if (!edge || !change) return desk.step(by);
    trim(edge, kept[edge.index]![edge.side] + by);
  };
  const roll = (by: number) => {
    const join = edge && (edge.side === 'to' ? edge.index : edge.index - 1);
    if (join === null || !kept[join] || !kept[join + 1]) return;
    const next = rollJoin(kept, join, by, frames);
    change?.({ kept: next });
    see(edge!.side === 'to' ? next[join]!.to - 1 : next[join + 1]!.from);
  };
  const move = (from: number, to: number) => {
    if (to < 0 || to >= kept.length) return;
    set(moveKept(kept, from, to));
  };
  const goShot = (by: number) => see(spans[Math.max(0, Math.min(spans.length - 1, shotIndex + by))]!.from);

  const deps = [at, edge, kept, marks, shot, change];
  const keys = { preventDefault: true };
  useKeys('d', keepOrDropHere, deps);
  useKeys('x', () => set(splitKept(kept, at)), deps);
  useKeys('i', () => setMarks({ ...marks, in: at }), deps);
  useKeys('o', () => setMarks({ ...marks, out: at }), deps);
  useKeys('e', () => change && takeEdge(), deps);
  useKeys(
    'escape',
    () => {
      setEdge(null);
      setMarks(noMarks);
    },
    deps,
  );
  useKeys('left', () => nudge(-1), keys, deps);
  useKeys('right', () => nudge(1), keys, deps);
  useKeys('shift+left', () => nudge(-10), keys, deps);
  useKeys('shift+right', () => nudge(10), keys, deps);
  useKeys('r,shift+r', (event) => roll(event.shiftKey ? -1 : 1), deps);
  useKeys('up', () => chosenSpan !== null && move(chosenSpan, chosenSpan - 1), keys, deps);
  useKeys('down', () => chosenSpan !== null && move(chosenSpan, chosenSpan + 1), keys, deps);
  useKeys('bracketright', () => goShot(1), deps);
  useKeys('bracketleft', () => goShot(-1), deps);
  useKeys('mod+z', () => step('undo'), keys, [cut?.id]);
  useKeys('mod+shift+z,mod+y', () => step('redo'), keys, [cut?.id]);

  const place = playsAt(kept, at);
  const length = keptLength(kept);
  const targets = timed.filter((t) => t.version.placement?.duration?.maxSeconds !== undefined);
  const target = targets.find((t) => t.version.id === targetId) ?? closest;
  const [masterFit, proofFit] = sideBySide([displayed, ...(shown ? [frameOf(shown.version, master)] : [])]);
  const held = edge && kept[edge.index]!;
  const edgeWords = held && (
    <>
      The {edge.side === 'from' ? 'start' : 'end'} of span {edge.index + 1} is in hand at{' '}
      <EditableTime
        label="Edge"
        frame={edge.side === 'from' ? held.from : held.to}
        rate={rate}
        min={0}
        max={frames}
        onChange={(f) => trim(edge, f)}
      />
      : ← → trims it, with shift by ten; r moves the join
    </>
  );
  return (
    <>
      <div className="timing">
        <section className="note" aria-label="Cut">
          <div className="cuts" role="navigation" aria-label="Cuts of this film">
            <Link to={base} className={cut ? '' : 'on'} aria-current={cut ? undefined : 'page'}>
              Full film
            </Link>
            {master.cuts.map((c) => (
              <Link
                key={c.id}
                to={`${base}/${c.id}`}
                className={c.id === cut?.id ? 'on' : ''}
                aria-current={c.id === cut?.id ? 'page' : undefined}
              >
                {c.id === cut?.id ? work.name : c.name}
              </Link>
            ))}
            <button className="fix tall" onClick={() => setMaking(true)}>
              New cut
            </button>
          </div>
          {change ? (
            <CutSentences master={master} work={work} change={change} />
          ) : (
            <p>
              The full film: every frame of it in its order,{' '}
              <span className="mono">{frameToTimecode(frames, rate)}</span> long. It is never changed.
            </p>
          )}
          <PlaceTimes
            timed={timed}
            others={mine.filter((t) => !timed.includes(t)).map((t) => t.version)}
            master={shownMaster}
            cut={cut ? work : null}
            shownId={shown?.version.id}
            onShow={setShownId}
            onPace={(p) => change?.({ pace: p })}
            onPlay={(id) => playCut.mutate({ versionIds: [id], cutId: cut?.id ?? null })}
          />
          {timed.length === 0 && (
            <p className="quiet">No version plays {cut ? 'this cut' : 'the full film'} yet.</p>
          )}
          <EditLists master={master} versions={timed.map((t) => t.version)} onMade={go} />
          {cut && (
            <RemoveCut
              key={cut.id}
              cut={cut}
              playing={timed.length}
              productionId={production.id}
              onGone={() => go(null)}
            />
          )}
          {saved && (
            <p className="quiet" style={{ fontSize: 12 }} role="status">
              {saved}
            </p>
          )}
        </section>
        <section className="table" aria-label="Film">
          <div className="bar">
            <span style={{ display: 'flex', alignItems: 'center', gap: 6, minWidth: 0 }}>
              <b style={{ fontWeight: 650 }}>{cut ? work.name : 'Full film'}</b>
              <span className="mono quiet clip" data-testid="place-in-cut">
                {place === null ? 'not in the cut' : frameToTimecode(place, rate)} of{' '}
                {frameToTimecode(length, rate)}
              </span>
              {cut && (
                <>
                  <Tooltip title="Take back (Ctrl Z)">
                    <span>
                      <button
                        className="iconbutton"
                        aria-label="Take back"
                        disabled={!cut.can.undo && saved === 'Saved.'}
                        onClick={() => step('undo')}
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
                        disabled={!cut.can.redo}
                        onClick={() => step('redo')}
                      >
                        <RedoIcon />
                      </button>
                    </span>
                  </Tooltip>
                </>
              )}
            </span>
            {closest?.planned && (
              <span className="closest" data-testid="time-left">
                <Stamp shape={breaksTime(closest) ? 'fail' : 'pass'}>
                  {timeLeftWords(closest.planned.time)}
                </Stamp>{' '}
                <b>{versionName(closest.version)}</b>{' '}
                <span className="mono quiet">{timeLeftFigures(closest.planned.time)}</span>
              </span>
            )}
          </div>
          <div className="well">
            <div style={masterFit}>
              <WholeMaster master={master} />
            </div>
            {shown && (
              <div style={proofFit}>
                <Proof version={shown.version} master={shownMaster} overlays={overlays} />
              </div>
            )}
          </div>
          {change ? (
            <RunningOrder
              master={master}
              kept={kept}
              chosen={chosenSpan}
              onGo={(i) => see(kept[i]!.from)}
              onMove={move}
            />
          ) : (
            <div className="callout">
              <Button variant="contained" onClick={() => setMaking(true)}>
                Make a cut
              </Button>
              <span className="quiet">
                A shorter one beside the full film: drop shots, trim them, change their order, and see the
                time left at every place.
              </span>
            </div>
          )}
        </section>
        {change ? (
          <AdvicePanel
            advice={advice}
            marked={marked}
            onMark={setMarked}
            onSee={see}
            along={along.data}
            problem={along.error ? problemLine(problemOf(along.error)) : null}
            onRetry={() => void along.refetch()}
            master={master}
            shots={shots}
            target={target}
            targets={targets}
            onTarget={setTargetId}
            kept={length}
            pace={pace}
            spared={spared}
            onSpared={setSpared}
            onTake={(dropped, newPace) => {
              const next = takeAdvice(kept, dropped);
              if (next.length) setMarked([]);
              setEdge(null);
              change({ kept: next, ...(newPace ? { pace: newPace } : {}) });
            }}
          />
        ) : (
          <aside className="side" aria-label="Advice">
            <h2>What could go</h2>
            <p className="quiet" style={{ marginTop: 8 }}>
              Make a cut, and what could go from it is listed here: silences, shots in which hardly anything
              moves or that were seen before, and long tails, each with what it saves.
            </p>
          </aside>
        )}
      </div>
      <div className="score">
        <div style={{ gridColumn: '1 / -1', display: 'flex', alignItems: 'center', gap: 14, minHeight: 34 }}>
          <Transport master={master} shot={shot} />
          <span className="quiet">
            of <span className="mono">{frameToTimecode(frames, rate)}</span>
          </span>
          {change && (
            <>
              <button className="fix tall" onClick={keepOrDropHere}>
                {keepsAny(kept, range ?? shot) ? 'Drop' : 'Keep'}{' '}
                {range ? 'in to out' : `shot ${shotIndex + 1}`}
              </button>
              {range && (
                <button
                  className="fix tall"
                  onClick={() => {
                    set(keepWithin(kept, range));
                    setMarks(noMarks);
                  }}
                >
                  Keep only this
                </button>
              )}
              {range && keepsAny(kept, range) && kept.some((s) => s.from > range.from || s.to < range.to) && (
                <button
                  className="fix tall"
                  onClick={() => {
                    set(keepFrames(kept, range));
                    setMarks(noMarks);
                  }}
                >
                  Keep all of it
                </button>
              )}
              <button
                className="fix tall"
                disabled={chosenSpan === null || at === kept[chosenSpan]!.from}
                onClick={() => set(splitKept(kept, at))}
              >
                Split here
              </button>
              {chosenSpan !== null && kept.length > 1 && (
                <button className="fix tall" onClick={() => set(dropFrames(kept, kept[chosenSpan]!))}>
                  Drop span {chosenSpan + 1}
                </button>
              )}
              {chosenSpan !== null && chosenSpan > 0 && (
                <button className="fix tall" onClick={() => move(chosenSpan, 0)}>
                  Play it first
                </button>
              )}
            </>
          )}
          <span className="quiet clip" style={{ marginLeft: 'auto', fontSize: 12 }}>
            {edgeWords ??
              (change
                ? 'd keeps or drops, x splits, i and o set in and out, e takes an edge, ? for all keys'
                : '[ and ] for the shots, ? for all keys')}
          </span>
        </div>
        <div className="labels">
          <span style={{ height: 46 }}>Shots</span>
          <span style={{ height: 30 }}>Kept</span>
          <span style={{ height: 40 }}>Sound</span>
          <span style={{ height: 12 }}>Troubles</span>
        </div>
        <Score master={master} {...(edge ? { onArrow: nudge } : {})}>
          <ShotRow master={master} shots={shots} chosen={shot} />
          <KeptRow
            kept={kept}
            frames={frames}
            chosen={change && chosenSpan}
            edge={edge}
            marks={marks}
            going={going.map((a) => a.span)}
            box={keptBox}
            onTake={change ? setEdge : null}
            onTrim={trim}
          />
          <LevelRow along={along.data} frames={frames} />
          <TroubleRow troubles={shown?.planned?.troubles ?? []} frames={frames} />
        </Score>
      </div>
      {making && (
        <NewCutDialog
          master={master}
          versions={mine}
          from={cut}
          onMade={go}
          onClose={() => setMaking(false)}
        />
      )}
    </>
  );
}

/** A cut in the hand, on the table. */
function CutWorkspace({
  production,
  master,
  cut,
}: {
  production: ProductionDetail;
  master: Master;
  cut: Cut;
}) {
  const { work, change, saving, step } = useCutEdit(cut, production.id);
  return (
    <TimingWorkspace
      production={production}
      master={master}
      cut={cut}
      work={work}
      change={change}
      step={(d) => void step(d)}
      saved={
        saving === 'saved' ? 'Saved.' : saving === 'failed' ? 'Not saved yet; trying again.' : 'Saving …'
      }
    />
  );
}

function FullFilm({ production, master }: { production: ProductionDetail; master: Master }) {
  const work = useMemo(
    () => ({
      name: 'Full film',
      kept: [{ from: 0, to: master.facts!.video.frames }],
      pace: asEdited,
      joinMs: usualJoinMs,
    }),
    [master.facts],
  );
  return (
    <TimingWorkspace
      production={production}
      master={master}
      cut={undefined}
      work={work}
      change={null}
      step={() => undefined}
      saved=""
    />
  );
}

/** Where Timing opens: at what is too long, else at the newest cut, else at the first film. */
function startOf(production: ProductionDetail): string | null {
  const usable = production.masters.filter((m) => m.state === 'ready' && m.facts);
  const needy = production.versions
    .map((version) => ({
      version,
      planned: planVersion(
        version,
        usable.find((m) => m.id === version.masterId),
        production.margin,
      ),
    }))
    .find(breaksTime)?.version;
  const cut = needy ? needy.cutId : usable.flatMap((m) => m.cuts).at(-1)?.id;
  const master = needy
    ? needy.masterId
    : (usable.find((m) => m.cuts.some((c) => c.id === cut)) ?? usable[0])?.id;
  return master ? `/productions/${production.id}/timing/${master}${cut ? `/${cut}` : ''}` : null;
}

/** Timing: what plays of a film, in which order, how fast, and what that leaves of each place's time. */
export function TimingScreen() {
  const production = useThisProduction();
  const { masterId, cutId } = useParams();
  const start = masterId ? null : startOf(production);
  if (start) return <Navigate to={start} replace />;
  const master = production.masters.find((m) => m.id === masterId);
  if (!master?.facts || master.state === 'failed')
    return (
      <Empty
        title="No film to cut here"
        action={
          <Link className="fix tall" to={`/productions/${production.id}`}>
            To the proof sheet
          </Link>
        }
      >
        {master?.problem?.sentence ?? 'A film is cut once it has been read.'}
      </Empty>
    );
  const cut = master.cuts.find((c) => c.id === cutId);
  if (cutId && !cut)
    return (
      <Empty
        title="That cut is not here any more"
        action={
          <Link className="fix tall" to={`/productions/${production.id}/timing/${master.id}`}>
            The full film
          </Link>
        }
      />
    );
  return cut ? (
    <CutWorkspace key={cut.id} production={production} master={master} cut={cut} />
  ) : (
    <FullFilm key={master.id} production={production} master={master} />
  );
}
