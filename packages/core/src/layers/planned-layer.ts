import * as z from 'zod';
import { faceSchema, isOwn } from '../letters/face.ts';

const pixels = z.number().int();
const length = z.number().int().nonnegative();

/** A layer as it is drawn into a version: delivered pixels and delivered frames. */
export const plannedLayerSchema = z.object({
  box: z.object({ x: pixels, y: pixels, width: length, height: length }),
  /** When it is shown; the end of a span is not included. */
  spans: z.array(z.object({ from: length, to: length })),
  /** Frames until it is wholly there, and of its going. */
  fadeIn: length,
  fadeOut: length,
  what: z.discriminatedUnion('kind', [
    z.object({
      kind: z.literal('words'),
      face: faceSchema,
      /** Size of the letters, from one line to the next, and around the lines. */
      size: length,
      leading: length,
      rim: length,
      colour: z.string(),
      plate: z.object({ colour: z.string(), opacity: z.number() }).nullable(),
      shadow: z.boolean(),
      align: z.enum(['left', 'middle', 'right']),
      lines: z.array(z.string()),
    }),
    z.object({ kind: z.literal('picture'), sha256: z.string() }),
    /** Its box in one colour, or in the film's own soft picture. */
    z.object({ kind: z.literal('patch'), colour: z.string(), soft: z.literal(true).optional() }),
    z.object({
      kind: z.literal('film'),
      sha256: z.string(),
      blend: z.enum(['over', 'screen']),
      alpha: z.enum(['none', 'own', 'webm']),
      /** Its length, seconds. */
      seconds: z.number(),
    }),
  ]),
});
export type PlannedLayer = z.infer<typeof plannedLayerSchema>;
export type PlannedWords = Extract<PlannedLayer['what'], { kind: 'words' }>;

/** What layers show that lies in a file of its own. */
export const graphicKinds = ['picture', 'film', 'typeface'] as const;
export type GraphicKind = (typeof graphicKinds)[number];

/** A picture or a film that layers show, or a typeface that words are set in, by the sum of its bytes. */
export interface ShownGraphic {
  kind: GraphicKind;
  sha256: string;
}

/** What some layers show that lies in files of its own, each once. */
export function graphicsShown(layers: readonly PlannedLayer[]): ShownGraphic[] {
  const shown = new Map<string, ShownGraphic>();
  for (const { what } of layers)
    if (what.kind === 'picture' || what.kind === 'film')
      shown.set(`${what.kind} ${what.sha256}`, { kind: what.kind, sha256: what.sha256 });
    else if (what.kind === 'words' && isOwn(what.face))
      shown.set(`typeface ${what.face.own}`, { kind: 'typeface', sha256: what.face.own });
  return [...shown.values()];
}
