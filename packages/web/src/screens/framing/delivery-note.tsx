import TextField from '@mui/material/TextField';
import { useSnackbar } from 'notistack';
import { useMemo, useState, type ReactNode } from 'react';
import { Link, useNavigate } from 'react-router';
import {
  aspectLabel,
  bitrateLabel,
  bytesLabel,
  codecLabel,
  durationLabel,
  enlargement,
  frameRules,
  frameToSeconds,
  keepsWithin,
  maxZoom,
  planSeconds,
  poseAt,
  problemLine,
  publishedMargins,
  rateLabel,
  shapeWord,
  sizeLabel,
  suggestMend,
  troubleMark,
  windowOf,
  zoomAbout,
  type Fill,
  type Framing,
  type MarginChoice,
  type Move,
  type Size,
  type Trouble,
} from '@mivvy/core';
import type { Master, Version } from '@mivvy/api';
import { problemOf } from '../../api/client.ts';
import { useAccept, usePlayCut, useRemoveVersion, useRenameProduction } from '../../api/queries.ts';
import { Choice } from '../../parts/choice.tsx';
import { EditableNumber } from '../../parts/editable.tsx';
import { useThisProduction } from '../../parts/this-production.ts';
import { cutName, cutOf, versionName, type Planned } from '../../parts/versions.ts';
import { moveAs, withoutKey, type Panel, type ShotEditor } from './shot-editor.ts';
import type { Following } from './use-following.ts';

const list = (words: readonly string[]) =>
  words.length < 2 ? words.join('') : `${words.slice(0, -1).join(', ')} and ${words.at(-1)}`;
const pixels = (n: number) => `${Number(n.toFixed(1))} px`;

/** Stands for the full film where cuts are chosen from. */
const fullFilm = 'full';

/** What the file will be, in a sentence or two. */
function FileSentences({
  version,
  master,
  frame,
  planned,
}: {
  version: Version;
  master: Master;
  frame: Size;
  planned: Planned;
}) {
  const play = usePlayCut(version.productionId);
  const cut = cutOf(version, master);
  const { plan, delivered, budget } = planned.planned;
  const limit = version.placement!.duration?.maxSeconds;
  const { rate } = plan.video;
  const shape = shapeWord(frame);
  return (
    <p>
      Plays{' '}
      <Choice
        label="Cut"
        value={cut?.id ?? fullFilm}
        shown={cutName(cut)}
        options={[
          { value: fullFilm, name: 'the full film' },
          ...master.cuts.map((c) => ({ value: c.id, name: cutName(c) })),
        ]}
        onChange={(id) => play.mutate({ versionIds: [version.id], cutId: id === fullFilm ? null : id })}
      />
      ;{' '}
      <Link
        className="fix"
        to={`/productions/${version.productionId}/timing/${master.id}${cut ? `/${cut.id}` : ''}`}
      >
        change its timing
      </Link>
      . {shape[0]!.toUpperCase() + shape.slice(1)} {aspectLabel(frame)}, <b>{sizeLabel(frame)}</b>, at{' '}
      <b>{rateLabel(plan.rate)} fps</b> {delivered.words}. Runs <b>{durationLabel(planSeconds(plan))}</b>
      {limit === undefined ? ', no limit' : <> of {durationLabel(limit)} allowed</>}.{' '}
      {codecLabel(plan.video.codec)},{' '}
      {rate.mode === 'two-pass' ? (
        <>
          two passes at <b>{bitrateLabel(rate.targetKbps)}</b>, never above {bitrateLabel(rate.maxKbps)}
        </>
      ) : (
        <>
          quality {rate.crf}
          {rate.maxKbps !== undefined && <>, never above {bitrateLabel(rate.maxKbps)}</>}
        </>
      )}
      {budget.expectedBytes !== null && (
        <>
          : {rate.mode === 'two-pass' ? 'about' : 'at most'} <b>{bytesLabel(budget.expectedBytes)}</b>
        </>
      )}
      .{' '}
      {plan.audio ? (
        <>
          Sound in {codecLabel(plan.audio.codec)}
          {plan.audio.loudness
            ? ` at ${plan.audio.loudness.integratedLufs.toString().replace('-', '−')} LUFS`
            : ''}
          .
        </>
      ) : (
        'Silent.'
      )}
    </p>
  );
}

