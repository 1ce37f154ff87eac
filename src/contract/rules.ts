import { z } from 'zod';
import type { HouseRules, KeptTrack, SetChoice } from '@/core/reels';
import { RecipesSchema } from './job';
import { RoleSchema } from './reading';

const keptTrack = z.object({
  language: z.string().max(64).nullable(),
  purpose: z.string().max(64).nullable(),
  codec: z.string().max(64),
  forcedOnly: z.boolean(),
  name: z.string().max(400),
  isDefault: z.boolean(),
  isForced: z.boolean(),
}) satisfies z.ZodType<KeptTrack>;
const setChoice = z.object({
  series: z.string().max(400),
  role: RoleSchema,
  audio: z.array(keptTrack).max(32).readonly(),
  subtitles: z.array(keptTrack).max(64).readonly(),
  recipes: RecipesSchema,
  subtitleFiles: z.boolean(),
}) satisfies z.ZodType<SetChoice>;

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
  recipes: RecipesSchema,
  filePattern: z.string().min(1).max(400),
  folderPattern: z.string().max(400),
  storage: z.string().max(128).nullable(),
  // Not in catalogues exported before version 2.
  subtitleFiles: z.boolean().default(false),
  measure: z.boolean().default(false),
  // Not before version 3.
  damage: z.enum(['refuse', 'around']).default('refuse'),
  features: z.boolean().default(true),
  sets: z.array(setChoice).max(1000).readonly().default([]),
}) satisfies z.ZodType<HouseRules>;
