/**
 * The resampler's inner loops, in AssemblyScript, compiled to WebAssembly with SIMD. One plane at a time, separable:
 * rows first into 16-bit values, then columns back to bytes. Weights are 14-bit fixed point and sum to 16384; the
 * tables are made by `render/taps.ts`.
 */

/** Reserves memory that stays for good. Reads run up to 16 bytes past a row's end, so every block has that to spare. */
export function reserve(bytes: i32): usize {
  return heap.alloc(<usize>bytes + 32);
}

/** Gives memory back. */
export function release(at: usize): void {
  heap.free(at);
}

/** Resamples rows `from` up to `to` of a plane across: `count` values a row, `taps` weights each (a multiple of 8). */
export function across(
  src: usize,
  stride: i32,
  from: i32,
  to: i32,
  starts: usize,
  weights: usize,
  taps: i32,
  count: i32,
  out: usize,
  outStride: i32,
): void {
  for (let y = from; y < to; y++) {
    const row = src + <usize>(y * stride);
    const target = out + <usize>((y - from) * outStride * 2);
    if (taps === 8) {
      for (let x = 0; x < count; x++) {
        const at = row + <usize>load<i32>(starts + ((<usize>x) << 2));
        const acc = i32x4.dot_i16x8_s(v128.load_ext<u8>(at), v128.load(weights + ((<usize>x) << 4)));
        const half = i32x4.add(acc, i32x4.shuffle(acc, acc, 2, 3, 0, 1));
        store<i16>(
          target + ((<usize>x) << 1),
          <i16>((i32x4.extract_lane(half, 0) + i32x4.extract_lane(half, 1) + 128) >> 8),
        );
      }
    } else {
      for (let x = 0; x < count; x++) {
        const at = row + <usize>load<i32>(starts + ((<usize>x) << 2));
        const w = weights + <usize>(x * taps * 2);
        let acc = i32x4.splat(0);
        for (let k = 0; k < taps; k += 8)
          acc = i32x4.add(
            acc,
            i32x4.dot_i16x8_s(v128.load_ext<u8>(at + <usize>k), v128.load(w + ((<usize>k) << 1))),
          );
        const half = i32x4.add(acc, i32x4.shuffle(acc, acc, 2, 3, 0, 1));
        store<i16>(
          target + ((<usize>x) << 1),
          <i16>((i32x4.extract_lane(half, 0) + i32x4.extract_lane(half, 1) + 128) >> 8),
        );
      }
    }
  }
}

/** Resamples columns: `rows` lines of `count` bytes from the lines that {@link across} made; `taps` a multiple of 2. */
export function down(
  src: usize,
  srcStride: i32,
  starts: usize,
  weights: usize,
  taps: i32,
  rows: i32,
  count: i32,
  out: usize,
  outStride: i32,
): void {
  const round = i32x4.splat(1 << 19);
  for (let y = 0; y < rows; y++) {
    const first = src + <usize>(load<i32>(starts + ((<usize>y) << 2)) * srcStride * 2);
    const w = weights + <usize>(y * taps * 2);
    const target = out + <usize>(y * outStride);
    for (let x = 0; x < count; x += 8) {
      let low = round;
      let high = round;
      let line = first + ((<usize>x) << 1);
      for (let k = 0; k < taps; k += 2) {
        const a = v128.load(line);
        const b = v128.load(line + <usize>(srcStride << 1));
        const pair = i32x4.splat(load<i32>(w + ((<usize>k) << 1)));
        low = i32x4.add(low, i32x4.dot_i16x8_s(i16x8.shuffle(a, b, 0, 8, 1, 9, 2, 10, 3, 11), pair));
        high = i32x4.add(high, i32x4.dot_i16x8_s(i16x8.shuffle(a, b, 4, 12, 5, 13, 6, 14, 7, 15), pair));
        line += <usize>(srcStride << 2);
      }
      const words = i16x8.narrow_i32x4_s(i32x4.shr_s(low, 20), i32x4.shr_s(high, 20));
      const bytes = i8x16.narrow_i16x8_u(words, words);
      if (x + 8 <= count) v128.store_lane<u64>(target + <usize>x, bytes, 0);
      else {
        let rest = i64x2.extract_lane(bytes, 0);
        for (let i = x; i < count; i++) {
          store<u8>(target + <usize>i, <u8>rest);
          rest >>= 8;
        }
      }
    }
  }
}

/** Fills lines of a plane with one value. */
export function flood(out: usize, stride: i32, count: i32, rows: i32, value: i32): void {
  for (let y = 0; y < rows; y++) memory.fill(out + <usize>(y * stride), <u8>value, <usize>count);
}
