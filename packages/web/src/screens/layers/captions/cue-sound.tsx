import { useMemo, useRef, useState } from 'react';
import { fps, frameToSeconds, nearestFrame, retimeCue, type EditedCue } from '@mivvy/core';
import { useAlong } from '../../../api/queries.ts';
import { useDesk, useHeadPart } from '../../../play/use-desk.tsx';
import styles from '../layers.module.css';
import { useLayers } from '../layers-session.tsx';
import { soundAround, soundPeaks } from './sound-around.ts';
import { useTrack } from './track.ts';
import { useWave } from './use-wave.ts';

/** What is heard around the cue at hand: its ends are drawn along what is said, and a click takes the play head there. */
export function CueSound({ cue, index }: { cue: EditedCue; index: number }) {
  const { master } = useLayers();
  const [, setCues] = useTrack();
  const levels = useAlong(master).data?.levels;
  const desk = useDesk();
  const head = useHeadPart('frame');
  const { rate, frames } = master.facts!.video;
  const seconds = frameToSeconds(frames, rate);
  // It stays where it is while the cue is drawn inside it, so that nothing runs away from the hand.
  const [part, setPart] = useState(() => soundAround(cue, seconds));
  if (cue.from < part.from || cue.to > part.to) setPart(soundAround(cue, seconds));
  const peaks = useMemo(() => (levels ? soundPeaks(levels, part, fps(rate)) : null), [levels, part, rate]);
  const box = useRef<HTMLDivElement>(null);
  const frameAt = (at: number) => nearestFrame(part.from + at, rate);
  useWave(box, peaks, part.to - part.from, {
    mark: { from: cue.from - part.from, to: cue.to - part.from },
    head: frameToSeconds(head, rate) - part.from,
    onSeek: (at) => {
      desk.pause();
      desk.seek(Math.min(frames - 1, frameAt(at)));
    },
    onMarked: ({ from, to }) =>
      setCues((now) =>
        retimeCue(now, index, {
          from: frameToSeconds(frameAt(from), rate),
          to: frameToSeconds(frameAt(to), rate),
        }),
      ),
  });
  if (levels === null) return null;
  return <div ref={box} className={styles.sound} role="img" aria-label={`Sound around cue ${index + 1}`} />;
}
