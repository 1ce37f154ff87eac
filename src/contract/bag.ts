import { z } from 'zod';
import { IdSchema as id } from './id';
import { MadeFolderStateSchema } from './made-folder';

/** Bags by RFC 8493: chosen results with all that belongs to them, to be handed on and checked by anybody. */

/** Folder of a library storage that bags are put into. */
export const BAG_FOLDER = 'Bags';
export const MOST_BAGGED = 500;

export const BagWishSchema = z.object({
  /** Results, by their identifiers in the vault. */
  outputs: z.array(id).min(1).max(MOST_BAGGED),
  storage: id,
  /** Of its folder. */
  name: z.string().min(1).max(200),
  /** For `bag-info.txt`. */
  organization: z.string().max(400).default(''),
  description: z.string().max(4000).default(''),
});
export type BagWish = z.infer<typeof BagWishSchema>;

export const BagStateSchema = MadeFolderStateSchema;
export type BagState = z.infer<typeof BagStateSchema>;

/** What a helper makes a bag of. */
export const BagOrderSchema = z.object({
  kind: z.literal('bag'),
  folder: z.string(),
  /** `path` inside the bag; the digest that the file must have, or null where nothing has said it before. */
  payload: z.array(z.object({ from: z.string(), path: z.string(), digest: z.string().nullable() })),
  /** Files beside the payload. */
  tags: z.array(z.object({ path: z.string(), text: z.string() })),
  info: z.array(z.tuple([z.string(), z.string()])),
});
export type BagOrder = z.infer<typeof BagOrderSchema>;
