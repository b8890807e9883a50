import {
  coveredAt,
  drawPlan,
  gridOf,
  leaning,
  masterFrameAt,
  planLayout,
  type FrameSpan,
  type Lean,
  type MasterRect,
  type RenderPlan,
  type Size,
} from '@mivvy/core';

/** A cue that is drawn a frame sooner or later than planned is still a cue, and no other picture. */
const cueSlack = 2;

/** The parts of the frame that captions or layers lie over at a delivered frame. */
export const laidOver = (plan: RenderPlan, k: number): MasterRect[] => coveredAt(plan, k, cueSlack);

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
    const { plan, size } = this;
    for (const k of this.shownBy.get(frame) ?? []) {
      const layout = planLayout(plan, k);
      const { data, known } = drawPlan(
        lean ? leaning(layout, lean, k) : layout,
        gridOf(this.master, bytes),
        plan.master.displayed,
        plan.frame,
        size,
      );
      for (const over of laidOver(plan, k)) this.hide(known, over);
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

  /** Marks a part of the frame as unknown, with all cells that it touches. */
  private hide(known: Uint8Array, part: MasterRect): void {
    const { width, height } = this.size;
    const [kx, ky] = [width / this.plan.frame.width, height / this.plan.frame.height];
    const [left, right] = [Math.floor(part.x * kx), Math.ceil((part.x + part.width) * kx)];
    for (let y = Math.floor(part.y * ky); y < Math.min(height, Math.ceil((part.y + part.height) * ky)); y++)
      known.fill(0, y * width + left, y * width + Math.min(width, right));
  }
}