const fills: readonly { value: Fill['kind']; name: string; more?: string }[] = [
  { value: 'filled', name: 'fills the frame' },
  { value: 'bars', name: 'stands whole, with bars', more: 'in a colour of your choice' },
  { value: 'soft', name: 'stands whole, over a soft copy of itself' },
  {
    value: 'stacked',
    name: 'is stacked: two windows, one above the other',
    more: 'for two people in a tall frame',
  },
];
const fillWords: Record<Fill['kind'], string> = {
  filled: 'fills the frame',
  bars: 'stands whole, with bars',
  soft: 'stands whole, over a soft copy',
  stacked: 'is stacked in two windows',
};
const moves: readonly { value: Move['kind']; name: string; more: string }[] = [
  { value: 'hold', name: 'holds still', more: 'one window for the whole shot' },
  { value: 'glide', name: 'glides', more: 'once, from one window to another' },
  { value: 'path', name: 'passes through keyframes', more: 'as many as are set' },
  { value: 'follow', name: 'follows', more: 'a subject, on a way that is worked out' },
];
const moveWords: Record<Move['kind'], string> = {
  hold: 'holds still',
  glide: 'glides',
  path: 'passes through keyframes',
  follow: 'follows',
};

function fillAs(kind: Fill['kind'], hand: ShotEditor): Fill {
  switch (kind) {
    case 'filled':
    case 'soft':
      return { kind };
    case 'bars':
      return { kind, colour: '#000000' };
    case 'stacked':
      return { kind, divide: 0.5, lower: { kind: 'hold', pose: hand.poseOf('upper') } };
  }
}

interface NoteProps {
  version: Version;
  master: Master;
  frame: Size;
  planned: Planned;
  hand: ShotEditor;
  panel: Panel;
  setPanel: (panel: Panel) => void;
  change: (framing: Framing) => void;
  seek: (frame: number) => void;
  framing: Framing;
  following: Following;
  /** What was seen in the shot and what was chosen by it. */
  subject: ReactNode;
  saved: string;
  header: ReactNode;
  footer: ReactNode;
}

/** The numbers of one window, each to be typed over. */
function WindowSentence({
  hand,
  panel,
  master,
  change,
}: {
  hand: ShotEditor;
  panel: Panel;
  master: Size;
  change: (framing: Framing) => void;
}) {
  const part = hand.partOf(panel);
  const pose = hand.editPose(panel);
  const window = windowOf(pose, master, part);
  const room = { x: master.width - window.width, y: master.height - window.height };
  const edge = (which: 'x' | 'y') => (value: number) =>
    change(
      hand.withPose(
        panel,
        poseAt(which === 'x' ? value : window.x, which === 'y' ? value : window.y, pose.zoom, master, part),
      ),
    );
  const zoomTo = (zoom: number) =>
    change(
      hand.withPose(
        panel,
        zoomAbout(
          pose,
          zoom,
          (window.x + window.width / 2) / master.width,
          (window.y + window.height / 2) / master.height,
          master,
          part,
        ),
      ),
    );
  const largest = { width: window.width * pose.zoom, height: window.height * pose.zoom };
  return (
    <p>
      Its zoom is{' '}
      <EditableNumber
        label="Zoom"
        value={pose.zoom}
        shown={`${pose.zoom.toFixed(2)} ×`}
        min={1}
        max={maxZoom}
        step={0.01}
        unit="times"
        onChange={zoomTo}
      />
      , its left edge at{' '}
      {room.x < 0.05 ? (
        <b>0 px</b>
      ) : (
        <EditableNumber
          label="Left edge"
          value={window.x}
          shown={pixels(window.x)}
          min={0}
          max={room.x}
          unit="master pixels"
          onChange={edge('x')}
        />
      )}{' '}
      of {pixels(room.x)}, its top at{' '}
      {room.y < 0.05 ? (
        <b>0 px</b>
      ) : (
        <EditableNumber
          label="Top"
          value={window.y}
          shown={pixels(window.y)}
          min={0}
          max={room.y}
          unit="master pixels"
          onChange={edge('y')}
        />
      )}{' '}
      of {pixels(room.y)}. It is{' '}
      <EditableNumber
        label="Width"
        value={window.width}
        shown={pixels(window.width)}
        min={largest.width / maxZoom}
        max={largest.width}
        unit="master pixels"
        onChange={(w) => zoomTo(largest.width / w)}
      />{' '}
      wide and{' '}
      <EditableNumber
        label="Height"
        value={window.height}
        shown={pixels(window.height)}
        min={largest.height / maxZoom}
        max={largest.height}
        unit="master pixels"
        onChange={(h) => zoomTo(largest.height / h)}
      />{' '}
      high.
    </p>
  );
}

