import { useVirtualizer } from '@tanstack/react-virtual';
import { useEffect, useMemo, useRef, useState } from 'react';
import { addCue, frameToSeconds, splitCue, retimeCue } from '@mivvy/core';
import { useKey } from '../../../keys/use-key.ts';
import { savingWords } from '../../../parts/saving-words.ts';
import { useDesk, useHeadPart } from '../../../play/use-desk.tsx';
import styles from '../layers.module.css';
import { useLayers } from '../layers-session.tsx';
import { CueRow } from './cue-row.tsx';
import { FindLine } from './find-line.tsx';
import { TrackHead } from './track-head.tsx';
import { useTrack } from './track.ts';

/** Height of a row whose cue has two lines, screen pixels; each is measured once it is drawn. */
const usualHeight = 58;

/** The words that are read, with their times in the margin, as they break in the version that is looked at. */
export function CaptionsPane() {
  const { saving, master } = useLayers();
  const [track, setCues] = useTrack();
  const desk = useDesk();
  const { frames, rate } = master.facts!.video;
  const cues = useMemo(() => track?.cues ?? [], [track]);
  const [search, setSearch] = useState('');
  const shown = useMemo(() => {
    const wanted = search.trim().toLowerCase();
    return cues.flatMap((cue, index) =>
      !wanted || cue.lines.join(' ').toLowerCase().includes(wanted) ? [index] : [],
    );
  }, [cues, search]);
  const scroller = useRef<HTMLDivElement>(null);
  const rows = useVirtualizer({
    count: shown.length,
    getScrollElement: () => scroller.current,
    estimateSize: () => usualHeight,
    overscan: 8,
  });
  const head = useHeadPart('frame');
  const at = frameToSeconds(head, rate);
  const under = cues.findIndex((cue) => at >= cue.from - 1e-6 && at < cue.to - 1e-6);
  const [chosen, choose] = useState<number | null>(null);
  const hand = chosen ?? (under >= 0 ? under : null);
  // While the film plays or is scrubbed, the row that is read stays in view.
  useEffect(() => {
    const row = under < 0 ? -1 : shown.indexOf(under);
    if (row >= 0 && chosen === null) rows.scrollToIndex(row, { align: 'auto' });
  }, [under, shown, chosen, rows]);
  const here = () => frameToSeconds(desk.snapshot().frame, rate);
  const onHand = (change: (index: number) => void) => hand !== null && change(hand);
  const add = () => {
    const made = addCue(cues, here(), frameToSeconds(frames, rate));
    if (!made) return;
    setCues(() => made.cues);
    choose(made.index);
  };
  useKey('Layers.cueStart', () => onHand((i) => setCues((now) => retimeCue(now, i, { from: here() }))));
  useKey('Layers.cueEnd', () => onHand((i) => setCues((now) => retimeCue(now, i, { to: here() }))));
  useKey('Layers.cueSplit', () => onHand((i) => setCues((now) => splitCue(now, i, here()))));
  useKey('Layers.cueAdd', add);
  return (
    <>
      <TrackHead onAdd={add} />
      {cues.length > 0 && <FindLine search={search} onSearch={setSearch} found={shown.length} />}
      <div ref={scroller} className={styles.cues}>
        <div style={{ height: rows.getTotalSize(), position: 'relative' }}>
          {rows.getVirtualItems().map((row) => {
            const index = shown[row.index]!;
            return (
              <div
                key={row.key}
                ref={rows.measureElement}
                data-index={row.index}
                className={styles.cueplace}
                style={{ transform: `translateY(${row.start}px)` }}
              >
                <CueRow
                  cue={cues[index]!}
                  index={index}
                  last={index === cues.length - 1}
                  open={chosen === index}
                  read={under === index}
                  onOpen={(open) => choose(open ? index : null)}
                />
              </div>
            );
          })}
        </div>
      </div>
      <p className={`quiet ${styles.saved}`} aria-live="polite">
        {savingWords[saving]}
      </p>
    </>
  );
}
