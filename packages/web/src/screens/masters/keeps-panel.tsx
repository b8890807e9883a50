import TextField from '@mui/material/TextField';
import { useMemo, useState } from 'react';
import { useKey } from '../../keys/use-key.ts';
import {
  countWords,
  frameToTimecode,
  keepAt,
  oneShot,
  shotIndexAt,
  offeredKeeps,
  shotSpans,
  withKeepAt,
  type Keep,
  type KeepKind,
  type Rate,
} from '@mivvy/core';
import type { Master } from '@mivvy/api';
import { useLook } from '../../api/queries.ts';
import { asKeep } from '../../parts/seen.tsx';
import { Choice } from '../../parts/choice.tsx';
import { EditableNumber } from '../../parts/editable.tsx';
import { UndoWords } from '../../parts/undo-buttons.tsx';
import { useDesk, usePanelFrame } from '../../play/use-desk.tsx';
import { useWork } from './shots-panel.tsx';
import { joined } from '../../parts/joined.ts';
import styles from './keeps-panel.module.css';

const kinds: readonly { value: KeepKind; name: string }[] = [
  { value: 'face', name: 'a face' },
  { value: 'title', name: 'a title' },
  { value: 'logo', name: 'a logo' },
  { value: 'product', name: 'a product' },
  { value: 'other', name: 'something else' },
];

/** The name of a keep, changed where it stands and kept when the hand leaves it. */
function NameField({ keep, onChange }: { keep: Keep; onChange: (name: string) => void }) {
  const [text, setText] = useState(keep.name);
  const done = () => (text.trim() ? text.trim() !== keep.name && onChange(text.trim()) : setText(keep.name));
  return (
    <TextField
      label="Name"
      value={text}
      fullWidth
      onChange={(event) => setText(event.target.value.slice(0, 60))}
      onBlur={done}
      onKeyDown={(event) => event.key === 'Enter' && (event.target as HTMLElement).blur()}
    />
  );
}

function SpanSentence({
  keep,
  frames,
  rate,
  shot,
  onChange,
}: {
  keep: Keep;
  frames: number;
  rate: Rate;
  shot: { from: number; to: number };
  onChange: (span: Keep['span']) => void;
}) {
  const code = (f: number) => <span className="mono">{frameToTimecode(f, rate)}</span>;
  return (
    <p>
      It counts from{' '}
      <EditableNumber
        label="First frame"
        value={keep.span.from}
        shown={code(keep.span.from)}
        min={0}
        max={keep.span.to - 1}
        unit="frames"
        onChange={(v) => onChange({ ...keep.span, from: Math.round(v) })}
      />{' '}
      to{' '}
      <EditableNumber
        label="First frame after it"
        value={keep.span.to}
        shown={code(keep.span.to)}
        min={keep.span.from + 1}
        max={frames}
        unit="frames"
        onChange={(v) => onChange({ ...keep.span, to: Math.round(v) })}
      />
      :{' '}
      <button className="fix" onClick={() => onChange({ ...shot })}>
        this shot
      </button>
      ,{' '}
      <button className="fix" onClick={() => onChange({ from: 0, to: frames })}>
        the whole film
      </button>
      {joined}.
    </p>
  );
}

/** Offers named one by one; all of them can be taken at once. */
const mostNamed = 6;

/** What lies still over the picture, as it was seen: offered as keeps, and not offered where there is one already. */
function OverlayOffers({
  master,
  busy,
  onKeep,
}: {
  master: Master;
  busy: boolean;
  onKeep: (keeps: Keep[]) => void;
}) {
  const look = useLook(master.id).data;
  const { rate } = master.facts!.video;
  const offers = offeredKeeps(look?.shots ?? [], master.keeps).filter(
    (offer) => !master.unimportant.includes(offer.id),
  );
  if (!offers.length) return null;
  return (
    <p>
      Seen lying still over the picture:{' '}
      {offers.slice(0, mostNamed).map((offer, i) => (
        <span key={offer.id}>
          {i > 0 && ', '}
          {offer.name} at <span className="mono">{frameToTimecode(offer.span.from, rate)}</span> (
          <button className="fix" disabled={busy} onClick={() => onKeep([asKeep(offer)])}>
            keep it
          </button>
          )
        </span>
      ))}
      .{' '}
      {offers.length > 1 && (
        <button className="fix" disabled={busy} onClick={() => onKeep(offers.map(asKeep))}>
          Keep all {offers.length}
        </button>
      )}
    </p>
  );
}

/** Things seen in the film of which somebody said that they do not matter; they can be taken into account again. */
function SetAside({ master, busy, onChange }: { master: Master; busy: boolean; onChange: () => void }) {
  const { unimportant } = master;
  if (unimportant.length === 0) return null;
  return (
    <p className="quiet">
      {countWords(unimportant.length, 'thing')} seen here {unimportant.length === 1 ? 'does' : 'do'} not
      matter, as somebody said.{' '}
      <button className="fix" disabled={busy} onClick={onChange}>
        Count {unimportant.length === 1 ? 'it' : 'them'} again
      </button>
    </p>
  );
}