/** How the window moves, with the times and keyframes that can be changed. */
function MoveSentence({
  hand,
  panel,
  change,
  seek,
}: {
  hand: ShotEditor;
  panel: Panel;
  change: (framing: Framing) => void;
  seek: (frame: number) => void;
}) {
  const move = hand.moveOf(panel);
  const length = hand.unit.to - hand.unit.from;
  const go = (offset: number, shown: string, label: string) => (
    <button
      className="fix"
      aria-label={label}
      onClick={() => seek(hand.unit.from + Math.max(0, Math.min(length - 1, offset)))}
    >
      {shown}
    </button>
  );
  if (move.kind === 'glide') {
    return (
      <p>
        It starts to move at frame{' '}
        <EditableNumber
          label="Glide starts"
          value={move.start}
          shown={move.start}
          min={0}
          max={Math.max(0, move.end - 1)}
          unit="frames into the shot"
          onChange={(v) => change(hand.withMove(panel, { ...move, start: Math.round(v) }))}
        />{' '}
        of the shot and arrives at{' '}
        <EditableNumber
          label="Glide arrives"
          value={move.end}
          shown={move.end}
          min={move.start + 1}
          max={Math.max(move.start + 1, length - 1)}
          unit="frames into the shot"
          onChange={(v) => change(hand.withMove(panel, { ...move, end: Math.round(v) }))}
        />
        ,{' '}
        <Choice
          label="Easing"
          value={move.ease}
          shown={move.ease === 'soft' ? 'softly' : 'evenly'}
          options={[
            { value: 'soft', name: 'softly', more: 'eased in and out' },
            { value: 'even', name: 'evenly' },
          ]}
          onChange={(ease) => change(hand.withMove(panel, { ...move, ease }))}
        />
        . Go to {go(move.start, 'where it starts', 'Go to the glide’s start')} or{' '}
        {go(move.end, 'where it ends', 'Go to the glide’s end')} and move the window.{' '}
        <button
          className="fix"
          onClick={() => change(hand.withMove(panel, { ...move, a: move.b, b: move.a }))}
        >
          Turn it round
        </button>
        .
      </p>
    );
  }
  if (move.kind === 'path') {
    const here = move.keys.some((k) => k.at === hand.at);
    return (
      <p>
        {move.keys.length === 1 ? 'One keyframe' : `${move.keys.length} keyframes`}
        {move.keys.length < 12 && (
          <>
            , at{' '}
            {move.keys.map((k, i) => (
              <span key={k.at}>
                {i > 0 && ', '}
                {go(k.at, String(k.at), `Go to the keyframe at ${k.at}`)}
              </span>
            ))}
          </>
        )}
        .{' '}
        {here ? (
          <button
            className="fix"
            disabled={move.keys.length < 2}
            onClick={() => change(hand.withMove(panel, withoutKey(move, hand.at)))}
          >
            Remove the one here
          </button>
        ) : (
          <button className="fix" onClick={() => change(hand.withPose(panel, hand.poseOf(panel)))}>
            Set one here
          </button>
        )}
        .
      </p>
    );
  }
  return null;
}

