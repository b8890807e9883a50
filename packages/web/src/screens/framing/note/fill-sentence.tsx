import type { Fill, Move } from '@mivvy/core';
import { Choice } from '../../../parts/choice.tsx';
import { EditableNumber } from '../../../parts/editable.tsx';
import { useFraming } from '../framing-session.tsx';
import { moveWords } from '../../../parts/move-words.ts';
import { moveTo, type ShotEditor } from '../shot-editor.ts';

/** The words of each way to fill the frame, and what it is when it is chosen anew. */
const fillKinds: {
  [Kind in Fill['kind']]: {
    words: string;
    name: string;
    more?: string;
    make: (shot: ShotEditor) => Extract<Fill, { kind: Kind }>;
  };
} = {
  filled: { words: 'fills the frame', name: 'fills the frame', make: () => ({ kind: 'filled' }) },
  bars: {
    words: 'stands whole, with bars',
    name: 'stands whole, with bars',
    more: 'in a colour of your choice',
    make: () => ({ kind: 'bars', colour: '#000000' }),
  },
  soft: {
    words: 'stands whole, over a soft copy',
    name: 'stands whole, over a soft copy of itself',
    make: () => ({ kind: 'soft' }),
  },
  stacked: {
    words: 'is stacked in two windows',
    name: 'is stacked: two windows, one above the other',
    more: 'for two people in a tall frame',
    make: (shot) => ({
      kind: 'stacked',
      divide: 0.5,
      lower: { kind: 'hold', pose: shot.poseOf('upper') },
    }),
  },
};
const fillOptions = (Object.keys(fillKinds) as Fill['kind'][]).map((value) => {
  const { name, more } = fillKinds[value];
  return { value, name, ...(more ? { more } : {}) };
});
const moveOptions = (Object.keys(moveWords) as Move['kind'][]).map((value) => ({
  value,
  name: moveWords[value].words,
  more: moveWords[value].more,
}));

/** How the picture fills the frame, and how its window moves. */
export function FillSentence() {
  const { clip, panel, setPanel, edit, following } = useFraming();
  const { fill } = clip;
  const movable = fill.kind === 'filled' || fill.kind === 'stacked';
  const move = panel === 'lower' && fill.kind === 'stacked' ? fill.lower : clip.move;
  return (
    <p>
      The picture{' '}
      <Choice
        label="Filling"
        value={fill.kind}
        shown={fillKinds[fill.kind].words}
        options={fillOptions}
        onChange={(kind) => edit((now) => now.withFill(fillKinds[kind].make(now)))}
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
              onChange={(event) => edit((now) => now.withFill({ kind: 'bars', colour: event.target.value }))}
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
            onChange={(v) => edit((now) => now.withFill({ ...fill, divide: v / 100 }))}
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
      {movable && (
        <>
          {' '}
          {fill.kind === 'filled' && 'and '}
          <Choice
            label="Movement"
            value={move.kind}
            shown={moveWords[move.kind].words}
            options={moveOptions}
            onChange={(kind) =>
              kind === 'follow'
                ? following.run()
                : edit((now) => now.withMove(panel, moveTo(kind, now, panel)))
            }
          />
        </>
      )}
      .
    </p>
  );
}
