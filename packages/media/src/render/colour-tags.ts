/**
 * Tags a film as BT.709 (Rec. ITU-T H.273: code point 1 for primaries, transfer and matrix), limited range; before an input
 * they say what it is read as.
 */
export const colourTags: readonly string[] = [
  '-color_primaries',
  'bt709',
  '-color_trc',
  'bt709',
  '-colorspace',
  'bt709',
  '-color_range',
  'tv',
];
