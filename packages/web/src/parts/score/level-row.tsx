import { memo, useMemo } from 'react';
import { curveBetween, levelsOfDetail, type FrameSpan } from '@mivvy/core';
import type { FilmActivity } from '@mivvy/api';
import { at, inView, useScoreScale } from './score-view.tsx';

/** How many points the loudness is drawn with, over what is in view. */
const levelPoints = 700;
/** Quieter than this is drawn as nothing, dB below full scale. */
const floorDb = -60;

/** Loudness along the film, with where somebody speaks and where nothing is heard; drawn where it is in view. */
export const LevelRow = memo(function LevelRow({
  along,
  frames,
}: {
  along: FilmActivity | undefined;
  frames: number;
}) {
  const scale = useScoreScale();
  const { view } = scale;
  const levels = along?.levels;
  const detail = useMemo(() => (levels?.length ? levelsOfDetail(levels) : null), [levels]);
  const path = useMemo(() => {
    if (!detail) return null;
    const points = curveBetween(detail, view.from, view.to, levelPoints).map(({ at: frame, value }) => {
      const x = ((frame - view.from) / (view.to - view.from)) * 1000;
      const loud = Math.max(floorDb, value);
      return { x: x.toFixed(1), y: (30 - (30 * (loud - floorDb)) / -floorDb).toFixed(1) };
    });
    const [first, last] = [points[0], points.at(-1)];
    if (!first || !last) return null;
    return `M${first.x},30L${points.map((p) => `${p.x},${p.y}`).join('L')}L${last.x},30Z`;
  }, [detail, view]);
  const marks = (spans: readonly FrameSpan[] | undefined, kind: 'speech' | 'silence', title: string) =>
    spans
      ?.filter((s) => inView(scale, s.from, s.to))
      .map((s) => (
        <u
          key={s.from}
          className={kind}
          style={{ left: at(s.from, frames), width: at(s.to - s.from, frames) }}
          title={title}
        />
      ));
  return (
    <div className="levelrow" aria-hidden>
      {along && !levels && <span className="quiet">This film has no sound.</span>}
      {path && (
        <svg
          viewBox="0 0 1000 30"
          preserveAspectRatio="none"
          style={{ left: at(view.from, frames), width: at(view.to - view.from, frames) }}
        >
          <path d={path} />
        </svg>
      )}
      {marks(along?.speech, 'speech', 'Speech')}
      {marks(along?.silences, 'silence', 'Silence')}
    </div>
  );
});
