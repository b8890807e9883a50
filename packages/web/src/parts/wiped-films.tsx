import Slider from '@mui/material/Slider';
import { useImperativeHandle, useRef, useState, type Ref } from 'react';
import styles from './wiped-films.module.css';

/** What can be done with two films that lie over each other. */
export interface WipedFilmsHandle {
  /** Seconds. */
  seek: (seconds: number) => void;
  playOrPause: () => void;
}

/** Two films of the same frames under one play head, one over the other: a line wipes from one to the other. */
export function WipedFilms({
  ref,
  urls: [leftUrl, rightUrl],
  lineLabel,
  whole = false,
}: {
  ref: Ref<WipedFilmsHandle>;
  /** On the left of the line, and on the right. */
  urls: readonly [string, string];
  lineLabel: string;
  /** Pixel for pixel, to be scrolled, rather than fitted into what room there is. */
  whole?: boolean;
}) {
  const left = useRef<HTMLVideoElement>(null);
  const right = useRef<HTMLVideoElement>(null);
  /** Percent of the width that shows the left one. */
  const [line, setLine] = useState(50);
  const [at, setAt] = useState(0);
  const [length, setLength] = useState(0);
  const seek = (seconds: number) => {
    setAt(seconds);
    for (const video of [left.current, right.current]) if (video) video.currentTime = seconds;
  };
  const playOrPause = () => {
    const films = [left.current, right.current].filter((v) => v !== null);
    const playing = left.current !== null && !left.current.paused;
    if (playing) for (const film of films) film.pause();
    else for (const film of films) void film.play();
  };
  useImperativeHandle(ref, () => ({ seek, playOrPause }));
  return (
    <>
      <div className={`well ${styles.stage} ${whole ? styles.whole : ''}`}>
        <div className={styles.films}>
          <video ref={right} src={rightUrl} muted playsInline preload="auto" />
          <video
            ref={left}
            src={leftUrl}
            muted
            playsInline
            preload="auto"
            style={{ clipPath: `inset(0 ${100 - line}% 0 0)` }}
            onLoadedMetadata={(event) => setLength(event.currentTarget.duration)}
            onTimeUpdate={(event) => setAt(event.currentTarget.currentTime)}
          />
          <i className={styles.line} style={{ left: `${line}%` }} aria-hidden />
        </div>
      </div>
      <div className={styles.bars}>
        <label htmlFor="wipe">{lineLabel}</label>
        <Slider
          id="wipe"
          size="small"
          value={line}
          aria-label="Where the line stands"
          onChange={(_event, value) => setLine(value)}
        />
        <label htmlFor="head">At</label>
        <Slider
          id="head"
          size="small"
          min={0}
          max={length || 1}
          step={0.04}
          value={at}
          aria-label="Play head"
          onChange={(_event, value) => seek(value)}
        />
      </div>
    </>
  );
}
