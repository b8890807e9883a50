import Slider from '@mui/material/Slider';
import { useDrag } from '@use-gesture/react';
import { useRef, useState, type CSSProperties, type KeyboardEvent } from 'react';
import { frameToTimecode, insideMargins, type FrameFraction, type Placement } from '@mivvy/core';
import { useFilmOf, useProductions } from '../../api/queries.ts';
import { useKeepEvidence } from '../../api/spec-book.ts';
import { Choice } from '../../parts/choice.tsx';
import { usePlacementDraft } from './placement-draft.tsx';
import styles from './spec-book.module.css';

type Areas = NonNullable<Placement['blocked']>;
type Margin = NonNullable<Placement['safeMargin']>;
const edges = ['top', 'right', 'bottom', 'left'] as const;
type Edge = (typeof edges)[number];

/** The longest sides that the frame is drawn with, pixels. */
const mostAcross = 330;
const mostDown = 430;
/** An area narrower than this has its name written down along it, pixels. */
const narrow = 64;
/** An area is never smaller than this share of the frame's side. */
const smallest = 0.01;
/** An arrow key moves by so much of the side. */
const nudge = 0.005;
/** A ten-thousandth of a side is less than a pixel of any frame. */
const rounded = (n: number) => Math.round(n * 1e4) / 1e4;
const roundedArea = (r: FrameFraction): FrameFraction => ({
  x: rounded(r.x),
  y: rounded(r.y),
  width: rounded(r.width),
  height: rounded(r.height),
});

const placeOf = (r: FrameFraction): CSSProperties => ({
  left: `${r.x * 100}%`,
  top: `${r.y * 100}%`,
  width: `${r.width * 100}%`,
  height: `${r.height * 100}%`,
});

const resized = (r: FrameFraction, dx: number, dy: number): FrameFraction => ({
  ...r,
  width: Math.max(smallest, Math.min(1 - r.x, r.width + dx)),
  height: Math.max(smallest, Math.min(1 - r.y, r.height + dy)),
});

const movedTo = (r: FrameFraction, x: number, y: number): FrameFraction => ({
  ...r,
  x: Math.max(0, Math.min(1 - r.width, x)),
  y: Math.max(0, Math.min(1 - r.height, y)),
});

type Grip =
  | { kind: 'move' | 'size'; index: number; area: FrameFraction }
  | { kind: 'edge'; edge: Edge; margin: Margin }
  | { kind: 'draw' };

/** A margin whose one edge was dragged to a place in the frame; opposite edges never meet. */
function draggedMargin(margin: Margin, edge: Edge, u: number, v: number): Margin {
  const at: Record<Edge, [opposite: number, wanted: number]> = {
    top: [margin.bottom, v],
    bottom: [margin.top, 1 - v],
    left: [margin.right, u],
    right: [margin.left, 1 - u],
  };
  const [opposite, wanted] = at[edge];
  return { ...margin, [edge]: rounded(Math.max(0, Math.min(0.95 - opposite, wanted))) };
}

/** Moves, sizes and draws what lies on the frame, by the pointer. */
function useFrameHand(drawing: boolean, onDrawn: () => void) {
  const { placement, edit } = usePlacementDraft();
  const areas: Areas = placement.blocked ?? [];
  const box = useRef<HTMLDivElement>(null);
  const grip = useRef<Grip | null>(null);
  const [fresh, setFresh] = useState<FrameFraction | null>(null);
  const setArea = (index: number, area: FrameFraction) =>
    edit({ blocked: areas.map((a, i) => (i === index ? { ...a, ...roundedArea(area) } : a)) });

  const bind = useDrag(
    ({ xy: [x, y], initial: [ix, iy], first, last, event, tap }) => {
      const rect = box.current!.getBoundingClientRect();
      const across = (at: number) => Math.max(0, Math.min(1, (at - rect.left) / rect.width));
      const down = (at: number) => Math.max(0, Math.min(1, (at - rect.top) / rect.height));
      const [u, v, u0, v0] = [across(x), down(y), across(ix), down(iy)];
      if (first) {
        const { dataset } = event.target as HTMLElement;
        const index = Number(dataset.area ?? dataset.corner ?? NaN);
        if (drawing) grip.current = { kind: 'draw' };
        else if (dataset.edge)
          grip.current = { kind: 'edge', edge: dataset.edge as Edge, margin: placement.safeMargin! };
        else if (areas[index])
          grip.current = { kind: dataset.corner ? 'size' : 'move', index, area: areas[index] };
        else grip.current = null;
      }
      const held = grip.current;
      if (!held || tap) return;
      if (held.kind === 'edge') edit({ safeMargin: draggedMargin(held.margin, held.edge, u, v) });
      else if (held.kind === 'draw') {
        const drawn = {
          x: Math.min(u, u0),
          y: Math.min(v, v0),
          width: Math.abs(u - u0),
          height: Math.abs(v - v0),
        };
        setFresh(last ? null : drawn);
        if (last) {
          onDrawn();
          if (drawn.width > smallest && drawn.height > smallest)
            edit({ blocked: [...areas, { name: `area ${areas.length + 1}`, ...roundedArea(drawn) }] });
        }
      } else if (held.kind === 'move')
        setArea(held.index, movedTo(held.area, held.area.x + u - u0, held.area.y + v - v0));
      else setArea(held.index, resized(held.area, u - u0, v - v0));
    },
    { pointer: { keys: false }, filterTaps: true },
  );

  const onKey = (event: KeyboardEvent, index: number) => {
    const step = { ArrowLeft: [-1, 0], ArrowRight: [1, 0], ArrowUp: [0, -1], ArrowDown: [0, 1] }[event.key];
    const area = areas[index];
    if (!step || !area) return;
    event.preventDefault();
    const [dx, dy] = [step[0]! * nudge, step[1]! * nudge];
    setArea(index, event.shiftKey ? resized(area, dx, dy) : movedTo(area, area.x + dx, area.y + dy));
  };
  return { bind, box, fresh, areas, onKey };
}

