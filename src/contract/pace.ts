import { z } from 'zod';
import type { StageSpeeds, WorkDone } from '@/core/queue';

/** A stage that went through without a stop: its kind of work, how much (bytes, milliseconds of playing time, or one), and how long. */
export const WorkDoneSchema = z.object({
  work: z.string().min(1).max(200),
  amount: z.number().positive(),
  seconds: z.number().positive(),
}) satisfies z.ZodType<WorkDone>;

/** Amount a second of each kind of work, as this machine has shown it. */
export const PaceSchema = z.array(z.object({ work: z.string(), rate: z.number().positive() })).readonly();
export type KnownPace = z.infer<typeof PaceSchema>;

/** How fast a stage of a job has been along its time. */
export const StageSpeedsSchema = z.object({
  stage: z.string(),
  copy: z.string().nullable(),
  unit: z.enum(['bytes', 'ms']),
  points: z.array(z.tuple([z.number(), z.number().nullable()]).readonly()).readonly(),
}) satisfies z.ZodType<StageSpeeds>;
