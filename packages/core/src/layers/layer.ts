import * as z from 'zod';
import { keepKeySchema, type Keep } from '../checks/keeps.ts';
import { faceSchema } from '../letters/face.ts';
import { rateSchema } from '../time/rate.ts';
import { frameSpanSchema } from '../time/span.ts';

const share = z.number().min(-1).max(1);
const colour = z.string().regex(/^#[0-9a-f]{6}$/, 'a colour is written #rrggbb');
const sum = z.string().regex(/^[0-9a-f]{64}$/);

/** Letters in a title at most. */
export const mostLetters = 600;
/** Layers over one film at most. */
export const mostLayers = 60;

/** Where a layer is held: a corner, the middle of an edge, or the middle of the clear area. */
export const anchors = [
  'top left',
  'top',
  'top right',
  'left',
  'middle',
  'right',
  'bottom left',
  'bottom',
  'bottom right',
] as const;
export type Anchor = (typeof anchors)[number];

/** How words look. */
export const wordStyleSchema = z.strictObject({
  /** What the style is called in its production. */
  name: z.string().trim().min(1).max(40),
  face: faceSchema,
  /** Height of the letters, by the frame's shorter side. */
  size: z.number().min(0.015).max(0.4),
  colour,
  /** What lies behind the words; null for nothing. */
  plate: z.strictObject({ colour, opacity: z.number().min(0).max(1) }).nullable(),
  shadow: z.boolean(),
  align: z.enum(['left', 'middle', 'right']),
});
export type WordStyle = z.infer<typeof wordStyleSchema>;

/** Where a layer stands, by the clear area of whichever frame it is in. */
export const layerPlaceSchema = z.strictObject({
  anchor: z.enum(anchors),
  /** From the anchor's edge inwards, or from the middle to the right; by the frame's shorter side. */
  across: share,
  /** The same from above or below, or from the middle downwards. */
  down: share,
  /** How wide it may be, by the clear area's width: words are wrapped to it, a picture fills it. */
  width: z.number().min(0.03).max(1),
});
export type LayerPlace = z.infer<typeof layerPlaceSchema>;

/** A picture that was brought in, by the sum of its bytes as they are kept. */
const graphicSchema = z.strictObject({
  sha256: sum,
  name: z.string().min(1).max(255),
  width: z.number().int().positive(),
  height: z.number().int().positive(),
});

/** What a layer shows. */
export const layerContentSchema = z.discriminatedUnion('kind', [
  z.strictObject({ kind: z.literal('words'), text: z.string().max(mostLetters), style: wordStyleSchema }),
  z.strictObject({ kind: z.literal('picture'), picture: graphicSchema }),
  z.strictObject({
    kind: z.literal('film'),
    film: graphicSchema.extend({
      rate: rateSchema,
      frames: z.number().int().positive(),
      /** How its alpha is read: none, as its pixels have it, or in a stream of its own as WebM has it. */
      alpha: z.enum(['none', 'own', 'webm']),
    }),
    /** `screen`: it is on black and shines through, by the standard screen blend; `over`: its own alpha. */
    blend: z.enum(['over', 'screen']),
  }),
  /** A patch over what a keep marks, wherever a frame shows that: it stands by the film, and not by its own place. */
  z.strictObject({
    kind: z.literal('patch'),
    keepId: z.string().min(1).max(40),
    /** Where that lay when it was written down for somebody without the keeps; where missing, where the keep lies now. */
    keys: z.array(keepKeySchema).min(1).max(2000).optional(),
    colour,
    /** It shows the film's own soft picture, spread inwards from around it, in place of the colour. */
    soft: z.literal(true).optional(),
  }),
]);
export type LayerContent = z.infer<typeof layerContentSchema>;
export type PatchContent = Extract<LayerContent, { kind: 'patch' }>;

/** What one version shows otherwise. */
const otherwiseSchema = z.strictObject({
  /** It is not shown in this one. */
  out: z.literal(true).optional(),
  place: layerPlaceSchema.partial().optional(),
  /** Other words. */
  text: z.string().max(mostLetters).optional(),
  /** Letters of another size, by the frame's shorter side. */
  size: wordStyleSchema.shape.size.optional(),
  /** Another picture. */
  picture: graphicSchema.optional(),
});
export type LayerOtherwise = z.infer<typeof otherwiseSchema>;

/** Something laid over a film: words or a picture, for a span, at a place that every frame has. */
export const layerSchema = z.strictObject({
  id: z.string().regex(/^[A-Za-z0-9_-]{4,32}$/),
  name: z.string().trim().min(1, 'a layer needs a name').max(60),
  what: layerContentSchema,
  /** Master frames; one that is longer than the film ends with it. */
  span: frameSpanSchema,
  /** Seconds. */
  fadeIn: z.number().min(0).max(10),
  fadeOut: z.number().min(0).max(10),
  place: layerPlaceSchema,
  /** The versions that show it; all of its film where missing. */
  only: z.array(z.string()).max(500).optional(),
  /** By version. */
  otherwise: z.record(z.string(), otherwiseSchema),
});
export type Layer = z.infer<typeof layerSchema>;

/** A cue as it is kept: words that are read or heard, and when, in seconds of the master. */
export const cueSchema = z.strictObject({
  from: z.number().min(0),
  to: z.number().positive(),
  lines: z.array(z.string().max(1000)).min(1).max(20),
  /** How sure its times are, 0 to 1, where they were worked out from a script. */
  sure: z.number().min(0).max(1).optional(),
});

/** The captions of a film in one language. */
export const captionTrackSchema = z.strictObject({
  id: z.string().regex(/^[A-Za-z0-9_-]{4,32}$/),
  /** As BCP 47 writes it; empty where nobody said. */
  language: z.string().regex(/^([A-Za-z]{2,8}(-[A-Za-z0-9]{1,8})*)?$/, 'a language is written en or pt-BR'),
  cues: z.array(cueSchema).max(20_000),
});
export type CaptionTrack = z.infer<typeof captionTrackSchema>;

/** What can be read in time: settable, since languages and audiences differ. */
export const readingLimitsSchema = z.strictObject({
  /** Characters a second at most. */
  speed: z.number().min(5).max(60),
  /** How long a cue stands at least, seconds. */
  shortest: z.number().min(0.2).max(5),
});
export type ReadingLimits = z.infer<typeof readingLimitsSchema>;

/** All that is laid over a film's picture: its layers, the nearest first, and its captions by language. */
export const dressingSchema = z.strictObject({
  layers: z.array(layerSchema).max(mostLayers, `a film has at most ${mostLayers} layers`),
  captions: z.array(captionTrackSchema).max(20),
  /** Files say that they are drafts, across the picture, until one of the version has been approved. */
  draftMark: z.boolean(),
  /** The usual ones where missing. */
  reading: readingLimitsSchema.optional(),
});
export type Dressing = z.infer<typeof dressingSchema>;

/** A film that nothing is laid over. */
export const bare: Dressing = { layers: [], captions: [], draftMark: false };

/** A layer as one version shows it; null where it shows none of it. */
export function layerIn(layer: Layer, versionId: string): Layer | null {
  if (layer.only && !layer.only.includes(versionId)) return null;
  const own = layer.otherwise[versionId];
  if (!own) return layer;
  if (own.out) return null;
  const place = { ...layer.place, ...own.place };
  const { what } = layer;
  if (what.kind === 'picture')
    return { ...layer, place, what: { ...what, picture: own.picture ?? what.picture } };
  if (what.kind === 'film' || what.kind === 'patch') return { ...layer, place };
  return {
    ...layer,
    place,
    what: {
      ...what,
      text: own.text ?? what.text,
      style: own.size === undefined ? what.style : { ...what.style, size: own.size },
    },
  };
}

/** A layer as it can be read without the keeps of its film. */
function withKeys(layer: Layer, keeps: readonly Keep[]): Layer {
  const { what } = layer;
  const keep = what.kind === 'patch' ? keeps.find(({ id }) => id === what.keepId) : undefined;
  return what.kind === 'patch' && keep ? { ...layer, what: { ...what, keys: keep.keys } } : layer;
}

/** As much of a dressing as one version shows, whatever becomes of its film's keeps and other versions. */
export function dressingShown(
  dressing: Dressing,
  of: { versionId: string; language: string | undefined; keeps: readonly Keep[] },
): Dressing {
  const track = trackFor(dressing.captions, of.language);
  return {
    layers: dressing.layers
      .flatMap((layer) => layerIn(layer, of.versionId) ?? [])
      .map(({ only: _only, ...layer }) => withKeys({ ...layer, otherwise: {} }, of.keeps)),
    captions: track ? [track] : [],
    draftMark: dressing.draftMark,
  };
}

/** The captions that a version carries: those in the asked language, else, where none is asked for, the first. */
export function trackFor(
  captions: readonly CaptionTrack[],
  language: string | undefined,
): CaptionTrack | undefined {
  if (language === undefined) return captions[0];
  const bare = (tag: string) => tag.toLowerCase().split('-')[0];
  return (
    captions.find((track) => track.language.toLowerCase() === language.toLowerCase()) ??
    captions.find((track) => bare(track.language) === bare(language))
  );
}
