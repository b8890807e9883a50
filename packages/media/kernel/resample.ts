/**
 * The resampler's inner loops, in AssemblyScript, compiled to WebAssembly with SIMD. One plane at a time, separable:
 * rows first into 16-bit values, then columns back to bytes. Weights are 14-bit fixed point and sum to 16384; the
 * tables are made by `render/taps.ts`.
 *
 * Every loop first works out the lowest and the highest address that it would read and write, and refuses to run where
 * one lies outside the block that it was given: a wrong table is an error with a name, never a trap or a wrong picture.
 */

/** A loop ran. */
const done = 0;
/** A read or a write would leave its block. */
const outside = 1;

/** Bytes past a block's end that may be read, and are never used. */
const spare = 32;

/** Reserves memory. Reads run up to 16 bytes past a row's end, so every block has that to spare. */
export function reserve(bytes: i32): usize {
  return heap.alloc(<usize>bytes + spare);
}

/** Gives memory back. */
export function release(at: usize): void {
  heap.free(at);
}

/** The smallest and the largest of a table's starts, in this order in 64 bits. */
function rangeOf(starts: usize, count: i32): i64 {
  let least = i32.MAX_VALUE;
  let most = i32.MIN_VALUE;
  for (let i = 0; i < count; i++) {
    const start = load<i32>(starts + ((<usize>i) << 2));
    least = min(least, start);
    most = max(most, start);
  }
  return ((<i64>least) << 32) | ((<i64>most) & 0xffffffff);
}

/** Products of eight source bytes with eight weights, in four parts that are still to be added up. */
function products(bytes: usize, weights: v128): v128 {
  return i32x4.dot_i16x8_s(v128.load_ext<u8>(bytes), weights);
}

/** The same of more bytes: `taps` of them. */
function allProducts(bytes: usize, weights: usize, taps: i32): v128 {
  let sum = products(bytes, v128.load(weights));
  for (let k = 8; k < taps; k += 8)
    sum = i32x4.add(sum, products(bytes + <usize>k, v128.load(weights + ((<usize>k) << 1))));
  return sum;
}

/** Adds up the four parts of each of four sums of products: four 16-bit values. */
function valuesOf(a: v128, b: v128, c: v128, d: v128): v128 {
  const ab = i32x4.add(i32x4.shuffle(a, b, 0, 4, 1, 5), i32x4.shuffle(a, b, 2, 6, 3, 7));
  const cd = i32x4.add(i32x4.shuffle(c, d, 0, 4, 1, 5), i32x4.shuffle(c, d, 2, 6, 3, 7));
  const sums = i32x4.add(i32x4.shuffle(ab, cd, 0, 1, 4, 5), i32x4.shuffle(ab, cd, 2, 3, 6, 7));
  const values = i32x4.shr_s(i32x4.add(sums, i32x4.splat(128)), 8);
  return i16x8.narrow_i32x4_s(values, values);
}

/** Rows that are resampled together: what belongs to a column is read once for all of them. */
const together = 4;

/**
 * Resamples rows `from` up to `to` of a plane across: `count` values a row, `taps` weights each (a multiple of 8).
 *
 * @param srcBytes size of the block at `src`
 * @param outBytes size of the block at `out`
 * @returns 0, or 1 where the tables lead outside a block; then nothing was written
 */
export function across(
  src: usize,
  srcBytes: i32,
  stride: i32,
  from: i32,
  to: i32,
  starts: usize,
  weights: usize,
  taps: i32,
  count: i32,
  out: usize,
  outBytes: i32,
  outStride: i32,
): i32 {
  if (count <= 0 || to <= from) return done;
  const range = rangeOf(starts, count);
  const least = <i32>(range >> 32);
  const most = <i32>range;
  const lastRead = <i64>(to - 1) * stride + most + taps;
  const lastWritten = (<i64>(to - from - 1) * outStride + count) * 2;
  if (from < 0 || least < 0 || lastRead > <i64>srcBytes + spare || lastWritten > <i64>outBytes)
    return outside;
  const step = <usize>(taps << 1);
  const whole = count & ~3;
  for (let y = from; y < to; y += together) {
    const end = min(to, y + together);
    for (let x = 0; x < whole; x += 4) {
      const a = <usize>load<i32>(starts + ((<usize>x) << 2));
      const b = <usize>load<i32>(starts + ((<usize>x) << 2), 4);
      const c = <usize>load<i32>(starts + ((<usize>x) << 2), 8);
      const d = <usize>load<i32>(starts + ((<usize>x) << 2), 12);
      const w = weights + <usize>x * step;
      let row = src + <usize>(y * stride);
      let target = out + <usize>(((y - from) * outStride + x) << 1);
      if (taps === 8) {
        const wa = v128.load(w);
        const wb = v128.load(w, 16);
        const wc = v128.load(w, 32);
        const wd = v128.load(w, 48);
        for (let n = y; n < end; n++) {
          const values = valuesOf(
            products(row + a, wa),
            products(row + b, wb),
            products(row + c, wc),
            products(row + d, wd),
          );
          v128.store_lane<u64>(target, values, 0);
          row += <usize>stride;
          target += <usize>(outStride << 1);
        }
      } else {
        for (let n = y; n < end; n++) {
          const values = valuesOf(
            allProducts(row + a, w, taps),
            allProducts(row + b, w + step, taps),
            allProducts(row + c, w + step * 2, taps),
            allProducts(row + d, w + step * 3, taps),
          );
          v128.store_lane<u64>(target, values, 0);
          row += <usize>stride;
          target += <usize>(outStride << 1);
        }
      }
    }
    for (let x = whole; x < count; x++) {
      const bytes = src + <usize>load<i32>(starts + ((<usize>x) << 2));
      for (let n = y; n < end; n++) {
        const sum = allProducts(bytes + <usize>(n * stride), weights + <usize>x * step, taps);
        const target = out + <usize>(((n - from) * outStride + x) << 1);
        store<i16>(target, <i16>i16x8.extract_lane_s(valuesOf(sum, sum, sum, sum), 0));
      }
    }
  }
  return done;
}

