import { z } from 'zod';
import { ReelSchema } from './job';
import { ProblemSchema } from './problem';

/** Subtitle pictures of a reel read into text, for somebody to look through. */

export const ReadTextWishSchema = z.object({
  title: z.number().int().positive(),
  reel: ReelSchema,
  /** Place of the track among the reel's own subtitles. */
  subtitle: z.number().int().min(0).max(31),
});
export type ReadTextWish = z.infer<typeof ReadTextWishSchema>;

/** Below this, in percent, a text is not taken before somebody has looked at it. */
export const SURE_PERCENT = 85;

/** One subtitle: what was read, and the picture that it was read from. Times in milliseconds of the reel. */
export const ReadCueSchema = z.object({
  startMs: z.number(),
  endMs: z.number(),
  text: z.string(),
  /** Of the word that was read least surely, 0 to 100. */
  percent: z.number(),
  /** PNG as a data address. */
  picture: z.string(),
});
export type ReadCue = z.infer<typeof ReadCueSchema>;

export const ReadTextLineSchema = z.discriminatedUnion('type', [
  z.object({ type: z.literal('progress'), part: z.enum(['disc', 'text']), done: z.number(), total: z.number() }),
  z.object({ type: z.literal('cues'), cues: z.array(ReadCueSchema).readonly() }),
  z.object({ type: z.literal('failed'), problem: ProblemSchema }),
]);
export type ReadTextLine = z.infer<typeof ReadTextLineSchema>;
