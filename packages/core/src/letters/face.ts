import * as z from 'zod';

/** The typefaces that ship, by what they are called on the screens. */
export const typefaceNames = ['Noto Sans', 'Archivo', 'Noto Serif'] as const;
/** How heavy letters are, as CSS counts it. */
export const letterWeights = [400, 600, 800] as const;

/** A typeface that ships, at a weight. */
const shippedFaceSchema = z.strictObject({
  family: z.enum(typefaceNames),
  weight: z.union([z.literal(400), z.literal(600), z.literal(800)]),
});
export type ShippedFace = z.infer<typeof shippedFaceSchema>;

/** A typeface that somebody brought in: one file, which has one weight. */
export const ownFaceSchema = z.strictObject({
  /** SHA-256 of the file. */
  own: z.string().regex(/^[0-9a-f]{64}$/),
  /** What the file calls itself. */
  name: z.string().min(1).max(120),
});

/** What words are set in. */
export const faceSchema = z.union([shippedFaceSchema, ownFaceSchema]);
export type Face = z.infer<typeof faceSchema>;
export type OwnFace = z.infer<typeof ownFaceSchema>;

export const isOwn = (face: Face): face is OwnFace => 'own' in face;

/** What captions are set in. */
export const captionFace: ShippedFace = { family: 'Noto Sans', weight: 600 };

/** What draws the letters that a typeface of somebody's own lacks. */
export const faceBehindOwn: ShippedFace = { family: 'Noto Sans', weight: 600 };
