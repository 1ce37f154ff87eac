import { z } from 'zod';

/** What is done once when all jobs are over; `command` is one that whoever starts the application has named. */
export const AfterSchema = z.discriminatedUnion('do', [
  z.object({ do: z.literal('nothing') }),
  z.object({ do: z.literal('eject') }),
  z.object({ do: z.literal('run'), command: z.string().max(40) }),
]);

/** So long after the last job it can still be called off, milliseconds. */
export const AFTER_GRACE_MS = 30_000;

export const AfterOutcomeSchema = z.object({
  at: z.string(),
  what: z.string(),
  state: z.enum(['begun', 'done', 'failed']),
  /** What went wrong. */
  said: z.string(),
});

export const AfterStateSchema = z.object({
  /** When it will be done, all jobs being over; else null. */
  dueAt: z.string().nullable(),
  last: AfterOutcomeSchema.nullable(),
});
export type AfterState = z.infer<typeof AfterStateSchema>;

/** Commands that may be chosen, as whoever starts the application has named them. */
export const CommandsSchema = z.array(z.object({ id: z.string(), name: z.string() })).readonly();
