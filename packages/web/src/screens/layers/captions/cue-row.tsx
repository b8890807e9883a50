import { lazy, Suspense } from 'react';
import {
  countCharacters,
  countWords,
  frameToSeconds,
  joinCues,
  nearestFrame,
  paceValue,
  retimeCue,
  splitCue,
  usualReading,
  type EditedCue,
  type ReadingLimits,
} from '@mivvy/core';
import { EditableTime } from '../../../parts/editable-time.tsx';
import { cutOf } from '../../../parts/versions.ts';
import { useDesk } from '../../../play/use-desk.tsx';
import styles from '../layers.module.css';
import { useLayers } from '../layers-session.tsx';
import { breaksIn, linesIn } from './breaks.ts';
import { useTrack } from './track.ts';

/** Drawn once a cue is opened. */
const CueSound = lazy(() => import('./cue-sound.tsx').then((m) => ({ default: m.CueSound })));

/** What cannot be read in time of a cue, in words; empty where all of it can. */
function faultOf(cue: EditedCue, pace: number, { speed: most, shortest }: ReadingLimits): string {
  const seconds = (cue.to - cue.from) / pace;
  const speed = countCharacters(cue.lines.join(' ')) / seconds;
  if (speed > most + 0.05)
    return `too quick: ${Math.round(speed)} characters a second, where ${most} are the most`;
  return seconds < shortest - 0.002
    ? `too short: ${seconds.toFixed(2)} s, where ${shortest.toFixed(2)} s are the least`
    : '';
}

/** One cue: its times in the margin, its words as they break here, and how many lines they have elsewhere. */
export function CueRow({
  cue,
  index,
  last,
  open,
  read,
  onOpen,
}: {
  cue: EditedCue;
  index: number;
  last: boolean;
  open: boolean;
  /** The play head stands in it. */
  read: boolean;
  onOpen: (open: boolean) => void;
}) {
  const { version, master, siblings, dressing } = useLayers();
  const [, setCues] = useTrack();
  const desk = useDesk();
  const { rate, frames } = master.facts!.video;
  const cut = cutOf(version, master);
  const fault = faultOf(cue, cut ? paceValue(cut.pace) : 1, dressing.reading ?? usualReading);
  const parts = breaksIn(cue, version, master);
  const count = linesIn(cue, version, master);
  const others = siblings.filter(
    (v) =>
      v.id !== version.id &&
      (v.placement?.captions === 'burned' || v.placement?.captions === 'sidecar') &&
      linesIn(cue, v, master) !== count,
  );
  const counts = [...new Set(others.map((v) => linesIn(cue, v, master)))];
  const time = (which: 'from' | 'to', label: string) => (
    <EditableTime
      label={`${label} of cue ${index + 1}`}
      frame={nearestFrame(cue[which], rate)}
      rate={rate}
      min={0}
      max={frames}
      className={`mono ${styles.time}`}
      onChange={(frame) => setCues((now) => retimeCue(now, index, { [which]: frameToSeconds(frame, rate) }))}
    />
  );
  const here = () => frameToSeconds(desk.snapshot().frame, rate);
  const show = () => {
    desk.pause();
    desk.seek(nearestFrame(cue.from, rate));
    onOpen(true);
  };
  return (
    <article
      className={`${styles.cue} ${read ? styles.read : ''} ${open ? styles.open : ''}`}
      aria-label={`Cue ${index + 1}`}
    >
      <div className={styles.margin}>
        {time('from', 'Start')}
        {time('to', 'End')}
      </div>
      <div>
        {open ? (
          <textarea
            className={styles.words}
            aria-label={`Words of cue ${index + 1}`}
            autoFocus
            rows={Math.max(2, cue.lines.length)}
            value={cue.lines.join('\n')}
            onKeyDown={(event) => event.key === 'Escape' && onOpen(false)}
            onChange={(event) =>
              setCues((now) => now.with(index, { ...now[index]!, lines: event.target.value.split('\n') }))
            }
          />
        ) : (
          <button className={`${styles.says} ${fault ? styles.fault : ''}`} title={fault} onClick={show}>
            {parts.map((lines, i) => (
              <span key={i} className={styles.part}>
                {lines.map((line, k) => (
                  <span key={k}>{line}</span>
                ))}
              </span>
            ))}
          </button>
        )}
        <p className={styles.about}>
          {fault && <span className={styles.worry}>{fault}</span>}
          {cue.sure !== undefined && cue.sure < 0.5 && (
            <span className={styles.worry}>its times are not sure ({Math.round(cue.sure * 100)} %)</span>
          )}
          {counts.map((lines) => (
            <span key={lines} className="quiet">
              {others
                .filter((v) => linesIn(cue, v, master) === lines)
                .map((v) => (
                  <span key={v.id} className={`tag ${styles.edge}`}>
                    {v.tag}
                  </span>
                ))}{' '}
              {countWords(lines, 'line')}
            </span>
          ))}
        </p>
        {open && (
          <Suspense>
            <CueSound cue={cue} index={index} />
          </Suspense>
        )}
        {open && (
          <p className={styles.tools}>
            <button className="fix" onClick={() => setCues((now) => retimeCue(now, index, { from: here() }))}>
              Begin here
            </button>
            <button className="fix" onClick={() => setCues((now) => retimeCue(now, index, { to: here() }))}>
              End here
            </button>
            <button className="fix" onClick={() => setCues((now) => splitCue(now, index, here()))}>
              Split here
            </button>
            {!last && (
              <button className="fix" onClick={() => setCues((now) => joinCues(now, index))}>
                Join with the next
              </button>
            )}
            <button
              className="fix"
              onClick={() => {
                onOpen(false);
                setCues((now) => now.filter((_, i) => i !== index));
              }}
            >
              Remove
            </button>
            <button className="fix" onClick={() => onOpen(false)}>
              Done
            </button>
          </p>
        )}
      </div>
    </article>
  );
}
