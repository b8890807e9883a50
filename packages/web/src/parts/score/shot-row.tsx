import { memo, useMemo, type ReactNode } from 'react';
import { countWords, groupNarrow, middleOfSpan, shotSpans, type FrameSpan, type Shot } from '@mivvy/core';
import type { Master } from '@mivvy/api';
import { useStill } from '../stills.ts';
import { at, inView, useScoreScale } from './score-view.tsx';

/** Shots narrower than this are drawn in groups, screen pixels: they could not be told apart or hit. */
const narrowest = 12;
/** Narrower than this, a shot or a group has no room for its number. */
const numbered = 16;
/** From this on there is room for a word beside the number. */
const wordy = 64;
/** Height of the row, screen pixels: what makes pictures as wide as they are. */
const rowHeight = 46;

/** The shots of a film along its length, with pictures of each; words say how each is framed. */
export const ShotRow = memo(function ShotRow({
  master,
  shots,
  chosen,
  words,
}: {
  master: Master;
  shots: readonly Shot[];
  chosen?: FrameSpan | undefined;
  words?: ((shot: number) => string) | undefined;
}) {
  const scale = useScoreScale();
  const { frames, pixelsPerFrame } = scale;
  const spans = useMemo(() => shotSpans(shots, frames), [shots, frames]);
  const groups = useMemo(() => groupNarrow(spans, narrowest / pixelsPerFrame), [spans, pixelsPerFrame]);
  const shown = groups.filter((g) => inView(scale, g.from, g.to));
  return (
    <div className="shotrow" aria-hidden>
      {shown.map((group) => {
        const wide = (group.to - group.from) * pixelsPerFrame;
        const place = { left: at(group.from, frames), width: at(group.to - group.from, frames) };
        if (group.count > 1)
          return (
            <div key={group.from} className="group" style={place} title={countWords(group.count, 'shot')}>
              {wide >= numbered && <span>{group.count}</span>}
            </div>
          );
        return (
          <div key={group.from} className="shot" style={place}>
            <FilmStrip master={master} span={group} />
            {wide >= numbered && (
              <span>
                {group.first + 1}
                {words && wide > wordy ? ` ${words(group.first)}` : ''}
              </span>
            )}
          </div>
        );
      })}
      {chosen && (
        <div
          className="chosen"
          style={{ left: at(chosen.from, frames), width: at(chosen.to - chosen.from, frames) }}
        />
      )}
    </div>
  );
});

/** The pictures of one shot along its length, each in its own shape: as many as have room. */
function FilmStrip({ master, span }: { master: Master; span: FrameSpan }) {
  const scale = useScoreScale();
  const { view, pixelsPerFrame } = scale;
  const { width, height } = master.facts?.video.displayed ?? { width: 16, height: 9 };
  const pictureWidth = Math.max(12, (rowHeight * width) / height);
  const each = pictureWidth / pixelsPerFrame;
  const length = span.to - span.from;
  if (length <= each) return <Still master={master} frame={middleOfSpan(span)} left="0" width="100%" />;
  // Frames are taken from a grid, so that every little zoom does not ask for new pictures.
  const grid = Math.max(1, 2 ** Math.floor(Math.log2(Math.max(1, each / 2))));
  const pictures: ReactNode[] = [];
  const first = Math.max(0, Math.floor((view.from - span.from) / each));
  for (let k = first; k * each < length && span.from + k * each < view.to; k++) {
    const middle = Math.min(span.to - 1, span.from + (k + 0.5) * each);
    const frame = Math.max(span.from, Math.min(span.to - 1, Math.round(middle / grid) * grid));
    pictures.push(
      <Still
        key={k}
        master={master}
        frame={frame}
        left={`${((k * each) / length) * 100}%`}
        width={`${(Math.min(each, length - k * each) / length) * 100}%`}
        pictureWidth={pictureWidth}
      />,
    );
  }
  return pictures;
}

function Still({
  master,
  frame,
  left,
  width,
  pictureWidth,
}: {
  master: Master;
  frame: number;
  left: string;
  width: string;
  /** The picture's own width where it is one of several; else it fills its place, cut at the sides. */
  pictureWidth?: number;
}) {
  const still = useStill(master.id, master.fileGeneration, frame);
  const backgroundSize = pictureWidth ? `${pictureWidth}px 100%` : 'cover';
  return <div className="still" style={{ left, width, backgroundImage: still, backgroundSize }} />;
}
