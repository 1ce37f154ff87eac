import { z } from 'zod';

/** Results that were discarded: they stand aside, in their storage, until somebody puts them back or empties the trash. */

export const TrashEntrySchema = z.object({
  id: z.string(),
  storage: z.string(),
  storageName: z.string(),
  /** Of the result, inside the storage. */
  path: z.string(),
  name: z.string(),
  at: z.string(),
  sizeBytes: z.number().int().nonnegative(),
  files: z.number().int().nonnegative(),
});
export type TrashEntry = z.infer<typeof TrashEntrySchema>;
export const TrashSchema = z.object({ entries: z.array(TrashEntrySchema).readonly() });
/** All of it, or what is named. */
export const EmptyTrashSchema = z.object({ ids: z.array(z.string()).max(10_000).nullable() });
