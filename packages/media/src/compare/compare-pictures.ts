import { setImmediate } from 'node:timers/promises';
import {
  coveredAt,
  compareTimes,
  drawPlan,
  gridOf,
  leaning,
  leanOf,
  masterFrameAt,
  placesOf,
  planLayout,
  sampledFrames,
  type FrameSpan,
  type Judged,
  type Layout,
  type Lean,
  type MasterRect,
  type Planes,
  type Size,
} from '@mivvy/core';
import { eachPiece, startChild } from '../workers/child.ts';
import type { CompareJob, PictureComparison } from './compare-job.ts';
import { fileDecode, masterDecode, sameRate, type Decode } from './decodes.ts';
import { MasterShelf } from './master-shelf.ts';
import { PictureJudge } from './picture-judge.ts';

/** The three planes of a picture in 4:2:0, copied. */
function planesOf(bytes: Uint8Array, { width, height }: Size): Planes {
  const half = { width: width / 2, height: height / 2 };
  const [luma, colour] = [width * height, half.width * half.height];
  const plane = (size: Size, from: number, length: number) => ({
    ...size,
    bytes: bytes.slice(from, from + length),
  });
  return {
    luma: plane({ width, height }, 0, luma),
    cb: plane(half, luma, colour),
    cr: plane(half, luma + colour, colour),
  };
}

/** Of the thread that this runs in: it compares one file after the other. */
const shelf = new MasterShelf();
const pictureJudge = new PictureJudge();

/** Every so many frames the progress is told. */
const tellEvery = 50;

/** Pictures that are drawn before the decoders are heard again. */
const hearEvery = 4;

/** What was seen of one frame of a file, and what it should show. */
interface Closely {
  judged: Judged;
  layout: Layout;
}

/**
 * Frames that show something else are told of pictures that lie where they should, with nothing over them all along: others
 * differ from the plan in every frame. What was seen over one of them alone is that something else.
 */
function oddWhere(
  { bars, shifted, foreign }: Pick<PictureComparison, 'bars' | 'shifted' | 'foreign'>,
  odd: FrameSpan[] | undefined,
): Pick<PictureComparison, 'odd' | 'foreign'> {
  const alone = ({ span }: { span: FrameSpan }) =>
    odd?.some(({ from, to }) => span.from >= from && span.to <= to) ?? false;
  const lasting = foreign?.filter((thing) => !alone(thing));
  return { foreign: lasting, odd: bars || shifted.length || lasting?.length ? undefined : odd };
}

/** A cue that is drawn a frame sooner or later than planned is still a cue, and no other picture. */
const cueSlack = 2;

/**
 * Compares a file's pictures with those that its plan asks for: all of them small, some of them closely. `comparison` is
 * null where one of the films could not be read; what the tools said is in `stderr`.
 */