/** Products of two lines' values with a pair of weights: the first four of eight columns, or the last four. */
function firstFour(a: v128, b: v128, pair: v128): v128 {
  return i32x4.dot_i16x8_s(i16x8.shuffle(a, b, 0, 8, 1, 9, 2, 10, 3, 11), pair);
}
function lastFour(a: v128, b: v128, pair: v128): v128 {
  return i32x4.dot_i16x8_s(i16x8.shuffle(a, b, 4, 12, 5, 13, 6, 14, 7, 15), pair);
}

/** Puts eight columns' sums down as bytes; of those at the end of a line `left` are left. */
function put(target: usize, low: v128, high: v128, left: i32): void {
  const words = i16x8.narrow_i32x4_s(i32x4.shr_s(low, 20), i32x4.shr_s(high, 20));
  const bytes = i8x16.narrow_i16x8_u(words, words);
  if (left >= 8) {
    v128.store_lane<u64>(target, bytes, 0);
    return;
  }
  let rest = i64x2.extract_lane(bytes, 0);
  for (let i = 0; i < left; i++) {
    store<u8>(target + <usize>i, <u8>rest);
    rest >>= 8;
  }
}

/**
 * Resamples columns: `rows` lines of `count` bytes from the lines that {@link across} made; `taps` a multiple of 2.
 *
 * @param top the plane's row that the first line of `src` was made from
 * @returns 0, or 1 where the tables lead outside a block; then nothing was written
 */
export function down(
  src: usize,
  srcBytes: i32,
  srcStride: i32,
  top: i32,
  starts: usize,
  weights: usize,
  taps: i32,
  rows: i32,
  count: i32,
  out: usize,
  outBytes: i32,
  outStride: i32,
): i32 {
  if (count <= 0 || rows <= 0) return done;
  const range = rangeOf(starts, rows);
  const least = <i32>(range >> 32);
  const most = <i32>range;
  // Eight columns are read at a time.
  const lastRead = (<i64>(most - top + taps - 1) * srcStride + ((count + 7) & ~7)) * 2;
  const lastWritten = <i64>(rows - 1) * outStride + count;
  if (least < top || lastRead > <i64>srcBytes || lastWritten > <i64>outBytes) return outside;
  const round = i32x4.splat(1 << 19);
  const step = <usize>(srcStride << 1);
  for (let y = 0; y < rows; y++) {
    const first = src + <usize>((load<i32>(starts + ((<usize>y) << 2)) - top) * srcStride * 2);
    const w = weights + <usize>(y * taps * 2);
    const target = out + <usize>(y * outStride);
    if (taps === 6) {
      // A picture that is drawn larger: its weights stay where they are for the whole line.
      const one = i32x4.splat(load<i32>(w));
      const two = i32x4.splat(load<i32>(w, 4));
      const three = i32x4.splat(load<i32>(w, 8));
      for (let x = 0; x < count; x += 8) {
        const l0 = first + ((<usize>x) << 1);
        const l2 = l0 + (step << 1);
        const l4 = l2 + (step << 1);
        const a = v128.load(l0);
        const b = v128.load(l0 + step);
        const c = v128.load(l2);
        const d = v128.load(l2 + step);
        const e = v128.load(l4);
        const f = v128.load(l4 + step);
        const low = i32x4.add(
          i32x4.add(round, firstFour(a, b, one)),
          i32x4.add(firstFour(c, d, two), firstFour(e, f, three)),
        );
        const high = i32x4.add(
          i32x4.add(round, lastFour(a, b, one)),
          i32x4.add(lastFour(c, d, two), lastFour(e, f, three)),
        );
        put(target + <usize>x, low, high, count - x);
      }
      continue;
    }
    for (let x = 0; x < count; x += 8) {
      let low = round;
      let high = round;
      let line = first + ((<usize>x) << 1);
      for (let k = 0; k < taps; k += 2) {
        const a = v128.load(line);
        const b = v128.load(line + step);
        const pair = i32x4.splat(load<i32>(w + ((<usize>k) << 1)));
        low = i32x4.add(low, firstFour(a, b, pair));
        high = i32x4.add(high, lastFour(a, b, pair));
        line += step << 1;
      }
      put(target + <usize>x, low, high, count - x);
    }
  }
  return done;
}

/** Fills lines of a plane with one value. @returns 0, or 1 where the lines leave the block */
export function flood(out: usize, outBytes: i32, stride: i32, count: i32, rows: i32, value: i32): i32 {
  if (<i64>(rows - 1) * stride + count > <i64>outBytes) return outside;
  for (let y = 0; y < rows; y++) memory.fill(out + <usize>(y * stride), <u8>value, <usize>count);
  return done;
}
