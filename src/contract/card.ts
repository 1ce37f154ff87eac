import { z } from 'zod';

/**
 * What the catalogue says of a disc stands in the library as well, beside the files that were made of it: each a whole exported catalogue
 * of one disc, `.careful-vault/catalogue/FINGERPRINT.json`. One more has the house rules and the archive's own recipes.
 */
export const RULES_CARD = 'house-rules';
export const CARD_NAME = /^([0-9a-f]{64}|house-rules)$/;
/** Readings of large discs take a few megabytes. */
export const MOST_CARD_BYTES = 16_000_000;
export const MOST_CARDS = 20_000;

export const CardSchema = z.object({
  storage: z.string(),
  /** A disc's fingerprint, or `house-rules`. */
  name: z.string(),
  sha256: z.string(),
  /** When the catalogue was as it says. */
  exportedAt: z.string(),
});
export type Card = z.infer<typeof CardSchema>;
export const CardsSchema = z.object({ cards: z.array(CardSchema).readonly() });
export const CardQuerySchema = z.object({ storage: z.string().max(64) });
export const CardTextSchema = z.object({ text: z.string().max(MOST_CARD_BYTES) });
export const KeepCardSchema = CardQuerySchema.extend({ text: z.string().min(2).max(MOST_CARD_BYTES) });
