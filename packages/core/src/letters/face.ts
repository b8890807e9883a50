import * as z from 'zod';

/** The typefaces that ship, by what they are called on the screens. */
export const typefaceNames = ['Noto Sans', 'Archivo', 'Noto Serif'] as const;
/** How heavy letters are, as CSS counts it. */
export const letterWeights = [400, 600, 800] as const;

/** A typeface at a weight. */
export const faceSchema = z.strictObject({
  family: z.enum(typefaceNames),
  weight: z.union([z.literal(400), z.literal(600), z.literal(800)]),
});
export type Face = z.infer<typeof faceSchema>;

/** What captions are set in. */
export const captionFace: Face = { family: 'Noto Sans', weight: 600 };
