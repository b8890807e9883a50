import Slider from '@mui/material/Slider';
import { useCallback, useRef, useState, type RefObject } from 'react';
import styles from './wiped-films.module.css';

/** Two films under one play head, and where the line between them stands. */
export interface Wipe {
  left: RefObject<HTMLVideoElement | null>;
  right: RefObject<HTMLVideoElement | null>;
  /** Percent of the width that shows the left one. */
  line: number;
  setLine: (line: number) => void;
  /** Seconds. */
  at: number;
  setAt: (seconds: number) => void;
  length: number;
  setLength: (seconds: number) => void;
  seek: (seconds: number) => void;
  playOrPause: () => void;
}

/** Keeps two films in step. */
export function useWipe(): Wipe {
  const [left, right] = [useRef<HTMLVideoElement>(null), useRef<HTMLVideoElement>(null)];
  const [line, setLine] = useState(50);
  const [at, setAt] = useState(0);
  const [length, setLength] = useState(0);
  const seek = useCallback(
    (seconds: number) => {
      setAt(seconds);
      for (const video of [left.current, right.current]) if (video) video.currentTime = seconds;
    },
    [left, right],
  );
  const playOrPause = () => {
    const films = [left.current, right.current].filter((v) => v !== null);
    const playing = left.current !== null && !left.current.paused;
    if (playing) for (const film of films) film.pause();
    else for (const film of films) void film.play();
  };
  return { left, right, line, setLine, at, setAt, length, setLength, seek, playOrPause };
}

/** Two films of the same frames, one over the other: a line wipes from one to the other. */
export function WipedFilms({
  wipe,
  urls: [leftUrl, rightUrl],
  lineLabel,
  whole = false,
}: {
  wipe: Wipe;
  /** On the left of the line, and on the right. */
  urls: readonly [string, string];
  lineLabel: string;
  /** Pixel for pixel, to be scrolled, rather than fitted into what room there is. */
  whole?: boolean;
}) {
  return (
    <>
      <div className={`well ${styles.stage} ${whole ? styles.whole : ''}`}>
        <div className={styles.films}>
          <video ref={wipe.right} src={rightUrl} muted playsInline preload="auto" />
          <video
            ref={wipe.left}
            src={leftUrl}
            muted
            playsInline
            preload="auto"
            style={{ clipPath: `inset(0 ${100 - wipe.line}% 0 0)` }}
            onLoadedMetadata={(event) => wipe.setLength(event.currentTarget.duration)}
            onTimeUpdate={(event) => wipe.setAt(event.currentTarget.currentTime)}
          />
          <i className={styles.line} style={{ left: `${wipe.line}%` }} aria-hidden />
        </div>
      </div>
      <div className={styles.bars}>
        <label htmlFor="wipe">{lineLabel}</label>
        <Slider
          id="wipe"
          size="small"
          value={wipe.line}
          aria-label="Where the line stands"
          onChange={(_event, value) => wipe.setLine(value)}
        />
        <label htmlFor="head">At</label>
        <Slider
          id="head"
          size="small"
          min={0}
          max={wipe.length || 1}
          step={0.04}
          value={wipe.at}
          aria-label="Play head"
          onChange={(_event, value) => wipe.seek(value)}
        />
      </div>
    </>
  );
}
