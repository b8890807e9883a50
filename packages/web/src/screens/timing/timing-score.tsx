import { useMemo, useRef } from 'react';
import { frameToTimecode, keepsAny } from '@mivvy/core';
import { EditableTime } from '../../parts/editable-time.tsx';
import { LevelRow } from '../../parts/score/level-row.tsx';
import { TroubleRow } from '../../parts/score/rows.tsx';
import { Score } from '../../parts/score/score.tsx';
import { ShotRow } from '../../parts/score/shot-row.tsx';
import { Transport } from '../../parts/transport.tsx';
import { usePanelFrame } from '../../play/use-desk.tsx';
import { KeptRow } from './kept-row.tsx';
import { useTiming } from './timing-session.tsx';

/** What can be done at the play head; it follows the head while that rests. */
function CutTools() {
  const { work, shot, shotIndex, spans, frames, chosenSpan, actions } = useTiming();
  const { kept } = work;
  const { range } = actions;
  const at = usePanelFrame(spans, frames);
  const partOfRange = range && kept.some((s) => s.from > range.from || s.to < range.to);
  return (
    <>
      <button className="fix tall" onClick={actions.keepOrDropHere}>
        {keepsAny(kept, range ?? shot) ? 'Drop' : 'Keep'} {range ? 'in to out' : `shot ${shotIndex + 1}`}
      </button>
      {range && (
        <button className="fix tall" onClick={actions.keepOnlyRange}>
          Keep only this
        </button>
      )}
      {range && keepsAny(kept, range) && partOfRange && (
        <button className="fix tall" onClick={actions.keepAllOfRange}>
          Keep all of it
        </button>
      )}
      <button
        className="fix tall"
        disabled={chosenSpan === null || at === kept[chosenSpan]?.from}
        onClick={actions.splitHere}
      >
        Split here
      </button>
      {chosenSpan !== null && kept.length > 1 && (
        <button className="fix tall" onClick={() => actions.dropSpan(chosenSpan)}>
          Drop span {chosenSpan + 1}
        </button>
      )}
      {chosenSpan !== null && chosenSpan > 0 && (
        <button className="fix tall" onClick={() => actions.move(chosenSpan, 0)}>
          Play it first
        </button>
      )}
    </>
  );
}

/** The edge in the hand, or the keys that take one. */
function EdgeWords() {
  const { work, change, rate, frames, actions } = useTiming();
  const { edge } = actions;
  if (!change) return <>[ and ] for the shots, ? for all keys</>;
  if (!edge) return <>d keeps or drops, x splits, i and o set in and out, e takes an edge, ? for all keys</>;
  const span = work.kept[edge.index]!;
  return (
    <>
      The {edge.side === 'from' ? 'start' : 'end'} of span {edge.index + 1} is in hand at{' '}
      <EditableTime
        label="Edge"
        frame={span[edge.side]}
        rate={rate}
        min={0}
        max={frames}
        onChange={(frame) => actions.trim(edge, frame)}
      />
      : ← → trims it, with shift by ten; r moves the join
    </>
  );
}

/** The film along its length: shots, what is kept, the sound, troubles. */
export function TimingScore() {
  const { master, work, change, frames, rate, shots, shot, chosenSpan, shown, actions, advice } = useTiming();
  const keptBox = useRef<HTMLDivElement>(null);
  const edges = useMemo(() => work.kept.flatMap((s) => [s.from, s.to]), [work.kept]);
  return (
    <div className="score">
      <div className="transportline">
        <Transport master={master} shot={shot} />
        <span className="quiet">
          of <span className="mono">{frameToTimecode(frames, rate)}</span>
        </span>
        {change && <CutTools />}
        <span className="quiet clip hint">
          <EdgeWords />
        </span>
      </div>
      <div className="labels">
        <span className="ruled">Film</span>
        <span className="shots">Shots</span>
        <span className="kept">Kept</span>
        <span className="sound">Sound</span>
        <span className="troubles">Troubles</span>
      </div>
      <Score master={master} edges={edges} {...(actions.edge ? { onArrow: actions.nudge } : {})}>
        <ShotRow master={master} shots={shots} chosen={shot} />
        <KeptRow
          kept={work.kept}
          frames={frames}
          chosen={change && chosenSpan}
          edge={actions.edge}
          marks={actions.marks}
          going={advice.going.map((a) => a.span)}
          box={keptBox}
          onTake={change ? actions.takeEdge : null}
          onTrim={actions.trim}
        />
        <LevelRow along={advice.along.data} frames={frames} />
        <TroubleRow troubles={shown?.planned?.troubles ?? []} frames={frames} />
      </Score>
    </div>
  );
}
