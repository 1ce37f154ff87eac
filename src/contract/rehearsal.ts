import { z } from 'zod';
import type { TrialResult } from '@/core/recipes';
import { ReelSchema } from './job';
import { ProblemSchema } from './problem';
import { RecipeSchema } from './recipe';

/** Recipes tried on a title before anything is queued. */

const failed = z.object({ type: z.literal('failed'), problem: ProblemSchema });
const common = { title: z.number().int().positive(), reel: ReelSchema };

/** A moment of a reel with a recipe; milliseconds of the title's playing time. */
export const RehearsalWishSchema = z.object({ ...common, recipe: RecipeSchema, atMs: z.number().nonnegative().max(1e9) });
export type RehearsalWish = z.infer<typeof RehearsalWishSchema>;
/** One line of the answer: pictures as data addresses, all of one size. */
export const RehearsalLineSchema = z.discriminatedUnion('type', [
  z.object({
    type: z.literal('pictures'),
    /** As it is on the disc; of two views both, where the copy will hold both. */
    before: z.string(),
    /** The view that is decoded first, by itself, where that is not what `before` shows. */
    plain: z.string().nullable(),
    /** After all treatments, not yet encoded; null where nothing is encoded. */
    treated: z.string().nullable(),
    copied: z.boolean(),
  }),
  z.object({
    type: z.literal('encoded'),
    picture: z.string(),
    /** Of the picture, around this moment. */
    bytesPerSecond: z.number(),
    /** Seconds of film in a second of this machine. */
    pace: z.number(),
  }),
  failed,
]);
export type RehearsalLine = z.infer<typeof RehearsalLineSchema>;
/** A sample that can be played for as long as the engine keeps it. */
export const SampleSchema = z.object({ id: z.string(), type: z.string() });

export const MOST_TRIED = 8;
export const TrialWishSchema = z.object({
  ...common,
  recipes: z.array(RecipeSchema).min(1).max(MOST_TRIED),
  /** Wanted of the only recipe: the smallest that stays as near; null to try recipes as they are. */
  leastSsim: z.number().min(0.5).max(0.9999).nullable(),
});
export type TrialWish = z.infer<typeof TrialWishSchema>;
const nearness = { ssim: z.number(), worstSsim: z.number(), psnrDb: z.number() };
export const TrialResultSchema = z.object({
  samples: z
    .array(
      z.object({
        ...nearness,
        frames: z.number(),
        kind: z.enum(['dark', 'still', 'busy', 'usual']),
        fromMs: z.number(),
        bytes: z.number(),
        sourceBytes: z.number(),
        ms: z.number(),
        tookMs: z.number(),
      }),
    )
    .readonly(),
  ...nearness,
  pictureBytes: z.number(),
  leastBytes: z.number(),
  mostBytes: z.number(),
  pace: z.number(),
}) satisfies z.ZodType<TrialResult>;
export const TrialLineSchema = z.discriminatedUnion('type', [
  z.object({ type: z.literal('progress'), done: z.number(), total: z.number() }),
  /** `index`: of the recipe; `quality`: where it is being looked for, the one that was tried. */
  z.object({ type: z.literal('tried'), index: z.number(), quality: z.number().nullable(), result: TrialResultSchema }),
  /** Null where even the best does not stay as near. */
  z.object({ type: z.literal('found'), quality: z.number().nullable() }),
  failed,
]);
export type TrialLine = z.infer<typeof TrialLineSchema>;
