/** The three planes of a picture in a few cells: luma, and both colour differences. */
export type Tones = readonly [Float32Array, Float32Array, Float32Array];

/** A picture of a file beside the plan's, cell by cell. */
export interface TonePair {
  file: Tones;
  plan: Tones;
}

/** How a file's tones and colours go with its plan's. */
export interface Grade {
  /** By what share its contrast is higher, or lower below zero; null where the film has too little. */
  contrast: number | null;
  /** How far its colours lie from the plan's at most, as a share of what they are: fainter, stronger, or of another hue. */
  tint: number | null;
}

/** Colour differences have this value where there is no colour. */
const neutral = 128;
/** Luma that spreads less than this, levels, tells nothing of contrast. */
const leastSpread = 12;
/** Colours that are weaker than this, levels, root of the mean square, tell nothing. */
const leastColour = 8;

/** The slope of the line that goes best through pairs of values; null where the first ones spread too little. */
function slopeOf(pairs: readonly (readonly [Float32Array, Float32Array])[]): number | null {
  let [n, sx, sy, sxx, sxy] = [0, 0, 0, 0, 0];
  for (const [xs, ys] of pairs)
    for (let i = 0; i < xs.length; i++) {
      const [x, y] = [xs[i]!, ys[i]!];
      n++;
      sx += x;
      sy += y;
      sxx += x * x;
      sxy += x * y;
    }
  if (n === 0) return null;
  const variance = sxx / n - (sx / n) ** 2;
  return variance < leastSpread ** 2 ? null : (sxy / n - (sx / n) * (sy / n)) / variance;
}

/**
 * How far colours are from the plan's, along the direction in which the film has most of them and across it: the length of
 * what one level of colour becomes, less that level itself.
 */
function tintOf(pairs: readonly TonePair[]): number | null {
  // Second moments of the plan's colours, and of theirs with the file's.
  let [n, bb, rr, br] = [0, 0, 0, 0];
  let [fbb, fbr, frb, frr] = [0, 0, 0, 0];
  for (const { file, plan } of pairs)
    for (let i = 0; i < plan[1].length; i++) {
      const [pb, pr] = [plan[1][i]! - neutral, plan[2][i]! - neutral];
      const [fb, fr] = [file[1][i]! - neutral, file[2][i]! - neutral];
      n++;
      bb += pb * pb;
      rr += pr * pr;
      br += pb * pr;
      fbb += fb * pb;
      fbr += fb * pr;
      frb += fr * pb;
      frr += fr * pr;
    }
  if (n === 0) return null;
  const angle = 0.5 * Math.atan2(2 * br, bb - rr);
  const along = [angle, angle + Math.PI / 2].map((a) => [Math.cos(a), Math.sin(a)] as const);
  const apart = along.flatMap(([u, v]) => {
    const power = u * u * bb + 2 * u * v * br + v * v * rr;
    // Of one colour alone there is nothing across it, and by rounding even less.
    if (power < n * leastColour ** 2) return [];
    return [Math.hypot((fbb * u + fbr * v) / power - u, (frb * u + frr * v) / power - v)];
  });
  return apart.length ? Math.max(...apart) : null;
}

/** How some pictures of a file are graded beside their plan's. */
export function gradeOf(pairs: readonly TonePair[]): Grade {
  const slope = slopeOf(pairs.map(({ file, plan }) => [plan[0], file[0]] as const));
  return { contrast: slope === null ? null : slope - 1, tint: tintOf(pairs) };
}
