import { useDrag } from '@use-gesture/react';
import { useRef, useState } from 'react';
import {
  draggedSpan,
  frameToSeconds,
  frameToTimecode,
  nearestFrame,
  oneShot,
  retimeCue,
  shotIndexAt,
  shotSpans,
  type EditedCue,
  type FrameSpan,
  type Layer,
  type SpanPart,
} from '@mivvy/core';
import { useAlong } from '../../api/queries.ts';
import { LevelRow } from '../../parts/score/level-row.tsx';
import { Dropped, TroubleRow } from '../../parts/score/rows.tsx';
import { at, inView, useScoreScale } from '../../parts/score/score-view.tsx';
import { Score } from '../../parts/score/score.tsx';
import { ShotRow } from '../../parts/score/shot-row.tsx';
import { Transport } from '../../parts/transport.tsx';
import { cutOf } from '../../parts/versions.ts';
import { useDesk, usePanelFrame } from '../../play/use-desk.tsx';
import { useTrack } from './captions/track.ts';
import styles from './layers.module.css';
import { useLayers } from './layers-session.tsx';

/** Layers that share a row stand beside each other; so many rows at most, the rest lie in the last. */
const mostRows = 3;

/** Layers by rows: each in the first in which nothing is shown at the same time. */
function rowsOf(layers: readonly Layer[]): Layer[][] {
  const rows: Layer[][] = [];
  for (const layer of layers) {
    const free = rows.find((row) =>
      row.every((l) => l.span.to <= layer.span.from || layer.span.to <= l.span.from),
    );
    if (free) free.push(layer);
    else if (rows.length < mostRows) rows.push([layer]);
    else rows.at(-1)!.push(layer);
  }
  return rows;
}

/** A layer along the film: dragged to another time, or longer and shorter at its ends. */
function LayerBar({ layer }: { layer: Layer }) {
  const { chosen, choose, edit, master } = useLayers();
  const scale = useScoreScale();
  const held = useRef<FrameSpan>(layer.span);
  const { frames } = master.facts!.video;
  const bind = useDrag(
    ({ first, movement: [dx], event, altKey, args: [part], tap }) => {
      event.stopPropagation();
      if (first) {
        held.current = layer.span;
        choose(layer.id);
      }
      if (tap) return;
      const next = draggedSpan(held.current, part as SpanPart, dx / scale.pixelsPerFrame, {
        frames,
        snap: (frame) => scale.snap(frame, altKey),
      });
      edit(layer.id, (l) => ({ ...l, span: next }));
    },
    { pointer: { keys: false }, filterTaps: true },
  );
  const to = Math.min(layer.span.to, frames);
  return (
    <div
      {...bind('whole')}
      className={`${styles.bartime} ${chosen?.id === layer.id ? styles.held : ''}`}
      style={{ left: at(layer.span.from, frames), width: at(to - layer.span.from, frames) }}
      title={layer.name}
    >
      <span className="clip">{layer.name}</span>
      <i {...bind('start')} />
      <i {...bind('end')} />
    </div>
  );
}

/** A cue along the film: dragged to another time, or longer and shorter at its ends; never over its neighbours. */
function CueBar({ cue, index, from, to }: { cue: EditedCue; index: number; from: number; to: number }) {
  const { master } = useLayers();
  const [, setCues] = useTrack();
  const scale = useScoreScale();
  const desk = useDesk();
  const [live, setLive] = useState<FrameSpan | null>(null);
  const { frames, rate } = master.facts!.video;
  const bind = useDrag(
    ({ first, last, movement: [dx], event, altKey, args: [part], tap }) => {
      event.stopPropagation();
      if (first) {
        desk.pause();
        desk.seek(from);
      }
      if (tap) return setLive(null);
      const next = draggedSpan({ from, to }, part as SpanPart, dx / scale.pixelsPerFrame, {
        frames,
        snap: (frame) => scale.snap(frame, altKey),
      });
      setLive(last ? null : next);
      if (last)
        setCues((now) =>
          retimeCue(now, index, {
            ...(part === 'end' ? {} : { from: frameToSeconds(next.from, rate) }),
            ...(part === 'start' ? {} : { to: frameToSeconds(next.to, rate) }),
          }),
        );
    },
    { pointer: { keys: false }, filterTaps: true },
  );
  const shown = live ?? { from, to };
  return (
    <div
      {...bind('whole')}
      className={cue.sure !== undefined && cue.sure < 0.5 ? styles.unsure : ''}
      style={{ left: at(shown.from, frames), width: at(Math.max(1, shown.to - shown.from), frames) }}
      title={cue.lines.join(' ')}
    >
      <span className="clip">{cue.lines.join(' ')}</span>
      <i {...bind('start')} />
      <i {...bind('end')} />
    </div>
  );
}

/** The captions along the film. */
function CaptionRow() {
  const { master } = useLayers();
  const [track] = useTrack();
  const scale = useScoreScale();
  const { frames, rate } = master.facts!.video;
  const spans = (track?.cues ?? []).map((cue, index) => ({
    cue,
    index,
    from: nearestFrame(cue.from, rate),
    to: Math.min(frames, nearestFrame(cue.to, rate)),
  }));
  return (
    <div className={styles.captionrow} aria-hidden>
      {spans
        .filter(({ from, to }) => inView(scale, from, to))
        .slice(0, 400)
        .map((cue) => (
          <CueBar key={cue.index} {...cue} />
        ))}
    </div>
  );
}

/** The film along its length: shots, layers, captions, troubles. */
export function LayersScore({ folding }: { folding: 'picture' | 'captions' }) {
  const { master, version, dressing, planned } = useLayers();
  const { frames, rate } = master.facts!.video;
  const shots = master.shots ?? oneShot;
  const spans = shotSpans(shots, frames);
  const head = usePanelFrame(spans, frames);
  const shot = spans[shotIndexAt(shots, head)];
  // Beside the words stands what is heard; beside the layers, the layers.
  const reading = folding === 'captions';
  const along = useAlong(master);
  const rows = reading ? [] : rowsOf(dressing.layers);
  const cut = cutOf(version, master);
  return (
    <div className="score">
      <div className="transportline">
        <Transport master={master} shot={shot} />
        <span className="quiet">
          of <span className="mono">{frameToTimecode(frames, rate)}</span> ·{' '}
          {Math.round(frameToSeconds(frames, rate))} s
        </span>
        <span className="quiet clip hint">
          {reading
            ? 'Drag a cue or its ends along the film; alt lets go of what draws them'
            : 'Drag a layer on the proof or along the film, arrows to nudge, page up and down for the other versions'}
        </span>
      </div>
      <div className="labels">
        <span className="ruled">Film</span>
        <span className="shots">Shots</span>
        {rows.map((row) => (
          <span key={row[0]!.id} className={styles.rowlabel}>
            {row.length === 1 ? row[0]!.name : 'Layers'}
          </span>
        ))}
        {reading && <span className="sound">Sound</span>}
        <span className={styles.rowlabel}>Captions</span>
        <span className="troubles">Troubles</span>
      </div>
      <Score master={master}>
        <ShotRow master={master} shots={shots} chosen={shot ?? spans[0]!} />
        {rows.map((row) => (
          <div key={row[0]!.id} className={styles.layerrow}>
            {row.map((layer) => (
              <LayerBar key={layer.id} layer={layer} />
            ))}
          </div>
        ))}
        {reading && <LevelRow along={along.data} frames={frames} />}
        <CaptionRow />
        <TroubleRow troubles={planned?.troubles ?? []} frames={frames} />
        {cut && <Dropped kept={cut.kept} frames={frames} />}
      </Score>
    </div>
  );
}
