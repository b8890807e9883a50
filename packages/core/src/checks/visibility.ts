import type { FrameFraction, Margins, Size } from '../picture/geometry.ts';
import { largestWindowSize } from '../picture/fit.ts';
import { insideMargins } from '../picture/safe.ts';
import { filled, frameOfPanel, layoutAt, type Framing, type Stretch } from '../framing/framing.ts';
import { isStill, moveWriter, type Move } from '../framing/move.ts';
import type { FrameSpan } from '../time/span.ts';
import { keepAt, type Keep } from './keeps.ts';

const { max, min } = Math;

/** What stands between a keep and being seen. */
export type Hidden = { kind: 'cut' } | { kind: 'margin' } | { kind: 'blocked'; area: string };

/** A run of master frames through which a keep is hidden in one way. */
export interface HiddenSpan {
  keep: Keep;
  how: Hidden;
  span: FrameSpan;
}

/** What a version's frame looks like to the one who checks it. */
export interface FrameRules {
  frame: Size;
  /** Where the outlet draws over the picture, fractions of the frame. */
  blocked: readonly (FrameFraction & { name: string })[];
  /** Null: only the frame's edge counts. */
  margins: Margins | null;
}

/** Half a master pixel: less than this outside is nothing that anybody could see. */
const tolerance = 0.5;
/** The same inside the frame, as a fraction of its side. */
const hair = 1e-4;

/** States of a keep at a frame, as small numbers: 0 seen, 1 cut, 2 outside the margin, 3 + n behind blocked area n. */
type State = number;

/** A version's frame as plain numbers, for loops over every frame of a film. */
interface RuleNumbers {
  /** Left, top, right, bottom of each blocked area, one after the other. */
  blocked: Float64Array;
  left: number;
  top: number;
  right: number;
  bottom: number;
}

function ruleNumbers(rules: FrameRules): RuleNumbers {
  const blocked = new Float64Array(rules.blocked.length * 4);
  rules.blocked.forEach((b, i) => blocked.set([b.x, b.y, b.x + b.width, b.y + b.height], i * 4));
  const inner = rules.margins ? insideMargins(rules.margins) : null;
  return inner ? { blocked, left: inner.x, top: inner.y, right: inner.x + inner.width, bottom: inner.y + inner.height } : { blocked, left: -1e9, top: -1e9, right: 1e9, bottom: 1e9 };
}

/** One panel of a stretch through its frames. */
interface PanelTrack {
  /** Left, top, width and height of its window in master pixels, frame after frame; one set where it stands still. */
  windows: Float64Array;
  still: boolean;
  /** Its place in the frame, fractions. */
  into: FrameFraction;
}

/** The panels of a stretch between two frames. */
function panelTracks(stretch: Stretch, from: number, to: number, master: Size, frame: Size): PanelTrack[] {
  const fill = stretch.fill ?? filled;
  const { panels } = layoutAt({ version: 1, stretches: [{ ...stretch, from: 0 }] }, 0, master, frame);
  return panels.map(({ source, into }, i) => {
    const place = { x: into.x / frame.width, y: into.y / frame.height, width: into.width / frame.width, height: into.height / frame.height };
    const move: Move | null = fill.kind === 'filled' ? stretch.move : fill.kind === 'stacked' ? (i === 0 ? stretch.move : fill.lower) : null;
    if (!move) return { windows: Float64Array.of(source.x, source.y, source.width, source.height), still: true, into: place };
    const part = frameOfPanel(fill, i === 0 ? 'upper' : 'lower', frame);
    const largest = largestWindowSize(master, part);
    const write = moveWriter(move, master, part);
    const still = isStill(move);
    const count = still ? 1 : to - from;
    const windows = new Float64Array(count * 4);
    const pose = new Float64Array(3);
    for (let n = 0; n < count; n++) {
      write(from + n - stretch.from, pose);
      const width = largest.width / pose[2]!;
      const height = largest.height / pose[2]!;
      windows[n * 4] = max(0, min(master.width - width, pose[0]! * master.width - width / 2));
      windows[n * 4 + 1] = max(0, min(master.height - height, pose[1]! * master.height - height / 2));
      windows[n * 4 + 2] = width;
      windows[n * 4 + 3] = height;
    }
    return { windows, still, into: place };
  });
}

