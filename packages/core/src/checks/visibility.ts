import type { FrameFraction, Margins, Size } from '../picture/geometry.ts';
import { largestWindowSize } from '../picture/fit.ts';
import { insideMargins } from '../picture/safe.ts';
import { filled, frameOfPanel, layoutAt, type Framing, type FramingSegment } from '../framing/framing.ts';
import { isStill, moveWriter } from '../framing/move.ts';
import type { Move } from '../framing/moves/kinds.ts';
import type { FrameSpan } from '../time/span.ts';
import { keepAt, type Keep } from './keeps.ts';

const { max, min } = Math;

/** What stands between a keep and being seen. */
export type Hidden = { kind: 'cut' } | { kind: 'margin' } | { kind: 'blocked'; area: string };

/** What is watched: keeps, and what was seen. */
export type Watchable = Pick<Keep, 'id' | 'name' | 'span' | 'keys'>;

/** A run of master frames through which a keep is hidden in one way. */
export interface HiddenSpan<Watched extends Watchable = Keep> {
  keep: Watched;
  how: Hidden;
  span: FrameSpan;
}

/** What a version's frame looks like to the one who checks it. */
export interface FrameRules {
  frameSize: Size;
  /** Where the outlet draws over the picture, fractions of the frame. */
  blocked: readonly (FrameFraction & { name: string })[];
  /** Null: only the frame's edge counts. */
  margins: Margins | null;
}

/** Half a master pixel: less than this outside is nothing that anybody could see. */
const tolerance = 0.5;
/** The same inside the frame, as a fraction of its side. */
const limitMargin = 1e-4;

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
  return inner
    ? { blocked, left: inner.x, top: inner.y, right: inner.x + inner.width, bottom: inner.y + inner.height }
    : { blocked, left: -1e9, top: -1e9, right: 1e9, bottom: 1e9 };
}

/** Most questions are answered for so many frames at once, from how far the window moves in them. */
const blockFrames = 25;
const boundsSize = 10;

/** One panel of a stretch through its frames. */
interface PanelTrack {
  /** Left, top, width and height of its window in master pixels, frame after frame; one set where it stands still. */
  windows: Float64Array;
  still: boolean;
  /** For every {@link blockFrames} frames, the least and greatest left, top, right, bottom and width. */
  bounds: Float64Array;
  /** A window's height over its width. */
  tall: number;
  /** Its place in the frame, fractions. */
  into: FrameFraction;
}

/** Takes one more window into a block's bounds: pairs of least and greatest. */
function widen(
  bounds: Float64Array,
  at: number,
  first: boolean,
  x: number,
  y: number,
  right: number,
  bottom: number,
  width: number,
): void {
  if (first) {
    bounds[at] = bounds[at + 1] = x;
    bounds[at + 2] = bounds[at + 3] = y;
    bounds[at + 4] = bounds[at + 5] = right;
    bounds[at + 6] = bounds[at + 7] = bottom;
    bounds[at + 8] = bounds[at + 9] = width;
    return;
  }
  if (x < bounds[at]!) bounds[at] = x;
  if (x > bounds[at + 1]!) bounds[at + 1] = x;
  if (y < bounds[at + 2]!) bounds[at + 2] = y;
  if (y > bounds[at + 3]!) bounds[at + 3] = y;
  if (right < bounds[at + 4]!) bounds[at + 4] = right;
  if (right > bounds[at + 5]!) bounds[at + 5] = right;
  if (bottom < bounds[at + 6]!) bounds[at + 6] = bottom;
  if (bottom > bounds[at + 7]!) bounds[at + 7] = bottom;
  if (width < bounds[at + 8]!) bounds[at + 8] = width;
  if (width > bounds[at + 9]!) bounds[at + 9] = width;
}

