import { z } from 'zod';
import { CountSchema as count, IdSchema as id } from './id';
import { ProblemSchema } from './problem';

/** A folder that is made in a library storage, and has no name there before it is whole. */
export const MadeFolderStateSchema = z.object({
  id,
  name: z.string(),
  storage: id,
  state: z.enum(['making', 'done', 'failed', 'stopped']),
  doneBytes: count,
  totalBytes: count,
  files: count,
  at: z.string(),
  problem: ProblemSchema.nullable(),
});
export type MadeFolderState = z.infer<typeof MadeFolderStateSchema>;
