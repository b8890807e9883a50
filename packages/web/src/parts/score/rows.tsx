import { memo } from 'react';
import {
  dropFrames,
  filled,
  isPlaced,
  type FrameSpan,
  type Framing,
  type Keep,
  type Trouble,
} from '@mivvy/core';
import { moveWords } from '../move-words.ts';
import { at, inView, useScoreScale } from './score-view.tsx';

const place = (span: FrameSpan, frames: number) => ({
  left: at(span.from, frames),
  width: at(span.to - span.from, frames),
});

/** What a cut leaves out, hatched over all rows. */
export const Dropped = memo(function Dropped({
  kept,
  frames,
}: {
  kept: readonly FrameSpan[];
  frames: number;
}) {
  const scale = useScoreScale();
  return dropFramesOf(kept, frames)
    .filter((s) => inView(scale, s.from, s.to))
    .map((s) => <div key={s.from} className="dropped" style={place(s, frames)} aria-hidden />);
});
const dropFramesOf = (kept: readonly FrameSpan[], frames: number) =>
  kept.reduce<FrameSpan[]>((left, s) => dropFrames(left, s), [{ from: 0, to: frames }]);

/** What must stay visible, along the film. */
export function KeepRow({ keeps, frames }: { keeps: readonly Keep[]; frames: number }) {
  const scale = useScoreScale();
  return (
    <div className="keeprow" aria-hidden>
      {keeps.map((k, i) =>
        inView(scale, k.span.from, k.span.to) ? (
          <div key={k.id} title={k.name} style={{ ...place(k.span, frames), top: (i % 2) * 9 }} />
        ) : null,
      )}
    </div>
  );
}

/** Troubles along the film. */
export function TroubleRow({ troubles, frames }: { troubles: readonly Trouble[]; frames: number }) {
  const scale = useScoreScale();
  return (
    <div className="strip tall" aria-hidden>
      {troubles
        .filter((t) => isPlaced(t) && inView(scale, t.span.from, t.span.to))
        .map((t, i) => (
          <b
            key={`${t.code} ${t.span.from} ${i}`}
            className={t.severity}
            title={t.sentence}
            style={place(t.span, frames)}
          />
        ))}
    </div>
  );
}

/** How a shot is framed, in a word: for the shots row. */
export function moveWord(framing: Framing, from: number): string {
  const stretch = framing.stretches.findLast((s) => s.from <= from)!;
  const fill = stretch.fill ?? filled;
  if (fill.kind === 'bars') return 'bars';
  if (fill.kind === 'soft') return 'whole';
  if (fill.kind === 'stacked') return 'stacked';
  return `${moveWords[stretch.move.kind].short}${stretch.locked ? ', locked' : ''}`;
}
