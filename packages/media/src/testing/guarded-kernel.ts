import { loadKernel, type Kernel } from '../render/resampler.ts';

/** Bytes on either side of a block that nobody may touch: a page of WebAssembly's memory. */
const page = 65536;
/** What a block may read past its end and never use; see the kernel's `spare`. */
const spare = 32;

/** A kernel whose blocks lie between pages filled with a value, and a look whether all of those are as they were. */
export interface GuardedKernel {
  kernel: Kernel;
  /** Blocks whose surroundings have been written to. */
  broken: () => number;
}

/**
 * Loads a kernel with guarded blocks. What was released is filled with the value as well, so that a read of it
 * draws something else.
 *
 * @param value what the guards hold: a picture that depends on it was drawn from outside its blocks
 */
export async function guardedKernel(value: number): Promise<GuardedKernel> {
  const kernel = await loadKernel();
  const blocks = new Map<number, number>();
  const untouched = new Uint8Array(page).fill(value);
  const bytes = (at: number, length: number) => new Uint8Array(kernel.memory.buffer, at, length);
  const guards = (at: number, length: number) => [bytes(at - page, page), bytes(at + length, page)];
  return {
    kernel: {
      ...kernel,
      reserve(length) {
        const at = kernel.reserve(length + 2 * page) + page;
        bytes(at - page, length + 2 * page).fill(value);
        blocks.set(at, length);
        return at;
      },
      release(at) {
        const length = blocks.get(at);
        if (length === undefined) throw new Error('released twice, or never reserved');
        blocks.delete(at);
        bytes(at, length + spare).fill(value);
        kernel.release(at - page);
      },
    },
    broken: () =>
      [...blocks].filter(([at, length]) =>
        guards(at, length).some((guard) => Buffer.compare(guard, untouched) !== 0),
      ).length,
  };
}
