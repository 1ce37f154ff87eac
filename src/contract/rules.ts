import { z } from 'zod';
import type { HouseRules } from '@/core/reels';

/** House rules as they cross a border: the catalogue, an export. */
export const HouseRulesSchema = z.object({
  languages: z.array(z.string().max(64)).max(50).readonly(),
  audio: z.enum(['all', 'preferred']),
  quality: z.enum(['all', 'best', 'best and compatible']),
  commentary: z.boolean(),
  description: z.boolean(),
  subtitles: z.enum(['all', 'preferred', 'none']),
  hearingImpaired: z.boolean(),
  extras: z.boolean(),
  shortestExtraMs: z.number().int().nonnegative().max(1e8),
  series: z.enum(['episodes', 'play-all', 'both']),
  cuts: z.boolean(),
  recipes: z
    .array(z.enum(['master', 'access']))
    .min(1)
    .max(2)
    .readonly(),
  filePattern: z.string().min(1).max(400),
  folderPattern: z.string().max(400),
  storage: z.string().max(128).nullable(),
}) satisfies z.ZodType<HouseRules>;
