import FFT from 'fft.js';

/** The transform that was used last: its tables take as long to make as a transform, and pieces of a film are of one length. */
let last: FFT | null = null;

function transformOf(size: number): FFT {
  if (last?.size !== size) last = new FFT(size);
  return last;
}

/**
 * How a piece of a signal goes with a longer one at every place at which it lies wholly in it: the sum of their products,
 * by the convolution theorem, so that the time goes with n·log n and not with n².
 *
 * @returns a sum for each place, from the longer one's start on; empty where the piece is the longer one
 */
export function correlate(piece: Float32Array, around: Float32Array): Float64Array {
  const places = around.length - piece.length + 1;
  if (piece.length === 0 || places <= 0) return new Float64Array(0);
  // A place's sum never reaches beyond the longer signal, so a transform of its length does not wrap round.
  const fft = transformOf(2 ** Math.max(1, Math.ceil(Math.log2(around.length))));
  const spectrumOf = (signal: Float32Array) => {
    const padded = new Float64Array(fft.size);
    padded.set(signal);
    const spectrum = new Float64Array(2 * fft.size);
    fft.realTransform(spectrum, padded);
    fft.completeSpectrum(spectrum);
    return spectrum;
  };
  const [a, b] = [spectrumOf(around), spectrumOf(piece)];
  for (let i = 0; i < a.length; i += 2) {
    // Times the conjugate: a correlation, where the plain product would be a convolution.
    const [re, im] = [a[i]! * b[i]! + a[i + 1]! * b[i + 1]!, a[i + 1]! * b[i]! - a[i]! * b[i + 1]!];
    a[i] = re;
    a[i + 1] = im;
  }
  const sums = new Float64Array(2 * fft.size);
  fft.inverseTransform(sums, a);
  return Float64Array.from({ length: places }, (_, i) => sums[2 * i]!);
}