export async function comparePictures(
  job: CompareJob,
  onProgress: (fraction: number) => void,
): Promise<{ comparison: PictureComparison | null; stderr: string }> {
  const { plan } = job;
  const { displayed } = plan.master;
  let words = '';

  /** Runs one decoding to its end and hands over what it gives, in order. */
  async function decode(
    { args, small, large }: Decode,
    onSmall: (bytes: Uint8Array, index: number) => void,
    onLarge: (planes: Planes, index: number) => void,
  ): Promise<boolean> {
    const child = startChild(job.ffmpeg, args, {
      nice: job.nice,
      stdin: 'ignore',
      stdout: 'pipe',
      more: 'pipe',
    });
    let [smalls, larges] = [0, 0];
    await Promise.all([
      eachPiece(child.child.stdout!, small.width * small.height, (bytes) => onSmall(bytes, smalls++)),
      eachPiece(
        child.child.stdio[3] as unknown as AsyncIterable<Buffer>,
        (large.width * large.height * 3) / 2,
        (bytes) => onLarge(planesOf(bytes, large), larges++),
      ),
    ]);
    const code = await child.ended;
    words += child.words();
    return code === 0;
  }

  /** Delivered frames by the master frame that they show. */
  const shownBy = new Map<number, number[]>();
  for (let k = 0; k < plan.frames; k++) {
    const frame = masterFrameAt(plan, k);
    const list = shownBy.get(frame);
    if (list) list.push(k);
    else shownBy.set(frame, [k]);
  }
  const frames = [...shownBy.keys()];
  const needed = {
    from: frames.reduce((a, b) => Math.min(a, b), Infinity),
    to: frames.reduce((a, b) => Math.max(a, b), 0) + 1,
  };

  const filePlanes = new Map<number, Planes>();
  const masterPlanes = new Map<number, Planes>();
  const fileThumbs: Uint8Array[] = [];
  const planThumbs: Float32Array[] = [];
  const unknown: (Uint8Array | null)[] = [];

  const samples = sampledFrames(plan);
  const ofFile = fileDecode(job, samples);
  const sortedFrames = (ks: readonly number[], show: (k: number) => number) =>
    [...new Set(ks.map(show))].sort((a, b) => a - b);
  const masterSamples = sortedFrames(samples, (k) => masterFrameAt(plan, k));
  /** What was seen of sampled frames beside what each of them should show. */
  const seen = new Map<number, Promise<Closely>>();
  const ofMaster = masterDecode(plan, job.masterPath, needed, masterSamples);

  /** Looks at a sampled frame as soon as both films have given it: the decoders go on meanwhile. */
  function lookAsItComes(k: number): void {
    const closely = look(k, k);
    if (closely) seen.set(k, closely);
  }

  /** The parts of the frame that captions or layers lie over at a delivered frame. */
  const laidOver = (k: number): MasterRect[] => coveredAt(plan, k, cueSlack);

  /** Marks a part of a small picture as unknown, with all cells that it touches. */
  function hide(known: Uint8Array, part: MasterRect): void {
    const { width, height } = ofFile.small;
    const [kx, ky] = [width / plan.frame.width, height / plan.frame.height];
    const [left, right] = [Math.floor(part.x * kx), Math.ceil((part.x + part.width) * kx)];
    for (let y = Math.floor(part.y * ky); y < Math.min(height, Math.ceil((part.y + part.height) * ky)); y++)
      known.fill(0, y * width + left, y * width + Math.min(width, right));
  }

  /** Draws what the plan shows of one master frame, wherever it shows it. */
  function drawFrom(bytes: Uint8Array, frame: number, lean: Lean | null): void {
    for (const k of shownBy.get(frame) ?? []) {
      const layout = planLayout(plan, k);
      const drawn = drawPlan(
        lean ? leaning(layout, lean, k) : layout,
        gridOf(ofMaster.small, bytes),
        displayed,
        plan.frame,
        ofFile.small,
      );
      for (const over of laidOver(k)) hide(drawn.known, over);
      planThumbs[k] = drawn.data;
      unknown[k] = drawn.known.every(Boolean) ? null : drawn.known;
    }
  }

  /** Draws from all of the master's pictures that are needed: from those of a version before, or as they are decoded. */
  async function readMaster(): Promise<boolean> {
    const key = await MasterShelf.keyOf(plan, job.masterPath, ofMaster.args);
    const known = key === null ? undefined : shelf.find(key);
    if (known) {
      known.larges.forEach((planes, frame) => masterPlanes.set(frame, planes));
      for (const [i, bytes] of known.smalls.entries()) {
        drawFrom(bytes, i + ofMaster.skipped, null);
        // The file's decoder is heard in between, and never waits for all of them.
        if (i % hearEvery === 0) await setImmediate();
      }
      return true;
    }
    const { small } = ofMaster;
    const smalls: Uint8Array[] = [];
    // Of a film that is gone, the decoder says so.
    const keeps = key !== null && shelf.bears((needed.to - ofMaster.skipped) * small.width * small.height);
    const read = await decode(
      ofMaster,
      (bytes, i) => {
        if (keeps) smalls.push(bytes.slice());
        drawFrom(bytes, i + ofMaster.skipped, null);
      },
      (planes, i) => {
        masterPlanes.set(masterSamples[i]!, planes);
        for (const k of shownBy.get(masterSamples[i]!) ?? []) lookAsItComes(k);
      },
    );
    if (read && keeps) shelf.keep(key, { smalls, larges: new Map(masterPlanes) });
    return read;
  }

  /** Decodes both films once: all frames small, the sampled ones larger. */
  async function decodeBoth(): Promise<boolean> {
    const [fileRead, masterRead] = await Promise.all([
      decode(
        ofFile,
        (bytes, k) => {
          fileThumbs.push(bytes.slice());
          if (k % tellEvery === 0) onProgress(Math.min(0.8, (0.8 * k) / plan.frames));
        },
        (planes, i) => {
          filePlanes.set(samples[i]!, planes);
          lookAsItComes(samples[i]!);
        },
      ),
      readMaster(),
    ]);
    // A file that breaks off gives what it has; a master that gives nothing can be compared with nothing.
    return (fileRead || fileThumbs.length > 0) && masterRead && planThumbs.some(Boolean);
  }

  /** Decodes the master once more, for pictures of other frames or of windows that lean. */
  async function decodeMasterAgain(wanted: readonly number[], lean: Lean | null): Promise<void> {
    const again = masterDecode(plan, job.masterPath, needed, wanted);
    await decode(
      again,
      (bytes, i) => (lean ? drawFrom(bytes, i + again.skipped, lean) : undefined),
      (planes, i) => masterPlanes.set(wanted[i]!, planes),
    );
  }

  /** Closes gaps among the plan's pictures, and makes both films the same where nothing is known of the plan. */
  function settleThumbs(): void {
    const blank = new Float32Array(ofFile.small.width * ofFile.small.height);
    for (let k = 0; k < plan.frames; k++) planThumbs[k] ??= planThumbs[k - 1] ?? blank;
    unknown.forEach((known, k) => {
      if (!known) return;
      for (let i = 0; i < known.length; i++) {
        if (known[i]) continue;
        planThumbs[k]![i] = 0;
        if (fileThumbs[k]) fileThumbs[k]![i] = 0;
      }
    });
  }

  /** Looks closely at a frame of the file beside what a frame of the plan shows; null while one of the two is missing. */
  function look(k: number, shown: number): Promise<Closely> | null {
    const [file, master] = [filePlanes.get(k), masterPlanes.get(masterFrameAt(plan, shown))];
    if (!file || !master) return null;
    const layout = planLayout(plan, shown);
    const sample = { at: k, file, master, layout, over: laidOver(k) };
    const films = { master: displayed, frame: plan.frame };
    return pictureJudge.judge({ films, sample }).then((judged) => ({ layout, judged }));
  }

  /** Looks closely at some frames of the file beside the frame of the plan that each of them shows. */
  async function lookClosely(frames: readonly number[], shows: (k: number) => number) {
    const closely = await Promise.all(
      frames.flatMap((k) => (shows(k) === k ? seen.get(k) : look(k, shows(k))) ?? []),
    );
    return { judged: closely.map(({ judged }) => judged), layouts: closely.map(({ layout }) => layout) };
  }

  async function compare(): Promise<PictureComparison | null> {
    if (!(await decodeBoth())) return null;
    const asPlanned = (k: number) => Math.min(k, plan.frames - 1);
    const first = await lookClosely(
      samples.filter((k) => k < fileThumbs.length),
      asPlanned,
    );
    onProgress(0.85);
    // Windows that lie beside the plan's would be taken for pictures of other frames.
    const lean = leanOf(first.judged, first.layouts);
    if (lean) await decodeMasterAgain([], lean);
    settleThumbs();
    const { shows, ...compared } = compareTimes(fileThumbs, planThumbs, plan.rate, ofFile.small);
    // Another rate repeats frames or leaves them out all along; that is said by the rate's own line.
    const times = sameRate(job.file.rate, plan.rate)
      ? compared
      : { ...compared, repeated: null, missing: null, odd: undefined };
    const clouded = [...times.black, ...(times.frozen ?? []), ...(times.repeated ?? [])];
    const isClear = (k: number) => !clouded.some((s) => k >= s.from - 1 && k < s.to + 1);
    const outOfStep = samples.filter((k) => k < fileThumbs.length && isClear(k) && shows[k] !== asPlanned(k));
    if (!outOfStep.length) {
      const kept = [...first.judged.keys()].filter((i) => isClear(first.judged[i]!.at));
      const places = placesOf(
        kept.map((i) => first.judged[i]!),
        kept.map((i) => first.layouts[i]!),
      );
      return { ...times, ...places, ...oddWhere(places, times.odd) };
    }
    // A file that is out of step is looked at again, beside the frames that it really shows.
    const clear = samples.filter((k) => k < fileThumbs.length && isClear(k));
    await decodeMasterAgain(
      sortedFrames(clear, (k) => masterFrameAt(plan, shows[k]!)),
      null,
    );
    const second = await lookClosely(clear, (k) => shows[k]!);
    const places = placesOf(second.judged, second.layouts);
    // Windows that lie elsewhere even so: then it was they, and not the time, that made its pictures differ.
    const share = places.shifted.reduce((sum, s) => sum + s.to - s.from, 0) / plan.frames;
    if (!lean && share > 0.5)
      return {
        ...times,
        frozen: null,
        repeated: null,
        missing: null,
        odd: undefined,
        ...placesOf(first.judged, first.layouts),
      };
    return { ...times, ...places, ...oddWhere(places, times.odd) };
  }

  return { comparison: await compare(), stderr: words };
}
