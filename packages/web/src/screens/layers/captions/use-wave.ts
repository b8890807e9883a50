import { useEffect, useRef, useState, type RefObject } from 'react';
import WaveSurfer from 'wavesurfer.js';
import RegionsPlugin, { type Region } from 'wavesurfer.js/plugins/regions';
import type { Seconds } from './sound-around.ts';

/** Height of the sound's picture, screen pixels. */
const height = 54;
/** A mark that is drawn shorter than this cannot be held any more, seconds. */
const shortest = 0.1;

/** A colour of the theme, for what is drawn on a canvas. */
const themed = (name: string): string =>
  getComputedStyle(document.documentElement).getPropertyValue(name).trim();

/** What is done in a sound's picture, in seconds from its start. */
interface WaveHandlers {
  onSeek: (seconds: number) => void;
  onMarked: (mark: Seconds) => void;
}

/**
 * The picture of some seconds of sound in an element, with a mark whose ends can be drawn, and a head.
 *
 * @param peaks evenly over its seconds, 0 to 1; null for none yet
 */
export function useWave(
  box: RefObject<HTMLDivElement | null>,
  peaks: number[] | null,
  seconds: number,
  { mark, head, ...handlers }: { mark: Seconds; head: number } & WaveHandlers,
): void {
  const latest = useRef<WaveHandlers>(handlers);
  useEffect(() => {
    latest.current = handlers;
  });
  const [shown, setShown] = useState<{ wave: WaveSurfer; region: Region } | null>(null);
  useEffect(() => {
    if (!box.current || !peaks?.length) return undefined;
    const regions = RegionsPlugin.create();
    const wave = WaveSurfer.create({
      container: box.current,
      height,
      peaks: [peaks],
      duration: seconds,
      waveColor: themed('--ink2'),
      progressColor: themed('--ink2'),
      cursorColor: themed('--brick'),
      cursorWidth: 2,
      barWidth: 2,
      barGap: 1,
      hideScrollbar: true,
      plugins: [regions],
    });
    wave.on('interaction', (at) => latest.current.onSeek(at));
    regions.on('region-updated', ({ start, end }) => latest.current.onMarked({ from: start, to: end }));
    wave.on('ready', () => {
      const color = `color-mix(in srgb, ${themed('--teal')} 26%, transparent)`;
      setShown({ wave, region: regions.addRegion({ start: 0, end: shortest, color, minLength: shortest }) });
    });
    return () => {
      setShown(null);
      wave.destroy();
    };
  }, [box, peaks, seconds]);
  useEffect(() => {
    shown?.region.setOptions({ start: mark.from, end: mark.to });
  }, [shown, mark.from, mark.to]);
  useEffect(() => {
    shown?.wave.setTime(Math.min(seconds, Math.max(0, head)));
  }, [shown, head, seconds]);
}