/** The one state of a still keep through a whole block of a panel, or -1 where it has to be looked at frame by frame. */
function blockState(
  { bounds, into, tall }: PanelTrack,
  block: number,
  left: number,
  top: number,
  right: number,
  bottom: number,
  rules: RuleNumbers,
): State | -1 {
  const at = block * boundsSize;
  if (
    left < bounds[at]! - tolerance ||
    right > bounds[at + 5]! + tolerance ||
    top < bounds[at + 2]! - tolerance ||
    bottom > bounds[at + 7]! + tolerance
  )
    return 1;
  if (left < bounds[at + 1]! || right > bounds[at + 4]! || top < bounds[at + 3]! || bottom > bounds[at + 6]!)
    return -1;
  // Inside throughout. The box that it stays in as seen in the frame: at least this far from the window's corner, at most that far.
  const across = [into.width / bounds[at + 9]!, into.width / bounds[at + 8]!] as const;
  const down = [into.height / (bounds[at + 9]! * tall), into.height / (bounds[at + 8]! * tall)] as const;
  const x0 = into.x + (left - bounds[at + 1]!) * across[0];
  const x1 = into.x + (right - bounds[at]!) * across[1];
  const y0 = into.y + (top - bounds[at + 3]!) * down[0];
  const y1 = into.y + (bottom - bounds[at + 2]!) * down[1];
  if (x0 < rules.left || y0 < rules.top || x1 > rules.right || y1 > rules.bottom) return -1;
  const { blocked } = rules;
  for (let b = 0; b < blocked.length; b += 4)
    if (x0 < blocked[b + 2]! && blocked[b]! < x1 && y0 < blocked[b + 3]! && blocked[b + 1]! < y1) return -1;
  return 0;
}

/** The panels of a stretch between two frames. */
function panelTracks(
  stretch: FramingSegment,
  from: number,
  to: number,
  masterSize: Size,
  frameSize: Size,
): PanelTrack[] {
  const fill = stretch.fill ?? filled;
  const { panels } = layoutAt({ version: 1, stretches: [{ ...stretch, from: 0 }] }, 0, masterSize, frameSize);
  return panels.map(({ source, into }, i) => {
    const place = {
      x: into.x / frameSize.width,
      y: into.y / frameSize.height,
      width: into.width / frameSize.width,
      height: into.height / frameSize.height,
    };
    const move: Move | null =
      fill.kind === 'filled'
        ? stretch.move
        : fill.kind === 'stacked'
          ? i === 0
            ? stretch.move
            : fill.lower
          : null;
    if (!move)
      return {
        windows: Float64Array.of(source.x, source.y, source.width, source.height),
        still: true,
        bounds: new Float64Array(0),
        tall: source.height / source.width,
        into: place,
      };
    const part = frameOfPanel(fill, i === 0 ? 'upper' : 'lower', frameSize);
    const largest = largestWindowSize(masterSize, part);
    const write = moveWriter(move, masterSize, part);
    const still = isStill(move);
    const count = still ? 1 : to - from;
    const windows = new Float64Array(count * 4);
    const pose = new Float64Array(3);
    const bounds = new Float64Array(Math.ceil(count / blockFrames) * boundsSize);
    for (let n = 0; n < count; n++) {
      write(from + n - stretch.from, pose);
      const width = largest.width / pose[2]!;
      const height = largest.height / pose[2]!;
      const x = max(0, min(masterSize.width - width, pose[0]! * masterSize.width - width / 2));
      const y = max(0, min(masterSize.height - height, pose[1]! * masterSize.height - height / 2));
      widen(
        bounds,
        Math.floor(n / blockFrames) * boundsSize,
        n % blockFrames === 0,
        x,
        y,
        x + width,
        y + height,
        width,
      );
      windows[n * 4] = x;
      windows[n * 4 + 1] = y;
      windows[n * 4 + 2] = width;
      windows[n * 4 + 3] = height;
    }
    return { windows, still, bounds, tall: largest.height / largest.width, into: place };
  });
}

/**
 * The states of a keep through some frames of a stretch. The loop runs millions of times for a long film with many
 * versions, so it works on plain numbers and leaves at the first answer.
 */
