import {
  masterFrameAt,
  planLayout,
  type Judged,
  type Layout,
  type Planes,
  type RenderPlan,
} from '@mivvy/core';
import { PictureJudge } from './picture-judge.ts';
import { laidOver } from './planned-pictures.ts';

/** Of the thread that this runs in. */
const pictureJudge = new PictureJudge();

/** What was seen of one frame of a file, and what it should show. */
export interface Look {
  judged: Judged;
  layout: Layout;
}

/** Looks closely at some frames of a file beside what its plan shows of its master. */
export class CloseLooks {
  private readonly file = new Map<number, Planes>();
  private readonly master = new Map<number, Planes>();
  /** Of frames that are held against the plan's frame of the same number. */
  private readonly begun = new Map<number, Promise<Look>>();

  constructor(private readonly plan: RenderPlan) {}

  /** Takes a picture of the file: it is looked at as soon as both films have given it, while the decoders go on. */
  takeFile(planes: Planes, k: number): void {
    this.file.set(k, planes);
    this.begin(k);
  }

  /** Takes a picture of the master, which the plan shows at some frames. */
  takeMaster(planes: Planes, frame: number, shownAt: readonly number[]): void {
    this.master.set(frame, planes);
    for (const k of shownAt) this.begin(k);
  }

  /** What was seen of some frames beside the plan's frame that each of them shows; those that a film lacks are left out. */
  of(frames: readonly number[], shows: (k: number) => number): Promise<Look[]> {
    return Promise.all(
      frames.flatMap((k) => (shows(k) === k ? this.begun.get(k) : this.look(k, shows(k))) ?? []),
    );
  }

  private begin(k: number): void {
    const look = this.begun.has(k) ? null : this.look(k, k);
    if (look) this.begun.set(k, look);
  }

  /** Looks at a frame of the file beside a frame of the plan; null while one of the two is missing. */
  private look(k: number, shown: number): Promise<Look> | null {
    const { plan } = this;
    const [file, master] = [this.file.get(k), this.master.get(masterFrameAt(plan, shown))];
    if (!file || !master) return null;
    const layout = planLayout(plan, shown);
    const sample = { at: k, file, master, layout, over: laidOver(plan, k) };
    const films = { master: plan.master.displayed, frame: plan.frame };
    return pictureJudge.judge({ films, sample }).then((judged) => ({ layout, judged }));
  }
}
