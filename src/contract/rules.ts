import { z } from 'zod';
import {
  DISC_KINDS,
  NAME_FIELDS,
  TITLE_KINDS,
  upgradeFolder,
  upgradeRules,
  type HouseRules,
  type KeptTrack,
  type NamePart,
  type SetChoice,
} from '@/core/reels';
import { RecipeIdSchema, RecipesSchema } from './recipe';
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

const nameText = z.string().max(200);
const namePart = z.discriminatedUnion('kind', [
  z.object({ kind: z.literal('text'), text: nameText }),
  z.object({
    kind: z.literal('field'),
    field: z.enum(NAME_FIELDS),
    digits: z.number().int().min(0).max(9),
    before: nameText,
    after: nameText,
  }),
]) satisfies z.ZodType<NamePart>;
/** A name by its parts; versions before had it in one line. */
export const NamePartsSchema = z.preprocess(upgradeFolder, z.array(namePart).max(60).readonly());

const rules = z.object({
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
  fileName: z.array(namePart).min(1).max(60).readonly(),
  folder: z.array(namePart).max(60).readonly(),
  storage: z.string().max(128).nullable(),
  // Not in catalogues exported before version 2.
  subtitleFiles: z.boolean().default(false),
  measure: z.boolean().default(false),
  // Not before version 3.
  damage: z.enum(['refuse', 'around']).default('refuse'),
  features: z.boolean().default(true),
  // Not before version 5.
  angles: z.enum(['first', 'all']).default('first'),
  // Not before version 13.
  drawings: z.boolean().default(true),
  // Not before version 7.
  recipesFor: z
    .array(z.object({ titles: z.enum(TITLE_KINDS), discs: z.enum(DISC_KINDS), recipes: RecipesSchema }))
    .max(20)
    .readonly()
    .default([]),
  // Not before version 9.
  places: z
    .array(
      z.object({
        recipe: RecipeIdSchema,
        storage: z.string().max(128).nullable(),
        folder: z.array(namePart).max(60).readonly().nullable(),
        fileName: z.array(namePart).max(60).readonly().nullable(),
      }),
    )
    .max(200)
    .readonly()
    .default([]),
  sets: z.array(setChoice).max(1000).readonly().default([]),
}) satisfies z.ZodType<HouseRules>;

/** House rules of any version as they cross a border: the catalogue, an export. */
export const HouseRulesSchema = z.preprocess(upgradeRules, rules);