/** One trouble of the shot at hand, with what would mend it. */
function TroubleNote({ trouble, props }: { trouble: Trouble; props: NoteProps }) {
  const { version, master, planned, hand, framing, frame, change } = props;
  const { margin } = useThisProduction();
  const [asking, setAsking] = useState(false);
  const [reason, setReason] = useState('');
  const accept = useAccept();
  const { enqueueSnackbar } = useSnackbar();
  const facts = master.facts!.video;
  const mend = useMemo(() => {
    const keep = master.keeps.find((k) => k.id === trouble.keepId);
    if (!keep) return null;
    const how =
      trouble.code === 'keep-cut'
        ? { kind: 'cut' as const }
        : trouble.code === 'keep-margin'
          ? { kind: 'margin' as const }
          : { kind: 'blocked' as const, area: trouble.area ?? '' };
    return suggestMend(
      { keep, how, span: trouble.span },
      framing,
      hand.units,
      hand.unit,
      keepsWithin(master.keeps, facts.frames),
      facts.displayed,
      frameRules(version.placement!, frame, margin),
    );
  }, [trouble, framing, hand.units, hand.unit, master.keeps, facts, frame, margin, version.placement]);
  const seconds = durationLabel(frameToSeconds(trouble.span.to - trouble.span.from, facts.rate));
  const ways = mend
    ? [
        mend.zoomsOut ? 'zooming out' : '',
        Math.abs(mend.dx) >= 0.5
          ? `${Math.round(Math.abs(mend.dx))} px ${mend.dx > 0 ? 'right' : 'left'}`
          : '',
        Math.abs(mend.dy) >= 0.5 ? `${Math.round(Math.abs(mend.dy))} px ${mend.dy > 0 ? 'down' : 'up'}` : '',
      ].filter(Boolean)
    : [];
  return (
    <div className={`warn ${trouble.severity === 'fault' ? 'fault' : ''}`} style={{ marginBottom: 10 }}>
      {trouble.sentence.replace(/\.$/, '')}
      {trouble.keepId && ` for ${seconds}`}.{' '}
      {mend ? (
        <>
          Moving the window <b>{list(ways)}</b> clears it.{' '}
          <button className="fix" onClick={() => change(mend.framing)}>
            Move it
          </button>
        </>
      ) : trouble.keepId ? (
        'No still window here shows it clear of everything else.'
      ) : (
        trouble.mend
      )}{' '}
      <button className="fix" onClick={() => setAsking(!asking)}>
        Accept
      </button>
      {asking && (
        <form
          style={{ display: 'flex', gap: 8, marginTop: 8 }}
          onSubmit={(event) => {
            event.preventDefault();
            if (!reason.trim()) return;
            accept.mutate(
              {
                versionId: version.id,
                mark: troubleMark(trouble, planned.planned.plan, master.keeps),
                reason,
              },
              {
                onSuccess: () => setAsking(false),
                onError: (error) => enqueueSnackbar(problemLine(problemOf(error)), { variant: 'error' }),
              },
            );
          }}
        >
          <TextField
            label="Why it is in order"
            value={reason}
            onChange={(event) => setReason(event.target.value)}
            autoFocus
            fullWidth
          />
          <button className="fix tall" type="submit" disabled={!reason.trim() || accept.isPending}>
            Accept
          </button>
        </form>
      )}
    </div>
  );
}