/**
 * The states of a keep through some frames of a stretch. The loop runs millions of times for a long film with many
 * versions, so it works on plain numbers and leaves at the first answer.
 */
function statesThrough(tracks: readonly PanelTrack[], keep: Keep, from: number, to: number, start: number, master: Size, rules: RuleNumbers): Uint8Array {
  const moves = keep.keys.length > 1;
  const { blocked } = rules;
  const { width, height } = master;
  const states = new Uint8Array(to - from).fill(1);
  let k = keepAt(keep, from);
  for (let i = 0; i < tracks.length; i++) {
    const { windows, still, into } = tracks[i]!;
    const [ix, iy, iw, ih] = [into.x, into.y, into.width, into.height];
    let left = k.x * width;
    let top = k.y * height;
    let right = left + k.width * width;
    let bottom = top + k.height * height;
    for (let f = from; f < to; f++) {
      const n = f - from;
      // Seen in either panel is seen; being cut is worse than being covered.
      if (states[n] === 0) continue;
      if (moves) {
        k = keepAt(keep, f);
        left = k.x * width;
        top = k.y * height;
        right = left + k.width * width;
        bottom = top + k.height * height;
      }
      const at = still ? 0 : (f - start) * 4;
      const sx = windows[at]!;
      if (left < sx - tolerance) continue;
      const sw = windows[at + 2]!;
      if (right > sx + sw + tolerance) continue;
      const sy = windows[at + 1]!;
      const sh = windows[at + 3]!;
      if (top < sy - tolerance || bottom > sy + sh + tolerance) continue;
      const u = iw / sw;
      const v = ih / sh;
      const x0 = ix + (left - sx) * u;
      const y0 = iy + (top - sy) * v;
      const x1 = ix + (right - sx) * u;
      const y1 = iy + (bottom - sy) * v;
      let state: State = x0 < rules.left - hair || y0 < rules.top - hair || x1 > rules.right + hair || y1 > rules.bottom + hair ? 2 : 0;
      for (let b = 0; b < blocked.length; b += 4) {
        if (x0 < blocked[b + 2]! - hair && blocked[b]! < x1 - hair && y0 < blocked[b + 3]! - hair && blocked[b + 1]! < y1 - hair) {
          state = 3 + b / 4;
          break;
        }
      }
      if (state === 0 || states[n] === 1) states[n] = state;
    }
  }
  return states;
}

/** Every run of frames in which a keep is cut by the window, behind what the outlet draws, or outside the margin. */
export function hiddenKeeps(framing: Framing, keeps: readonly Keep[], source: FrameSpan, master: Size, rules: FrameRules): HiddenSpan[] {
  const numbers = ruleNumbers(rules);
  const pieces = framing.stretches.flatMap((stretch, i) => {
    const from = max(source.from, i === 0 ? 0 : stretch.from);
    const to = min(source.to, framing.stretches[i + 1]?.from ?? Infinity);
    return to > from ? [{ stretch, from, to, tracks: null as PanelTrack[] | null }] : [];
  });
  const found: HiddenSpan[] = [];
  for (const keep of keeps) {
    const first = max(keep.span.from, source.from);
    const last = min(keep.span.to, source.to);
    const moves = keep.keys.length > 1;
    let state: State = 0;
    let since = first;
    const enter = (next: State, frame: number) => {
      if (next === state) return;
      if (state !== 0) found.push({ keep, how: state === 1 ? { kind: 'cut' } : state === 2 ? { kind: 'margin' } : { kind: 'blocked', area: rules.blocked[state - 3]!.name }, span: { from: since, to: frame } });
      state = next;
      since = frame;
    };
    for (const piece of pieces) {
      const from = max(first, piece.from);
      const to = min(last, piece.to);
      if (to <= from) continue;
      // Worked out once for all keeps, and only where there is one.
      const tracks = (piece.tracks ??= panelTracks(piece.stretch, piece.from, piece.to, master, rules.frame));
      const still = !moves && tracks.every((t) => t.still);
      const states = statesThrough(tracks, keep, from, still ? from + 1 : to, piece.from, master, numbers);
      for (let n = 0; n < states.length; n++) if (states[n] !== state) enter(states[n]!, from + n);
    }
    enter(0, last);
  }
  return found;
}