/** What must stay visible: drawn on the picture, named, and given a span. */
export function KeepsPanel({
  master,
  chosenId,
  onChoose,
  drawing,
  onDraw,
}: {
  master: Master;
  chosenId: string | null;
  onChoose: (id: string | null) => void;
  drawing: boolean;
  onDraw: (drawing: boolean) => void;
}) {
  const desk = useDesk();
  const { run, busy } = useWork(master);
  const { frames, rate } = master.facts!.video;
  const shots = master.shots ?? oneShot;
  const spans = useMemo(() => shotSpans(shots, frames), [shots, frames]);
  const at = usePanelFrame(spans, frames);
  const shot = spans[shotIndexAt(shots, at)]!;
  const save = (keeps: Keep[]) => run({ kind: 'work', revision: master.revision, keeps });
  const change = (keep: Keep) => save(master.keeps.map((k) => (k.id === keep.id ? keep : k)));
  const chosen = master.keeps.find((k) => k.id === chosenId);
  const drop = (id: string) => {
    save(master.keeps.filter((k) => k.id !== id));
    onChoose(null);
  };
  useKey('Master.drawKeep', () => onDraw(!drawing));
  useKey('Master.remove', () => void (chosen && drop(chosen.id)));
  useKey('Everywhere.undo', () => run({ kind: 'undo' }));
  useKey('Everywhere.redo', () => run({ kind: 'redo' }));
  return (
    <div className="panel">
      <p>
        What is marked here must stay in every frame, clear of what outlets draw.{' '}
        <button className="fix" aria-pressed={drawing} onClick={() => onDraw(!drawing)}>
          {drawing ? 'Drawing: drag on the picture' : 'Draw one on the picture'}
        </button>
        {joined}.
      </p>
      <ul className="keeplist">
        {master.keeps.map((k) => (
          <li key={k.id}>
            <button
              className={k.id === chosenId ? 'on' : ''}
              aria-pressed={k.id === chosenId}
              onClick={() => {
                onChoose(k.id === chosenId ? null : k.id);
                if (at < k.span.from || at >= k.span.to) desk.seek(k.span.from);
              }}
            >
              <b className="clip">{k.name}</b>
              <span className="quiet">
                {kinds.find((o) => o.value === k.kind)!.name}, {k.span.to - k.span.from} frames
                {k.keys.length > 1 ? ', moves' : ''}
              </span>
            </button>
          </li>
        ))}
      </ul>
      <OverlayOffers
        master={master}
        busy={busy}
        onKeep={(keeps) => {
          save([...master.keeps, ...keeps]);
          onChoose(keeps[0]!.id);
        }}
      />
      <SetAside
        master={master}
        busy={busy}
        onChange={() => run({ kind: 'work', revision: master.revision, unimportant: [] })}
      />
      {chosen && (
        <div className="keepform">
          <NameField key={chosen.id} keep={chosen} onChange={(name) => change({ ...chosen, name })} />
          <p className={styles.next}>
            It is{' '}
            <Choice
              label="Kind"
              value={chosen.kind}
              shown={kinds.find((o) => o.value === chosen.kind)!.name}
              options={kinds}
              onChange={(kind) => change({ ...chosen, kind })}
            />
            , and{' '}
            <Choice
              label="Movement of the keep"
              value={chosen.keys.length > 1 ? 'moves' : 'still'}
              shown={chosen.keys.length > 1 ? `moves through ${chosen.keys.length} places` : 'stands still'}
              options={[
                { value: 'still', name: 'stands still' },
                { value: 'moves', name: 'moves', more: 'drag it to its place at other frames' },
              ]}
              onChange={(v) =>
                change(
                  v === 'still'
                    ? { ...chosen, keys: [{ at: chosen.span.from, ...keepAt(chosen, at) }] }
                    : withKeepAt(
                        { ...chosen, keys: [{ ...chosen.keys[0]!, at: chosen.span.from }] },
                        at === chosen.span.from ? chosen.span.to - 1 : at,
                        keepAt(chosen, at),
                        true,
                      ),
                )
              }
            />
            .
          </p>
          <SpanSentence
            keep={chosen}
            frames={frames}
            rate={rate}
            shot={shot}
            onChange={(span) => change({ ...chosen, span })}
          />
          <p>
            <button className="fix tall" disabled={busy} onClick={() => drop(chosen.id)}>
              Remove this keep
            </button>
          </p>
        </div>
      )}
      <p>
        <UndoWords
          undo={!busy && master.can.undo}
          redo={!busy && master.can.redo}
          onStep={(kind) => run({ kind })}
        />
      </p>
    </div>
  );
}