/** Which margin keeps are held to; one choice for the whole production. */
function MarginSentence() {
  const production = useThisProduction();
  const change = useRenameProduction(production.id);
  const { margin } = production;
  const value = margin.kind === 'place' ? 'place' : margin.kind === 'published' ? margin.id : 'percent';
  const shown =
    margin.kind === 'place'
      ? 'as each place says'
      : margin.kind === 'published'
        ? publishedMargins.find((m) => m.id === margin.id)!.name
        : `${margin.inner} per cent`;
  const set = (next: MarginChoice) => change.mutate({ margin: next });
  return (
    <p>
      Safe margin{' '}
      <Choice
        label="Safe margin"
        value={value}
        shown={shown}
        options={[
          { value: 'place', name: 'as each place says' },
          ...publishedMargins.map((m) => ({ value: m.id, name: m.name, more: m.source })),
          { value: 'percent', name: 'an inner share of the frame', more: 'in per cent of width and height' },
        ]}
        onChange={(v) =>
          set(
            v === 'place'
              ? { kind: 'place' }
              : v === 'percent'
                ? { kind: 'percent', inner: 90 }
                : { kind: 'published', id: v as (typeof publishedMargins)[number]['id'] },
          )
        }
      />
      {margin.kind === 'percent' && (
        <>
          :{' '}
          <EditableNumber
            label="Inner share"
            value={margin.inner}
            shown={`${margin.inner} %`}
            min={50}
            max={100}
            unit="per cent; 100 is the frame’s edge"
            onChange={(inner) => set({ kind: 'percent', inner })}
          />
        </>
      )}
      .
    </p>
  );
}

