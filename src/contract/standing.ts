import { z } from 'zod';
import { CountSchema as count } from './id';
import { EYES_REASONS } from '@/core/reels';
import { ReelSchema, TagsSchema } from './job';
import { FindingsSchema, ReadingSchema } from './reading';
import { RecipeSchema } from './recipe';
import { HouseRulesSchema, NamePartsSchema } from './rules';
import { SourceRefSchema } from './source';

/**
 * The standing order: discs that are put in, and images that come into watched folders, are read, planned by the house rules, queued and
 * given back, whether a page is open or not. What it needs to know is sent to the engine when it is given; what became of each disc is kept
 * there, for the catalogue of whichever page is opened next.
 */

export const StandingSettingsSchema = z.object({
  /** As they were when the order was given. */
  rules: HouseRulesSchema,
  /** The archive's own recipes. */
  recipes: z.array(RecipeSchema).max(200),
  /** How sure findings must be of what a disc is about, 0 to 1. */
  leastSure: z.number().min(0).max(1),
  /** A disc is given back when it has been read, or wants eyes. */
  eject: z.boolean(),
  /** Watched folders, whose new images are taken. */
  roots: z.array(z.string().max(128)).max(100),
  /** Discs of one series, one after the other: the number of the next episode. */
  series: z
    .object({
      series: z.string().min(1).max(400),
      season: z.number().int().min(0).max(9999).nullable(),
      nextEpisode: z.number().int().min(0).max(99_999),
    })
    .nullable(),
});
export type StandingSettings = z.infer<typeof StandingSettingsSchema>;

/** Of a disc that is not queued, beside what its findings say. */
export const OUTCOME_REASONS = [...EYES_REASONS, 'known', 'refused', 'unreadable'] as const;

/** One line of `standing-outcomes.ndjson`. */
export const StandingOutcomeSchema = z.object({
  /** From 1, without holes. */
  seq: count,
  at: z.string(),
  /** Null where it could not be read. */
  fingerprint: z.string().nullable(),
  name: z.string().max(400),
  source: SourceRefSchema,
  /** `queued`: all of what is proposed. `known`: it is in the vault, or on the queue, already. */
  result: z.enum(['queued', 'wants eyes', 'known']),
  reason: z.enum(OUTCOME_REASONS).nullable(),
  /** What happened, for people. */
  detail: z.string().max(2000),
  reels: z.array(z.object({ id: z.string(), reel: ReelSchema, jobId: z.string().nullable() })).max(400),
  storage: z.string().nullable(),
  folder: NamePartsSchema,
  tags: TagsSchema,
  firstEpisode: z.number().int().nullable(),
});
export type StandingOutcome = z.infer<typeof StandingOutcomeSchema>;

export const StandingStateSchema = z.object({
  /** Null while there is no order. */
  settings: StandingSettingsSchema.nullable(),
  since: z.string().nullable(),
  /** Number of the last outcome; 0 for none yet. */
  seq: count,
  /** Since the order was given. */
  queued: count,
  eyes: count,
});
export type StandingState = z.infer<typeof StandingStateSchema>;
export const NO_STANDING: StandingState = { settings: null, since: null, seq: 0, queued: 0, eyes: 0 };

export const StandingWishSchema = z.object({ settings: StandingSettingsSchema.nullable() });
export const OutcomesQuerySchema = z.object({ after: z.coerce.number().int().nonnegative().default(0) });
/** Outcomes of one answer. */
export const OUTCOMES_PAGE = 50;
export const OutcomesSchema = z.object({ outcomes: z.array(StandingOutcomeSchema).max(OUTCOMES_PAGE).readonly() });
/** Named by its fingerprint. */
export const KeptReadingSchema = z.object({ reading: ReadingSchema, findings: FindingsSchema });
