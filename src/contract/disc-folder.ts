import { z } from 'zod';
import { IdSchema as id } from './id';
import { JobSourceSchema } from './job';
import { MadeFolderStateSchema } from './made-folder';

/** The files of a disc image, as a folder that players and other programs open; beside it `NAME.sha256`, as sha256sum(1) reads it. */

/** Folder of a library storage that they stand in. */
export const DISC_FOLDERS = 'Disc folders';

/** `image`: the one that it is of. */
export const DiscFolderStateSchema = MadeFolderStateSchema.extend({ image: id });
export type DiscFolderState = z.infer<typeof DiscFolderStateSchema>;

export const DiscFolderOrderSchema = z.object({
  kind: z.literal('disc folder'),
  source: JobSourceSchema,
  /** Where it is put together; holds nothing else. */
  folder: z.string(),
  /** The file of digests. */
  digests: z.string(),
});
export type DiscFolderOrder = z.infer<typeof DiscFolderOrderSchema>;