/** The delivery note: the version in sentences, with what can be changed underlined. */
export function DeliveryNote(props: NoteProps) {
  const {
    version,
    master,
    frame,
    planned,
    hand,
    panel,
    setPanel,
    change,
    seek,
    following,
    subject,
    saved,
    header,
    footer,
  } = props;
  const { displayed } = master.facts!.video;
  const { unit, units } = hand;
  const accept = useAccept();
  const setupShots = [...new Set(units.filter((u) => u.setup === unit.setup).map((u) => u.shot + 1))];
  const others = setupShots.filter((n) => n !== unit.shot + 1);
  const sharing = units.filter((u) =>
    props.framing.stretches.some((s) => s.from === u.from && s.setup === unit.setup),
  ).length;
  const shotCount = (master.shots ?? []).length || 1;
  const open = planned.troubles.filter(
    (t) => t.severity !== 'note' && t.span.from < unit.to && t.span.to > unit.from,
  );
  const accepted = planned.accepted.filter(
    ({ trouble: t }) => t.span.from < unit.to && t.span.to > unit.from,
  );
  const whole = planned.troubles.filter((t) => t.severity === 'note' && t.code !== 'enlarged');
  const factor = hand.movable
    ? enlargement(hand.windowOf(panel), hand.partOf(panel))
    : Math.min(frame.width / displayed.width, frame.height / displayed.height);
  const { fill } = hand.clip;
  return (
    <section className="note" aria-label="Delivery note">
      {header}
      <h3>
        Shot {unit.shot + 1} of {shotCount} · camera {unit.setup}
        {others.length > 0 &&
          others.length < 9 &&
          `, with ${others.length === 1 ? 'shot' : 'shots'} ${list(others.map(String))}`}
        {others.length >= 9 && `, with ${others.length} others`}
      </h3>
      {subject}
      {open.map((t) => (
        <TroubleNote
          key={`${t.code} ${t.keepId ?? ''} ${t.area ?? ''} ${t.span.from}`}
          trouble={t}
          props={props}
        />
      ))}
      {accepted.map(({ trouble, acceptance }) => (
        <p key={acceptance.mark} className="warn mild">
          {trouble.sentence} Accepted: {acceptance.reason}.{' '}
          <button
            className="fix"
            onClick={() => accept.mutate({ versionId: version.id, mark: acceptance.mark, reason: null })}
          >
            Take that back
          </button>
        </p>
      ))}
      <p>
        The picture{' '}
        <Choice
          label="Filling"
          value={fill.kind}
          shown={fillWords[fill.kind]}
          options={fills}
          onChange={(kind) => change(hand.withFill(fillAs(kind, hand)))}
        />
        {fill.kind === 'bars' && (
          <>
            {' '}
            in{' '}
            <label className="colourwell">
              <input
                type="color"
                aria-label="Colour of the bars"
                value={fill.colour}
                onChange={(event) => change(hand.withFill({ kind: 'bars', colour: event.target.value }))}
              />
            </label>
          </>
        )}
        {fill.kind === 'stacked' && (
          <>
            , the upper one{' '}
            <EditableNumber
              label="Divide"
              value={fill.divide * 100}
              shown={`${Number((fill.divide * 100).toFixed(1))} %`}
              min={20}
              max={80}
              unit="per cent of the height"
              onChange={(v) => change(hand.withFill({ ...fill, divide: v / 100 }))}
            />{' '}
            of the height. The{' '}
            <Choice
              label="Window at hand"
              value={panel}
              shown={`${panel} one`}
              options={[
                { value: 'upper', name: 'upper one' },
                { value: 'lower', name: 'lower one' },
              ]}
              onChange={setPanel}
            />
          </>
        )}
        {hand.movable && (
          <>
            {' '}
            {fill.kind === 'filled' && 'and '}
            <Choice
              label="Movement"
              value={hand.moveOf(panel).kind}
              shown={moveWords[hand.moveOf(panel).kind]}
              options={moves}
              onChange={(kind) =>
                kind === 'follow' ? following.run() : change(hand.withMove(panel, moveAs(kind, hand, panel)))
              }
            />
          </>
        )}
        .
      </p>
      {hand.movable && <MoveSentence hand={hand} panel={panel} change={change} seek={seek} />}
      {hand.movable && <WindowSentence hand={hand} panel={panel} master={displayed} change={change} />}
      {others.length > 0 && (
        <p>
          {hand.shared ? (
            <>
              Set <b>once for camera {unit.setup}</b>: {sharing} shots follow it.{' '}
              <button className="fix" onClick={() => change(hand.alone())}>
                Frame this one alone
              </button>
              .
            </>
          ) : (
            <>
              Framed on its own.{' '}
              <button className="fix" onClick={() => change(hand.sharedOut())}>
                Use it for all {setupShots.length} shots of camera {unit.setup}
              </button>
              .
            </>
          )}
        </p>
      )}
      <p className={factor > 1.005 ? 'warn' : 'quiet'}>
        {factor > 1.005 ? (
          <>
            The picture is enlarged <b>{factor.toFixed(2)} times</b>. A master{' '}
            {Math.ceil(displayed.width * factor)} pixels wide, or a frame{' '}
            {Math.floor(frame.width / factor / 2) * 2} wide, would avoid it.
          </>
        ) : (
          `The picture is reduced to ${factor.toFixed(2)} of its size.`
        )}
      </p>
      <h3>The file</h3>
      <FileSentences version={version} master={master} frame={frame} planned={planned} />
      {whole.map((t) => (
        <p key={t.code} className="warn mild">
          {t.sentence}
        </p>
      ))}
      <MarginSentence />
      {footer}
      <p className="quiet" style={{ fontSize: 12 }} role="status">
        {saved}
      </p>
      <RemoveVersion version={version} />
    </section>
  );
}

/** The note while the master is still being read. */
export function WaitingNote({ version }: { version: Version }) {
  return (
    <section className="note">
      <h2>{versionName(version)}</h2>
      <p className="quiet">Its master is still being read.</p>
    </section>
  );
}

/** Takes a version out of the production, asking first. */
function RemoveVersion({ version }: { version: Version }) {
  const [asking, setAsking] = useState(false);
  const removal = useRemoveVersion(version.productionId);
  const navigate = useNavigate();
  const { enqueueSnackbar } = useSnackbar();
  if (!asking)
    return (
      <button className="fix tall" onClick={() => setAsking(true)}>
        Remove this version
      </button>
    );
  return (
    <p className="warn fault">
      Remove it{version.deliverable && ' with the files made for it'}?{' '}
      <button
        className="fix"
        disabled={removal.isPending}
        onClick={() =>
          removal.mutate(version.id, {
            onSuccess: () => void navigate(`/productions/${version.productionId}`),
            onError: (error) => enqueueSnackbar(problemLine(problemOf(error)), { variant: 'error' }),
          })
        }
      >
        Remove
      </button>
      {' · '}
      <button className="fix" onClick={() => setAsking(false)}>
        Keep it
      </button>
    </p>
  );
}