function statesThrough(
  tracks: readonly PanelTrack[],
  keep: Watchable,
  from: number,
  to: number,
  start: number,
  masterSize: Size,
  rules: RuleNumbers,
): Uint8Array {
  const moves = keep.keys.length > 1;
  const { blocked } = rules;
  const { width, height } = masterSize;
  const states = new Uint8Array(to - from).fill(1);
  let k = keepAt(keep, from);
  for (let i = 0; i < tracks.length; i++) {
    const track = tracks[i]!;
    const { windows, still, into } = track;
    const [ix, iy, iw, ih] = [into.x, into.y, into.width, into.height];
    let left = k.x * width;
    let top = k.y * height;
    let right = left + k.width * width;
    let bottom = top + k.height * height;
    for (let f = from; f < to; f++) {
      const n = f - from;
      // A block is asked first, at its first frame, for a keep that stands still.
      if (
        !moves &&
        !still &&
        tracks.length === 1 &&
        (f - start) % blockFrames === 0 &&
        f + blockFrames <= to
      ) {
        const whole = blockState(track, (f - start) / blockFrames, left, top, right, bottom, rules);
        if (whole >= 0) {
          states.fill(whole, n, n + blockFrames);
          f += blockFrames - 1;
          continue;
        }
      }
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
      let state: State =
        x0 < rules.left - limitMargin ||
        y0 < rules.top - limitMargin ||
        x1 > rules.right + limitMargin ||
        y1 > rules.bottom + limitMargin
          ? 2
          : 0;
      for (let b = 0; b < blocked.length; b += 4) {
        if (
          x0 < blocked[b + 2]! - limitMargin &&
          blocked[b]! < x1 - limitMargin &&
          y0 < blocked[b + 3]! - limitMargin &&
          blocked[b + 1]! < y1 - limitMargin
        ) {
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
export function hiddenKeeps<Watched extends Watchable = Keep>(
  framing: Framing,
  keeps: readonly Watched[],
  source: FrameSpan,
  masterSize: Size,
  rules: FrameRules,
): HiddenSpan<Watched>[] {
  const numbers = ruleNumbers(rules);
  const pieces = framing.stretches.flatMap((stretch, i) => {
    const from = max(source.from, i === 0 ? 0 : stretch.from);
    const to = min(source.to, framing.stretches[i + 1]?.from ?? Infinity);
    return to > from ? [{ stretch, from, to, tracks: null as PanelTrack[] | null }] : [];
  });
  const found: HiddenSpan<Watched>[] = [];
  for (const keep of keeps) {
    const first = max(keep.span.from, source.from);
    const last = min(keep.span.to, source.to);
    const moves = keep.keys.length > 1;
    let state: State = 0;
    let since = first;
    const enter = (next: State, frame: number) => {
      if (next === state) return;
      if (state !== 0)
        found.push({
          keep,
          how:
            state === 1
              ? { kind: 'cut' }
              : state === 2
                ? { kind: 'margin' }
                : { kind: 'blocked', area: rules.blocked[state - 3]!.name },
          span: { from: since, to: frame },
        });
      state = next;
      since = frame;
    };
    for (const piece of pieces) {
      const from = max(first, piece.from);
      const to = min(last, piece.to);
      if (to <= from) continue;
      // Worked out once for all keeps, and only where there is one.
      const tracks = (piece.tracks ??= panelTracks(
        piece.stretch,
        piece.from,
        piece.to,
        masterSize,
        rules.frameSize,
      ));
      const still = !moves && tracks.every((t) => t.still);
      const states = statesThrough(
        tracks,
        keep,
        from,
        still ? from + 1 : to,
        piece.from,
        masterSize,
        numbers,
      );
      for (let n = 0; n < states.length; n++) if (states[n] !== state) enter(states[n]!, from + n);
    }
    enter(0, last);
  }
  return found;
}
