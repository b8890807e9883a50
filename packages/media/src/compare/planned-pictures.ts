import {
  coveredAt,
  drawPlan,
  gridOf,
  leaning,
  masterFrameAt,
  planLayout,
  scaledRect,
  type Drawable,
  type FrameSpan,
  type Lean,
  type MasterRect,
  type PlanPicture,
  type RenderPlan,
  type Size,
} from '@mivvy/core';

/** A cue that is drawn a frame sooner or later than planned is still a cue, and no other picture. */
const cueSlack = 2;

/** The parts of the frame that captions or layers lie over at a delivered frame. */
export const laidOver = (plan: RenderPlan, k: number): MasterRect[] => coveredAt(plan, k, cueSlack);

/**
 * A picture of what a plan shows at a delivered frame, luma alone; unknown where something is laid over it.
 *
 * @param master the master's picture that is shown there
 * @param size of the picture that is drawn
 * @param lean how the file's windows lie beside the plan's; null for as planned
 */
export function plannedPicture(
  plan: RenderPlan,
  k: number,
  master: Drawable,
  size: Size,
  lean: Lean | null = null,
): PlanPicture {
  const layout = planLayout(plan, k);
  const shown = lean ? leaning(layout, lean, k) : layout;
  const drawn = drawPlan(shown, master, plan.master.displayed, plan.frame, size);
  for (const over of laidOver(plan, k)) hide(drawn, scaledRect(over, plan.frame, size));
  return drawn;
}

/** Marks a part of a picture as unknown, with all cells that it touches. */
function hide({ known, width, height }: PlanPicture, part: MasterRect): void {
  const left = Math.max(0, Math.floor(part.x));
  const right = Math.min(width, Math.ceil(part.x + part.width));
  const bottom = Math.min(height, Math.ceil(part.y + part.height));
  for (let y = Math.max(0, Math.floor(part.y)); y < bottom; y++)
    if (right > left) known.fill(0, y * width + left, y * width + right);
}

/** Small pictures, luma alone, of every frame that a plan delivers, drawn from its master's. */
export class PlannedPictures {
  /** Delivered frames by the master frame that they show. */
  readonly shownBy: ReadonlyMap<number, readonly number[]>;
  /** The master's frames from the first that is shown to the last. */
  readonly needed: FrameSpan;
  private readonly drawn: Float32Array[] = [];
  /** What is known of each picture; null for all of it. */
  private readonly known: (Uint8Array | null)[] = [];

  /**
   * @param master size of the master's small pictures
   * @param size of the ones that are drawn
   */
  constructor(
    private readonly plan: RenderPlan,
    private readonly master: Size,
    readonly size: Size,
  ) {
    const shownBy = new Map<number, number[]>();
    for (let k = 0; k < plan.frames; k++) {
      const frame = masterFrameAt(plan, k);
      const list = shownBy.get(frame);
      if (list) list.push(k);
      else shownBy.set(frame, [k]);
    }
    this.shownBy = shownBy;
    const frames = [...shownBy.keys()];
    this.needed = {
      from: frames.reduce((a, b) => Math.min(a, b), Infinity),
      to: frames.reduce((a, b) => Math.max(a, b), 0) + 1,
    };
  }

  /** Draws what the plan shows of one frame of the master, wherever it shows it; by windows that lean where `lean` says so. */
  draw(bytes: Uint8Array, frame: number, lean: Lean | null): void {
    const master = gridOf(this.master, bytes);
    for (const k of this.shownBy.get(frame) ?? []) {
      const { data, known } = plannedPicture(this.plan, k, master, this.size, lean);
      this.drawn[k] = data;
      this.known[k] = known.every(Boolean) ? null : known;
    }
  }

  /** Whether any picture is there. */
  get some(): boolean {
    return this.drawn.some(Boolean);
  }

  /**
   * All pictures, in order: a gap shows the picture before it. Where nothing is known of one, it and the file's picture
   * beside it are made the same.
   */
  settle(file: readonly Uint8Array[]): Float32Array[] {
    const blank = new Float32Array(this.size.width * this.size.height);
    for (let k = 0; k < this.plan.frames; k++) this.drawn[k] ??= this.drawn[k - 1] ?? blank;
    this.known.forEach((known, k) => {
      if (!known) return;
      for (let i = 0; i < known.length; i++) {
        if (known[i]) continue;
        this.drawn[k]![i] = 0;
        if (file[k]) file[k]![i] = 0;
      }
    });
    return this.drawn;
  }
}
