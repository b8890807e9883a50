import Button from '@mui/material/Button';
import Dialog from '@mui/material/Dialog';
import DialogActions from '@mui/material/DialogActions';
import DialogContent from '@mui/material/DialogContent';
import Slider from '@mui/material/Slider';
import { useCallback, useEffect, useRef, useState } from 'react';
import { fps, frameToTimecode, type Rate } from '@mivvy/core';
import type { Deliverable } from '@mivvy/api';
import { useReport } from '../../api/queries.ts';
import { momentWords } from '../../parts/days.ts';
import styles from './compare-makings.module.css';

/** Two pictures count as different where their levels differ by more than this on average, of 255: coding alone does less. */
const differsAbove = 6;
/** Pictures are compared at this width, pixels: a shifted window shows, and grain does not. */
const comparedWidth = 96;

const urlOf = (file: Deliverable) => `/api/deliverables/${file.id}/file?inline=1`;

/** Resolves when a film shows another frame. */
const sought = (video: HTMLVideoElement, seconds: number) =>
  new Promise<void>((resolve) => {
    video.addEventListener('seeked', () => resolve(), { once: true });
    video.currentTime = seconds;
  });

/** A film's picture, small, as levels of red, green and blue. */
function levelsOf(video: HTMLVideoElement): Uint8ClampedArray {
  const canvas = document.createElement('canvas');
  canvas.width = comparedWidth;
  canvas.height = Math.max(1, Math.round((comparedWidth * video.videoHeight) / video.videoWidth));
  const context = canvas.getContext('2d', { willReadFrequently: true })!;
  context.drawImage(video, 0, 0, canvas.width, canvas.height);
  return context.getImageData(0, 0, canvas.width, canvas.height).data;
}

function meanDifference(a: Uint8ClampedArray, b: Uint8ClampedArray): number {
  let sum = 0;
  for (let i = 0; i < a.length; i++) sum += Math.abs(a[i]! - b[i]!);
  return (sum * 4) / (3 * a.length);
}

/** Looks through both films, four times a second, for where their pictures differ. */
function useDifferences(urls: [string, string], rate: Rate | undefined) {
  const [found, setFound] = useState<{ spans: { from: number; to: number }[]; done: boolean }>({
    spans: [],
    done: false,
  });
  const [first, second] = urls;
  useEffect(() => {
    if (!rate) return;
    let gone = false;
    const [a, b] = [document.createElement('video'), document.createElement('video')];
    const ready = (video: HTMLVideoElement, url: string) =>
      new Promise<void>((resolve) => {
        video.muted = true;
        video.preload = 'auto';
        video.addEventListener('loadeddata', () => resolve(), { once: true });
        video.src = url;
      });
    void (async () => {
      await Promise.all([ready(a, first), ready(b, second)]);
      const spans: { from: number; to: number }[] = [];
      const step = Math.max(1, Math.round(fps(rate) / 4));
      const frames = Math.floor(Math.min(a.duration, b.duration) * fps(rate));
      for (let frame = 0; frame < frames && !gone; frame += step) {
        // The middle of a frame: its edges belong to two.
        const at = (frame + 0.5) / fps(rate);
        await Promise.all([sought(a, at), sought(b, at)]);
        const [one, other] = [levelsOf(a), levelsOf(b)];
        if (one.length !== other.length || meanDifference(one, other) > differsAbove) {
          const last = spans.at(-1);
          if (last && last.to === frame) last.to = frame + step;
          else spans.push({ from: frame, to: frame + step });
        }
        if (!gone) setFound({ spans: spans.map((span) => ({ ...span })), done: false });
      }
      if (!gone) setFound({ spans, done: true });
    })();
    return () => {
      gone = true;
      for (const video of [a, b]) video.removeAttribute('src');
    };
  }, [first, second, rate]);
  return found;
}

/** Two makings of one version under one play head: a line wipes from one to the other. */
export function CompareMakings({
  now,
  before,
  onClose,
}: {
  now: Deliverable;
  before: Deliverable;
  onClose: () => void;
}) {
  const report = useReport(now.id);
  const rate = report.data?.measured.video.rate;
  const [wipe, setWipe] = useState(50);
  const [at, setAt] = useState(0);
  const [length, setLength] = useState(0);
  const [front, back] = [useRef<HTMLVideoElement>(null), useRef<HTMLVideoElement>(null)];
  const urls: [string, string] = [urlOf(before), urlOf(now)];
  const differences = useDifferences(urls, rate);
  const seek = useCallback(
    (seconds: number) => {
      setAt(seconds);
      for (const video of [front.current, back.current]) if (video) video.currentTime = seconds;
    },
    [front, back],
  );
  const playing = () => front.current !== null && !front.current.paused;
  const play = () => {
    const films = [front.current, back.current].filter((v) => v !== null);
    if (playing()) for (const film of films) film.pause();
    else for (const film of films) void film.play();
  };
  const words = (frame: number) => (rate ? frameToTimecode(frame, rate) : '');
  return (
    <Dialog open onClose={onClose} maxWidth="md" fullWidth aria-labelledby="compare-title">
      <DialogContent>
        <h2 id="compare-title" className={styles.title}>
          Made {momentWords(before.madeAt)}, beside {momentWords(now.madeAt)}
        </h2>
        <div className={`well ${styles.stage}`}>
          <video ref={back} src={urls[1]} muted playsInline preload="auto" />
          <video
            ref={front}
            src={urls[0]}
            muted
            playsInline
            preload="auto"
            style={{ clipPath: `inset(0 ${100 - wipe}% 0 0)` }}
            onLoadedMetadata={(event) => setLength(event.currentTarget.duration)}
            onTimeUpdate={(event) => setAt(event.currentTarget.currentTime)}
          />
          <i className={styles.line} style={{ left: `${wipe}%` }} aria-hidden />
        </div>
        <div className={styles.bars}>
          <label htmlFor="wipe">Earlier on the left of the line</label>
          <Slider
            id="wipe"
            size="small"
            value={wipe}
            aria-label="Where the line stands"
            onChange={(_event, value) => setWipe(value)}
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
        <p role="status">
          {!differences.done && 'Looking through both … '}
          {differences.spans.length > 0
            ? 'The pictures differ at '
            : differences.done
              ? `No picture differs by more than ${differsAbove} levels of 255 on average (looked at four times a second).`
              : ''}
          {differences.spans.map((span) => (
            <button
              key={span.from}
              className={`fix tall mono ${styles.span}`}
              onClick={() => rate && seek((span.from + 0.5) / fps(rate))}
            >
              {words(span.from)}–{words(span.to)}
            </button>
          ))}
        </p>
      </DialogContent>
      <DialogActions sx={{ p: 2 }}>
        <Button onClick={play}>Play or pause</Button>
        <Button variant="contained" onClick={onClose}>
          Close
        </Button>
      </DialogActions>
    </Dialog>
  );
}
