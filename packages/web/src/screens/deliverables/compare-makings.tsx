import Button from '@mui/material/Button';
import Dialog from '@mui/material/Dialog';
import DialogActions from '@mui/material/DialogActions';
import DialogContent from '@mui/material/DialogContent';
import { useEffect, useRef, useState } from 'react';
import { fps, frameToTimecode, type Rate } from '@mivvy/core';
import type { Deliverable } from '@mivvy/api';
import { useReport } from '../../api/queries.ts';
import { momentWords } from '../../parts/days.ts';
import { WipedFilms, type WipedFilmsHandle } from '../../parts/wiped-films.tsx';
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
  const films = useRef<WipedFilmsHandle>(null);
  const urls: [string, string] = [urlOf(before), urlOf(now)];
  const differences = useDifferences(urls, rate);
  const words = (frame: number) => (rate ? frameToTimecode(frame, rate) : '');
  return (
    <Dialog open onClose={onClose} maxWidth="md" fullWidth aria-labelledby="compare-title">
      <DialogContent>
        <h2 id="compare-title" className={styles.title}>
          Made {momentWords(before.madeAt)}, beside {momentWords(now.madeAt)}
        </h2>
        <WipedFilms ref={films} urls={urls} lineLabel="Earlier on the left of the line" />
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
              onClick={() => rate && films.current?.seek((span.from + 0.5) / fps(rate))}
            >
              {words(span.from)}–{words(span.to)}
            </button>
          ))}
        </p>
      </DialogContent>
      <DialogActions sx={{ p: 2 }}>
        <Button onClick={() => films.current?.playOrPause()}>Play or pause</Button>
        <Button variant="contained" onClick={onClose}>
          Close
        </Button>
      </DialogActions>
    </Dialog>
  );
}
