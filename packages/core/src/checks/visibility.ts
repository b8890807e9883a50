import type { FrameFraction, Margins, Size } from '../picture/geometry.ts';
import { largestWindowSize } from '../picture/fit.ts';
import { insideMargins } from '../picture/safe.ts';
import { filled, frameOfPanel, layoutAt, type Framing, type Stretch } from '../framing/framing.ts';
import { isStill, moveWriter, type Move } from '../framing/move.ts';
import type { FrameSpan } from '../time/span.ts';
import { keepAt, type Keep } from './keeps.ts';

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

interface PanelNumbers {
  /** Source in master pixels: x, y, width, height. */
  source: Float64Array;
  /** Place in fractions of the frame. */
  into: FrameFraction;
}

function stateIn(panel: PanelNumbers, kx: number, ky: number, kw: number, kh: number, rules: FrameRules, inner: FrameFraction | null): State {
  const [sx, sy, sw, sh] = [panel.source[0]!, panel.source[1]!, panel.source[2]!, panel.source[3]!];
  if (kx < sx - tolerance || ky < sy - tolerance || kx + kw > sx + sw + tolerance || ky + kh > sy + sh + tolerance) return 1;
  const [u, v] = [panel.into.width / sw, panel.into.height / sh];
  const x = panel.into.x + (kx - sx) * u;
  const y = panel.into.y + (ky - sy) * v;
  const right = x + kw * u;
  const bottom = y + kh * v;
  for (let i = 0; i < rules.blocked.length; i++) {
    const b = rules.blocked[i]!;
    if (x < b.x + b.width - hair && b.x < right - hair && y < b.y + b.height - hair && b.y < bottom - hair) return 3 + i;
  }
  if (inner && (x < inner.x - hair || y < inner.y - hair || right > inner.x + inner.width + hair || bottom > inner.y + inner.height + hair)) return 2;
  return 0;
}

/** The states of a keep through a piece of one stretch; one state where neither of them moves. */
function statesThrough(stretch: Stretch, keep: Keep, span: FrameSpan, master: Size, rules: FrameRules, inner: FrameFraction | null): State[] {
  const { frame } = rules;
  const fill = stretch.fill ?? filled;
  const layout = layoutAt({ version: 1, stretches: [{ ...stretch, from: 0 }] }, 0, master, frame);
  const fraction = (r: { x: number; y: number; width: number; height: number }): FrameFraction => ({ x: r.x / frame.width, y: r.y / frame.height, width: r.width / frame.width, height: r.height / frame.height });
  const panels = layout.panels.map((p): PanelNumbers => ({ source: Float64Array.of(p.source.x, p.source.y, p.source.width, p.source.height), into: fraction(p.into) }));
  const moves: Move[] = fill.kind === 'filled' ? [stretch.move] : fill.kind === 'stacked' ? [stretch.move, fill.lower] : [];
  const moving = moves.map((move, i) => {
    const part = frameOfPanel(fill, i === 0 ? 'upper' : 'lower', frame);
    return { write: moveWriter(move, master, part), largest: largestWindowSize(master, part), still: isStill(move) };
  });
  const still = moving.every((m) => m.still) && keep.keys.length === 1;
  const pose = new Float64Array(3);
  const states: State[] = [];
  const end = still ? span.from + 1 : span.to;
  let k = keepAt(keep, span.from);
  for (let f = span.from; f < end; f++) {
    if (keep.keys.length > 1) k = keepAt(keep, f);
    let best: State = 1;
    for (let i = 0; i < panels.length; i++) {
      const panel = panels[i]!;
      const m = moving[i];
      if (m && (!m.still || f === span.from)) {
        m.write(f - stretch.from, pose);
        const [w, h] = [m.largest.width / pose[2]!, m.largest.height / pose[2]!];
        panel.source[0] = Math.max(0, Math.min(master.width - w, pose[0]! * master.width - w / 2));
        panel.source[1] = Math.max(0, Math.min(master.height - h, pose[1]! * master.height - h / 2));
        panel.source[2] = w;
        panel.source[3] = h;
      }
      const state = stateIn(panel, k.x * master.width, k.y * master.height, k.width * master.width, k.height * master.height, rules, inner);
      // Seen in either panel is seen; being cut is worse than being covered.
      if (state === 0 || best === 1) best = state;
      if (best === 0) break;
    }
    states.push(best);
  }
  return states;
}

/** Every run of frames in which a keep is cut by the window, behind what the outlet draws, or outside the margin. */
export function hiddenKeeps(framing: Framing, keeps: readonly Keep[], source: FrameSpan, master: Size, rules: FrameRules): HiddenSpan[] {
  const inner = rules.margins ? insideMargins(rules.margins) : null;
  const found: HiddenSpan[] = [];
  for (const keep of keeps) {
    const from = Math.max(keep.span.from, source.from);
    const to = Math.min(keep.span.to, source.to);
    let open: { state: State; from: number } | null = null;
    const close = (at: number) => {
      if (!open || open.state === 0) return;
      const { state } = open;
      const how: Hidden = state === 1 ? { kind: 'cut' } : state === 2 ? { kind: 'margin' } : { kind: 'blocked', area: rules.blocked[state - 3]!.name };
      found.push({ keep, how, span: { from: open.from, to: at } });
    };
    framing.stretches.forEach((stretch, i) => {
      const start = Math.max(from, i === 0 ? 0 : stretch.from);
      const end = Math.min(to, framing.stretches[i + 1]?.from ?? Infinity);
      if (end <= start) return;
      statesThrough(stretch, keep, { from: start, to: end }, master, rules, inner).forEach((state, n) => {
        if (open?.state === state) return;
        close(start + n);
        open = { state, from: start + n };
      });
    });
    close(to);
  }
  return found;
}