/** What lies under the frame's areas while they are drawn: `plain`, `evidence`, or a master's id. */
function useBackdrop() {
  const { page } = usePlacementDraft();
  const productions = useProductions();
  const films = (productions.data ?? []).flatMap((p) => p.masters).filter((m) => m.hasPoster);
  const [chosen, setChosen] = useState<string>(page.evidence ? 'evidence' : 'plain');
  const film = films.find((m) => m.id === chosen);
  const facts = useFilmOf(film).data?.facts ?? null;
  /** The frame of the film that is chosen; its poster until one is. */
  const [frame, setFrame] = useState<number | null>(null);
  const still = (at: number) =>
    `/api/masters/${film!.id}/stills/${at}?file=${film!.fileGeneration}&size=large`;
  const url =
    chosen === 'evidence' && page.evidence
      ? `/api/spec-book/placements/${page.standing.id}/evidence?${encodeURIComponent(page.evidence)}`
      : film &&
        (frame !== null && facts
          ? still(Math.min(frame, facts.video.frames - 1))
          : `/api/masters/${film.id}/poster`);
  return { chosen, setChosen, films, film, facts, frame, setFrame, url };
}

/** The frame with its margin and blocked areas, to scale, where they are dragged and sized. */
export function FrameDrawing() {
  const { page, placement, edit } = usePlacementDraft();
  const [drawing, setDrawing] = useState(false);
  const { bind, box, fresh, areas, onKey } = useFrameHand(drawing, () => setDrawing(false));
  const { chosen, setChosen, films, film, facts, frame: shownFrame, setFrame, url } = useBackdrop();
  const keep = useKeepEvidence();
  const chooser = useRef<HTMLInputElement>(null);
  const { frame, safeMargin } = placement;
  const k = Math.min(mostAcross / frame.width, mostDown / frame.height);
  const size: CSSProperties = {
    width: frame.width * k,
    height: frame.height * k,
    ...(url ? { backgroundImage: `url("${url}")` } : {}),
  };
  const inside = safeMargin && insideMargins(safeMargin);
  return (
    <figure className={styles.drawing}>
      <div
        {...bind()}
        ref={box}
        className={`crops ${styles.frame} ${drawing ? styles.drawingNow : ''}`}
        style={size}
        role="group"
        aria-label="The frame, its safe margin and its blocked areas"
        data-testid="frame-drawing"
      >
        {inside && (
          <div className={`margin ${styles.margin}`} style={placeOf(inside)}>
            {edges.map((edge) => (
              <i key={edge} data-edge={edge} className={styles[edge]} title={`Margin, ${edge}: drag`} />
            ))}
          </div>
        )}
        {areas.map((area, index) => (
          <button
            key={index}
            type="button"
            className={`blocked ${styles.area} ${area.width * frame.width * k < narrow ? styles.narrow : ''}`}
            style={placeOf(area)}
            data-area={index}
            title={`${area.name}: drag; arrow keys move it, with shift they size it`}
            onKeyDown={(event) => onKey(event, index)}
          >
            {area.name}
            <i data-corner={index} className={styles.corner} />
          </button>
        ))}
        {fresh && <div className={`blocked ${styles.area}`} style={placeOf(fresh)} />}
      </div>
      <figcaption>
        Over{' '}
        <Choice
          label="What the frame is drawn over"
          value={chosen}
          shown={film?.name ?? (chosen === 'evidence' && page.evidence ? page.evidence : 'grey')}
          options={[
            { value: 'plain', name: 'Grey' },
            ...(page.evidence
              ? [{ value: 'evidence', name: page.evidence, more: 'Kept with this placement' }]
              : []),
            ...films.map((m) => ({ value: m.id, name: m.name, more: 'A master’s picture' })),
          ]}
          onChange={setChosen}
        />
        .{' '}
        {film && facts && (
          <Slider
            size="small"
            min={0}
            max={facts.video.frames - 1}
            defaultValue={shownFrame ?? Math.floor(facts.video.frames / 5)}
            key={film.id}
            aria-label={`Frame of ${film.name}`}
            valueLabelDisplay="auto"
            valueLabelFormat={(frame) => frameToTimecode(frame, facts.video.rate)}
            onChangeCommitted={(_event, value) => setFrame(value)}
          />
        )}
        <button className="fix" onClick={() => chooser.current?.click()}>
          {page.evidence ? 'Another picture to trace' : 'A picture to trace'}
        </button>
        {keep.isError && <p className="warn fault">{keep.error.message}</p>}
        <input
          ref={chooser}
          type="file"
          accept="image/png,image/jpeg,image/webp"
          hidden
          data-testid="evidence-chooser"
          onChange={(event) => {
            const file = event.target.files?.[0];
            event.target.value = '';
            if (file) keep.mutate({ id: page.standing.id, file }, { onSuccess: () => setChosen('evidence') });
          }}
        />
        <p>
          <button className="fix" aria-pressed={drawing} onClick={() => setDrawing((on) => !on)}>
            {drawing ? 'Draw it on the frame' : 'Draw a blocked area'}
          </button>
          {' · '}
          <button
            className="fix"
            onClick={() =>
              edit({
                safeMargin: safeMargin ? undefined : { top: 0.05, right: 0.05, bottom: 0.05, left: 0.05 },
              })
            }
          >
            {safeMargin ? 'Without a margin' : 'Keep a margin clear'}
          </button>
        </p>
      </figcaption>
    </figure>
  );
}
