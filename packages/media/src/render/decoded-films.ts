import { randomUUID } from 'node:crypto';
import { mkdir, rename, rm, statfs } from 'node:fs/promises';
import { join } from 'node:path';
import { ok, type FrameSpan, type RenderPlan, type Result } from '@mivvy/core';
import { inputArgs, runFfmpeg, runFfmpegToMemory, type RunOptions } from '../ffmpeg/run.ts';
import { filmKey } from './film-key.ts';
import { wholePictures } from './filters.ts';
import { filmItself, type PictureSource } from './picture-source.ts';
import { wayInto, type MasterHandling } from './way-in.ts';

/**
 * It may take this part of the memory that is free, where it stays until it is read again: writing it to the disk and
 * reading it from there may cost more than decoding does. On a machine with 20 GB free that is a minute of 1080p.
 */
const ofMemory = 1 / 4;
/** It may take this part of the disk that is free. */
const ofDisk = 1 / 4;
/** It is let go when nothing was made from it for so long, milliseconds. */
const keptMs = 60_000;

/** Bytes that decoded pictures may take in a folder. */
const roomIn = async (folder: string): Promise<number> => {
  const { bavail, bsize } = await statfs(folder);
  return Math.min(process.availableMemory() * ofMemory, bavail * bsize * ofDisk);
};

/** Pictures of a film that lie decoded, and who reads them. */
interface Decoded {
  key: string;
  span: FrameSpan;
  path: string;
  /** Null where they could not be made; then each reads the film. */
  made: Promise<PictureSource | null>;
  readers: number;
}

/** A source of pictures for a while. */
export interface Lent {
  source: PictureSource;
  /** To be called once, when nothing is read from it any more. */
  giveBack: () => Promise<void>;
}

interface Lending extends Pick<RunOptions, 'signal' | 'logFile' | 'nice'> {
  /** Whether further versions of the film are waiting to be made. */
  wanted: () => boolean | Promise<boolean>;
  /** Called when the film begins to be decoded for all of them. */
  onDecoding?: () => void;
}

/** From the first kept frame of a plan to its last. */
const hullOf = ({ kept }: RenderPlan): FrameSpan => ({
  from: Math.min(...kept.map(({ from }) => from)),
  to: Math.max(...kept.map(({ to }) => to)),
});

const within = (inner: FrameSpan, outer: FrameSpan) => inner.from >= outer.from && inner.to <= outer.to;

/** A film's pictures as they lie decoded: one for each frame, whole, in the film's own colours. */
const conformed = ({ countedFromStart: _counted, ...master }: MasterHandling): MasterHandling => ({
  ...master,
  videoStream: 0,
  videoStartSeconds: 0,
  rateVaries: false,
  interlaced: false,
});

/**
 * Decodes a film once for several versions that are made from it one after the other. One film's pictures are kept at a
 * time, as they come from the decoder, in a file that fits into the free memory; a film that is too large for that, or
 * that only one version is made of, is decoded for each pass as it always was. A version is the same, to the byte.
 */
export class DecodedFilms {
  private at: Decoded | null = null;
  private idle: NodeJS.Timeout | undefined;

  constructor(
    private readonly folder: string,
    private readonly room: (folder: string) => Promise<number> = roomIn,
  ) {}

  /** Where a plan's pictures are read from. Throws `Cancelled`. */
  async lend(plan: RenderPlan, masterPath: string, lending: Lending): Promise<Lent> {
    const itself = { source: filmItself(plan, masterPath), giveBack: () => Promise.resolve() };
    // What is brought down from a high dynamic range is read by tags that raw pictures do not carry.
    if (plan.master.hdr !== 'none') return itself;
    const key = await filmKey(masterPath, { master: plan.master });
    if (key === null) return itself;
    const span = hullOf(plan);
    const wanted = await lending.wanted();
    clearTimeout(this.idle);
    const fits = this.at?.key === key && within(span, this.at.span);
    if (!fits) {
      // Whoever still reads the other one keeps it.
      if (this.at?.readers) return itself;
      await this.drop();
      if (!wanted) return itself;
    }
    // Another may have begun to decode while this one waited for the disk.
    const at = this.at ?? this.begin(plan, masterPath, { key, span, lending });
    if (at.key !== key || !within(span, at.span)) return itself;
    at.readers++;
    try {
      const source = await at.made;
      return { source: source ?? itself.source, giveBack: () => this.giveBack(at, lending.wanted) };
    } catch (error) {
      await this.giveBack(at, () => false);
      if (lending.signal?.aborted) throw error;
      return itself; // whoever decoded was stopped, not this one
    }
  }

  private begin(
    plan: RenderPlan,
    masterPath: string,
    { key, span, lending }: { key: string; span: FrameSpan; lending: Lending },
  ): Decoded {
    const path = join(this.folder, `decoded-${randomUUID()}.nut`);
    const made = this.decode(plan, masterPath, { span, path, lending });
    made.catch(() => undefined); // awaited by each reader
    this.at = { key, span, path, made, readers: 0 };
    return this.at;
  }

  private async decode(
    plan: RenderPlan,
    masterPath: string,
    { span, path, lending }: { span: FrameSpan; path: string; lending: Lending },
  ): Promise<PictureSource | null> {
    const { master } = plan;
    const run = { signal: lending.signal, logFile: lending.logFile, nice: lending.nice ?? false };
    await mkdir(this.folder, { recursive: true });
    const frames = span.to - span.from;
    const onePicture = await weigh(master, masterPath, lending.signal);
    if (!onePicture.ok || onePicture.value * frames > (await this.room(this.folder))) return null;
    lending.onDecoding?.();
    const way = wayInto(master, span.from);
    const part = `${path}.part`;
    const decoded = await runFfmpeg(
      [
        ...way.args,
        ...inputArgs(masterPath),
        ...['-map', `0:${master.videoStream}`, '-vf', wholePictures(way, span)],
        ...['-fps_mode', 'passthrough', '-c:v', 'rawvideo', '-f', 'nut', part],
      ],
      run,
    ).catch(async (error: unknown) => {
      await rm(part, { force: true });
      throw error;
    });
    // Whatever stopped it will stop the export itself, which says why.
    if (!decoded.ok) {
      await rm(part, { force: true });
      return null;
    }
    await rename(part, path);
    return { path, master: conformed(master), first: span.from };
  }

  private async giveBack(at: Decoded, wanted: Lending['wanted']): Promise<void> {
    at.readers--;
    const goesOn = await wanted();
    if (at.readers > 0 || at !== this.at) return;
    if (!goesOn) return this.drop();
    this.idle = setTimeout(() => void (this.at?.readers ? undefined : this.drop()), keptMs).unref();
  }

  private async drop(): Promise<void> {
    const { at } = this;
    this.at = null;
    if (at) await rm(at.path, { force: true });
  }
}

/** Bytes that one decoded picture of a film takes. */
async function weigh(
  master: MasterHandling,
  path: string,
  signal: AbortSignal | undefined,
): Promise<Result<number>> {
  const map = ['-map', `0:${master.videoStream}`, '-frames:v', '1'];
  const one = await runFfmpegToMemory(
    [...inputArgs(path), ...map, '-c:v', 'rawvideo', '-f', 'rawvideo', 'pipe:1'],
    { signal },
  );
  return one.ok ? ok(one.value.length) : one;
}
