import { aspectLabel, durationLabel, shapeWord, sizeLabel, type Placement } from '@mivvy/core';
import styles from './places.module.css';

/** A frame's shape, drawn small and to scale. */
export function ShapeMark({ frame, size = 34 }: { frame: { width: number; height: number }; size?: number }) {
  const k = size / Math.max(frame.width, frame.height);
  return (
    <span className={styles.shape} style={{ width: size, height: size }} aria-hidden>
      <span style={{ width: Math.max(6, frame.width * k), height: Math.max(6, frame.height * k) }} />
    </span>
  );
}

/** A placement's numbers in one quiet line. */
export function placementLine(placement: Placement): string {
  const { frame, duration, frameRate } = placement;
  return [
    `${shapeWord(frame)} ${aspectLabel(frame)}`,
    sizeLabel(frame),
    duration?.maxSeconds !== undefined ? `at most ${durationLabel(duration.maxSeconds)}` : null,
    frameRate?.max ? `at most ${frameRate.max} fps` : null,
    placement.audio === null ? 'silent' : null,
  ]
    .filter(Boolean)
    .join(' · ');
}
