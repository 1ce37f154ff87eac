import { z } from 'zod';
import {
  AUDIO_ENCODER,
  CONTAINERS,
  CORNERS,
  COPY_AUDIO,
  COPY_VIDEO,
  DEINTERLACE,
  DENOISE,
  DRAWN,
  EFFORTS,
  MOST_CHANNELS,
  RECIPE_VERSION,
  SPEEDS,
  TUNINGS,
  TURNS,
  VIEW_LAYOUTS,
  VIDEO_ENCODER,
  FILTER_NAMES,
  HARDWARE_NAMES,
  type EncoderName,
  type Mark,
  type Recipe,
} from '@/core/recipes';

export const RecipeIdSchema = z.string().regex(/^[a-z0-9][a-z0-9-]{0,63}$/, 'no identifier of a recipe');

/** Recipes of a reel by their identifiers, none twice. */
export const RecipesSchema = z
  .array(RecipeIdSchema)
  .min(1)
  .max(12)
  .refine((ids) => new Set(ids).size === ids.length, 'a recipe is there twice')
  .readonly();

/** Stands in file names: nothing that leads elsewhere, or that some file systems refuse. */
const suffix = z
  .string()
  .max(40)
  .regex(/^[^/\\:*?"<>|\p{Cc}]*$/u, 'not allowed in a file name')
  .refine((s) => !/[ .]$/.test(s), 'names must not end with a space or a point');

const percent = z.number().int().min(-50).max(50).default(0);

/** As bytes a third less: large enough for a mark, small enough to go along with every order. */
const MOST_MARK_CHARACTERS = 400_000;
const MOST_MARK_PIXELS = 4096;
/** A few bytes can say that they are a picture of any size: its head is looked at before anybody decodes it (ISO/IEC 15948, 11.2.2). */
function isSmallPng(address: string): boolean {
  const coded = address.slice(address.indexOf(',') + 1).slice(0, 32);
  if (!/^[A-Za-z0-9+/]{32}$/.test(coded)) return false;
  const head = atob(coded);
  const number = (at: number) => [0, 1, 2, 3].reduce((sum, i) => sum * 256 + head.charCodeAt(at + i), 0);
  const sides = [number(16), number(20)];
  return head.slice(12, 16) === 'IHDR' && sides.every((n) => n >= 1 && n <= MOST_MARK_PIXELS);
}
const place = {
  corner: z.enum(CORNERS),
  heightPercent: z.number().int().min(1).max(50),
  opacityPercent: z.number().int().min(5).max(100),
};
/** The text is written into a file, and no program takes it for anything but text; the picture must be one. */
const MarkSchema = z.discriminatedUnion('kind', [
  z.strictObject({
    kind: z.literal('text'),
    text: z
      .string()
      .trim()
      .min(1)
      .max(120)
      .regex(/^[^\p{Cc}]*$/u, 'a line of text'),
    ...place,
  }),
  z.strictObject({
    kind: z.literal('picture'),
    png: z
      .string()
      .max(MOST_MARK_CHARACTERS, 'larger than 300 kB')
      .regex(/^data:image\/png;base64,iVBORw0KGgo[A-Za-z0-9+/]{32,}=*$/, 'no PNG')
      .refine(isSmallPng, `more than ${MOST_MARK_PIXELS} pixels wide or high`),
    ...place,
  }),
]) satisfies z.ZodType<Mark>;

/** A recipe as it crosses a border: the catalogue, a file, a job. Foreign input: names out of lists, numbers within bounds, no free text that a program sees. */
export const RecipeSchema = z.strictObject({
  /** What earlier versions did not know is then as it was: left alone. */
  version: z
    .union([z.literal(1), z.literal(2), z.literal(3), z.literal(RECIPE_VERSION)])
    .transform((): typeof RECIPE_VERSION => RECIPE_VERSION),
  id: RecipeIdSchema.refine((id) => id !== 'master', 'the master is no recipe'),
  name: z.string().trim().min(1).max(80),
  note: z.string().max(400),
  container: z.enum(CONTAINERS),
  suffix,
  video: z.strictObject({
    codec: z.enum(COPY_VIDEO),
    quality: z.number().min(0).max(63).nullable(),
    rate: z
      .discriminatedUnion('kind', [
        z.strictObject({ kind: z.literal('average'), kbps: z.number().int().min(100).max(200_000) }),
        z.strictObject({ kind: z.literal('size'), megabytes: z.number().int().min(1).max(200_000) }),
      ])
      .nullable()
      .default(null),
    effort: z.enum(EFFORTS),
    tuning: z.enum(TUNINGS),
    keySeconds: z.number().min(0.1).max(60).nullable(),
    frameRate: z.enum(['kept', 'constant']).default('kept'),
    hardware: z.boolean().default(false),
  }),
  speed: z.enum(SPEEDS).default('kept'),
  views: z.strictObject({ layout: z.enum(VIEW_LAYOUTS), swapped: z.boolean() }).default({ layout: 'kept', swapped: false }),
  picture: z.strictObject({
    deinterlace: z.enum(DEINTERLACE),
    deinterlacer: z.enum(['usual', 'thorough']).default('usual'),
    film: z.enum(['measured', 'never']),
    bars: z.enum(['keep', 'crop']),
    mostRows: z.number().int().min(64).max(4320).nullable(),
    grow: z.boolean().default(false),
    pixels: z.enum(['as they are', 'square']),
    denoise: z.enum(DENOISE),
    turn: z.enum(TURNS).default('none'),
    mirror: z.boolean().default(false),
    brightness: percent,
    contrast: percent,
    saturation: percent,
    hue: z.number().int().min(-180).max(180).default(0),
    range: z.enum(['kept', 'standard']).default('kept'),
    mark: MarkSchema.nullable().default(null),
  }),
  audio: z.strictObject({
    codec: z.enum(COPY_AUDIO),
    kbpsPerChannel: z.number().int().min(16).max(512).nullable(),
    mostChannels: z.literal(MOST_CHANNELS),
    stereoBeside: z.boolean(),
    tracks: z.enum(['all', 'first']),
    loudness: z.number().min(-31).max(-10).nullable().default(null),
    gainDb: z.number().min(-30).max(30).default(0),
    delayMs: z.number().int().min(-10_000).max(10_000).default(0),
    pitch: z.enum(['kept', 'falls']).default('kept'),
  }),
  subtitles: z.strictObject({ kept: z.enum(['all', 'none']), drawn: z.enum(DRAWN) }),
}) satisfies z.ZodType<Recipe>;

/** Recipes in a file of their own. */
export const RecipeFileSchema = z.object({
  kind: z.literal('careful-vault recipes'),
  version: z.union([z.literal(1), z.literal(2), z.literal(3), z.literal(RECIPE_VERSION)]),
  recipes: z.array(RecipeSchema).min(1).max(200).readonly(),
});
export type RecipeFile = z.infer<typeof RecipeFileSchema>;

/** An encoder as it was found on this machine. */
export const EncoderStateSchema = z.object({
  name: z.enum([...Object.keys(VIDEO_ENCODER), ...Object.keys(AUDIO_ENCODER), ...FILTER_NAMES, ...HARDWARE_NAMES] as unknown as [
    EncoderName,
    ...EncoderName[],
  ]),
  works: z.boolean(),
  /** Why it does not; null where it does. */
  reason: z.string().nullable(),
});
export type EncoderState = z.infer<typeof EncoderStateSchema>;
