import { z } from 'zod';
import type { TrackComparison } from '@/core/findings';
import { IdSchema as id } from './id';
import { ProblemSchema } from './problem';
import { within } from './query';
import { ReadingSchema, TitleMeasureSchema } from './reading';
import { SourceRefSchema } from './source';

/** What is asked about the pictures and the sound of a disc's titles, and what is answered. */

/** A view into a disc's titles: pictures, previews and measurements of those that the reading lists. */
export const OpenLookSchema = z.object({ source: SourceRefSchema, reading: ReadingSchema });
export type OpenLook = z.infer<typeof OpenLookSchema>;
export const LookSchema = z.object({ id });
const moment = z.number().nonnegative().max(1e9);
/** What is shown of a title with two views: the first one, which any decoder shows; each eye's; both side by side; or for red and cyan glasses. */
export const EYES = ['first', 'left', 'right', 'both', 'glasses'] as const;
export type Eyes = (typeof EYES)[number];
export const EyesSchema = z.enum(EYES).default('first');
/** Which eye the first view is. */
const firstEye = z.enum(['left', 'right']).default('left');
export const SheetWishSchema = z.object({
  title: z.number().int().positive(),
  angle: z.number().int().min(1).max(9),
  /** Milliseconds of the title's playing time. */
  moments: z.array(moment).max(60),
  width: z.number().int().min(64).max(1280).multipleOf(2),
  eyes: EyesSchema,
  firstEye,
});
export type SheetWish = z.output<typeof SheetWishSchema>;
/** Pictures as data addresses, in the order of the moments; null where none could be had. */
export const SheetSchema = z.object({ pictures: z.array(z.string().nullable()) });
export const MeasureWishSchema = z.object({ title: z.number().int().positive(), everything: z.boolean() });
const workProgress = z.object({ type: z.literal('progress'), done: z.number(), total: z.number() });
const workFailed = z.object({ type: z.literal('failed'), problem: ProblemSchema });
/** One line of the answer to a wish to measure. */
export const MeasureLineSchema = z.discriminatedUnion('type', [
  workProgress,
  z.object({ type: z.literal('measured'), measured: TitleMeasureSchema }),
  workFailed,
]);
export type MeasureLine = z.infer<typeof MeasureLineSchema>;
/** Two tracks of a title, audio or subtitles, by their streams. */
export const CompareWishSchema = z.object({
  title: z.number().int().positive(),
  left: z.number().int().nonnegative(),
  right: z.number().int().nonnegative(),
});
export type CompareWish = z.infer<typeof CompareWishSchema>;
const soundRelation = z.enum(['same', 'alike', 'other', 'silent', 'only left', 'only right']);
const TrackComparisonSchema = z.discriminatedUnion('kind', [
  z.object({
    kind: z.literal('audio'),
    identical: z.boolean(),
    runs: z.array(z.object({ kind: soundRelation, fromMs: z.number(), toMs: z.number() })).readonly(),
    leftDb: z.array(z.number()).readonly(),
    rightDb: z.array(z.number()).readonly(),
  }),
  z.object({
    kind: z.literal('subtitles'),
    left: z.number(),
    right: z.number(),
    same: z.number(),
    sameTime: z.number(),
    differences: z
      .array(
        z.object({
          kind: z.enum(['only left', 'only right', 'other content', 'other time']),
          leftMs: z.number().nullable(),
          rightMs: z.number().nullable(),
          left: z.string().nullable(),
          right: z.string().nullable(),
        }),
      )
      .readonly(),
  }),
]) satisfies z.ZodType<TrackComparison>;
/** One line of the answer to a wish to compare two tracks. */
export const CompareLineSchema = z.discriminatedUnion('type', [
  workProgress,
  z.object({ type: z.literal('compared'), comparison: TrackComparisonSchema }),
  workFailed,
]);
export type CompareLine = z.infer<typeof CompareLineSchema>;
/** A preview: milliseconds of the title's playing time; tracks by their stream, none where there is no such. */
export const PreviewQuerySchema = z.object({
  title: within(1, 1e6),
  angle: within(1, 9),
  start: within(0, 1e9),
  audio: within(-1, 1e9),
  subtitle: within(-1, 1e9),
  width: within(160, 1280, 480),
  eyes: EyesSchema.catch('first'),
  firstEye: firstEye.catch('left'),
});
export type PreviewQuery = z.output<typeof PreviewQuerySchema>;
