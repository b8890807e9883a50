import type { ReactNode } from 'react';
import { withoutKey, type Move, type MoveOf } from '@mivvy/core';
import { Choice } from '../../../parts/choice.tsx';
import { EditableNumber } from '../../../parts/editable.tsx';
import { useFraming, useShotEditor } from '../framing-session.tsx';
import { joined } from '../../../parts/joined.ts';

/** A place in the shot at the head, to go to; `offset` frames into it. */
function GoTo({ offset, label, children }: { offset: number; label: string; children: ReactNode }) {
  const { unit, seek } = useFraming();
  const last = unit.to - unit.from - 1;
  return (
    <button
      className="fix"
      aria-label={label}
      onClick={() => seek(unit.from + Math.max(0, Math.min(last, offset)))}
    >
      {children}
    </button>
  );
}

/** When a glide starts and arrives, and how. */
function GlideSentence({ move }: { move: MoveOf<'glide'> }) {
  const { panel, unit, edit } = useFraming();
  const length = unit.to - unit.from;
  const set = (next: Move) => edit((now) => now.withMove(panel, next));
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
        onChange={(v) => set({ ...move, start: Math.round(v) })}
      />{' '}
      of the shot and arrives at{' '}
      <EditableNumber
        label="Glide arrives"
        value={move.end}
        shown={move.end}
        min={move.start + 1}
        max={Math.max(move.start + 1, length - 1)}
        unit="frames into the shot"
        onChange={(v) => set({ ...move, end: Math.round(v) })}
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
        onChange={(ease) => set({ ...move, ease })}
      />
      . Go to{' '}
      <GoTo offset={move.start} label="Go to the glide’s start">
        where it starts
      </GoTo>{' '}
      or{' '}
      <GoTo offset={move.end} label="Go to the glide’s end">
        where it ends
      </GoTo>{' '}
      and move the window.{' '}
      <button className="fix" onClick={() => set({ ...move, a: move.b, b: move.a })}>
        Turn it round
      </button>
      {joined}.
    </p>
  );
}

/** The keyframes of a path. */
function PathSentence({ move }: { move: MoveOf<'path'> }) {
  const { panel, edit } = useFraming();
  const shot = useShotEditor();
  const here = move.keys.some((k) => k.at === shot.at);
  return (
    <p>
      {move.keys.length === 1 ? 'One keyframe' : `${move.keys.length} keyframes`}
      {move.keys.length < 12 && (
        <>
          , at{' '}
          {move.keys.map((k, i) => (
            <span key={k.at}>
              {i > 0 && ', '}
              <GoTo offset={k.at} label={`Go to the keyframe at ${k.at}`}>
                {k.at}
              </GoTo>
            </span>
          ))}
        </>
      )}
      .{' '}
      {here ? (
        <button
          className="fix"
          disabled={move.keys.length < 2}
          onClick={() => edit((now) => now.withMove(panel, withoutKey(now.moveOf(panel), now.at)))}
        >
          Remove the one here
        </button>
      ) : (
        <button className="fix" onClick={() => edit((now) => now.withPose(panel, now.poseOf(panel)))}>
          Set one here
        </button>
      )}
      .
    </p>
  );
}

/** The sentence in which a kind's own numbers can be changed; null where it has none. */
const sentences: { [Kind in Move['kind']]: ((props: { move: MoveOf<Kind> }) => ReactNode) | null } = {
  hold: null,
  glide: GlideSentence,
  path: PathSentence,
  follow: null,
};

/** How the window at hand moves, with the times and keyframes that can be changed. */
export function MoveSentence() {
  const { panel, clip } = useFraming();
  const move = panel === 'lower' && clip.fill.kind === 'stacked' ? clip.fill.lower : clip.move;
  // The table's own type says that a kind's sentence takes a move of that kind.
  const Sentence = sentences[move.kind] as ((props: { move: Move }) => ReactNode) | null;
  return Sentence && <Sentence move={move} />;
}
