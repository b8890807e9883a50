import { masterFrameAt, sampledFrames, type Lean } from '@mivvy/core';
import { CloseLooks } from './close-looks.ts';
import type { CompareJob } from './compare-job.ts';
import { decodePictures, type Decoded } from './decode-pictures.ts';
import { fileDecode, masterSmall, type Decode } from './decodes.ts';
import { decodeMaster, readMaster, type MasterWanted } from './master-reading.ts';
import { PlannedPictures } from './planned-pictures.ts';

/** Every so many frames the progress is told. */
const tellEvery = 50;

/** A file and its master, as far as they have been read. */
export class ComparedFilms {
  /** The frames that are looked at closely. */
  readonly samples: number[];
  /** The file's pictures, small, luma alone. */
  readonly thumbs: Uint8Array[] = [];
  readonly planned: PlannedPictures;
  readonly looks: CloseLooks;
  /** What the tools said. */
  words = '';
  private readonly decode: Decode;
  private readonly wanted: MasterWanted;

  constructor(readonly job: CompareJob) {
    const { plan } = job;
    this.samples = sampledFrames(plan);
    this.decode = fileDecode(job, this.samples);
    this.planned = new PlannedPictures(plan, masterSmall(plan), this.decode.small);
    this.looks = new CloseLooks(plan);
    const asPlanned = (k: number) => masterFrameAt(plan, k);
    this.wanted = { span: this.planned.needed, larger: inOrder(this.samples.map(asPlanned)) };
  }

  /**
   * Decodes both films: all frames small, the sampled ones larger. Whether there is anything to be compared.
   *
   * @param onProgress how far the file has come, 0 to 1
   */
  async read(onProgress: (fraction: number) => void): Promise<boolean> {
    const [file, master] = await Promise.all([this.readFile(onProgress), this.readMaster()]);
    this.words += file.words + master.words;
    // A file that breaks off gives what it has; a master that gives nothing can be compared with nothing.
    return (file.ok || this.thumbs.length > 0) && master.ok && this.planned.some;
  }

  private readFile(onProgress: (fraction: number) => void): Promise<Decoded> {
    const { frames } = this.job.plan;
    return decodePictures(this.decode, this.job, {
      small: (bytes, k) => {
        this.thumbs.push(bytes.slice());
        if (k % tellEvery === 0) onProgress(Math.min(1, k / frames));
      },
      large: (planes, i) => this.looks.takeFile(planes, this.samples[i]!),
    });
  }

  private readMaster(): Promise<Decoded> {
    return readMaster(this.job, this.wanted, {
      small: (bytes, frame) => this.planned.draw(bytes, frame, null),
      large: (planes, frame) => this.looks.takeMaster(planes, frame, this.planned.shownBy.get(frame) ?? []),
    });
  }

  /** Draws the plan's small pictures once more, by windows that lean. */
  async drawLeaning(lean: Lean): Promise<void> {
    const { words } = await readMaster(this.job, this.wanted, {
      small: (bytes, frame) => this.planned.draw(bytes, frame, lean),
      large: () => undefined,
    });
    this.words += words;
  }

  /** Fetches larger pictures of other frames of the master. */
  async fetchLarger(frames: readonly number[]): Promise<void> {
    const wanted = { span: this.wanted.span, larger: inOrder(frames) };
    const { words } = await decodeMaster(this.job, wanted, {
      small: () => undefined,
      large: (planes, frame) => this.looks.takeMaster(planes, frame, []),
    });
    this.words += words;
  }
}

/** Frames by their number, each of them once. */
const inOrder = (frames: readonly number[]): number[] => [...new Set(frames)].sort((a, b) => a - b);
