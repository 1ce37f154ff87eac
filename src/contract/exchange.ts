import { z } from 'zod';
import { versionUpTo } from './id';
import { SourceRefSchema } from './source';
import { ReelSchema, TagsSchema } from './job';
import { FindingsSchema, ReadingSchema } from './reading';
import { RecipeSchema } from './recipe';
import { HouseRulesSchema, NamePartsSchema } from './rules';

export const EXCHANGE_FORMAT = 'careful-vault catalogue';
/**
 * 2: house rules say whether to measure, whether subtitles become files, and what is kept for a set. 3: readings say how parts join,
 * house rules what to do where a disc is not whole. 4: it says of which archive it is. 5: names are lists of parts, and house rules decide
 * angles. 6: the archive's own recipes. 13: house rules say whether subtitles for other displays are taken. All before are still read.
 */
export const EXCHANGE_VERSION = 13;

const text = z.string().max(400);
const draftReel = z.object({ id: z.string().max(128), reel: ReelSchema, jobId: z.string().max(128).nullable() });

export const ExchangeDiscSchema = z.object({
  fingerprint: z.string().regex(/^[0-9a-f]{64}$/),
  name: text,
  reading: ReadingSchema,
  findings: FindingsSchema,
  sources: z.array(z.object({ ref: SourceRefSchema, name: text })).max(20),
  addedAt: text,
  readAt: text,
  tags: TagsSchema,
  firstEpisode: z.number().int().nonnegative().nullable(),
  labels: z.array(text).max(50),
});

export const ExchangeDraftSchema = z.object({
  fingerprint: z.string().max(64),
  reels: z.array(draftReel).max(2000),
  storage: z.string().max(128).nullable(),
  folder: NamePartsSchema,
});

/** The outer shape of an exported catalogue; discs and drafts are checked one by one, so that a bad one hides no other. `docs/formats.md` describes it. */
export const ExchangeSchema = z.object({
  format: z.literal(EXCHANGE_FORMAT),
  version: versionUpTo(EXCHANGE_VERSION),
  application: text,
  exportedAt: text,
  archive: z.object({ id: text, name: text }).nullable().default(null),
  rules: HouseRulesSchema.nullable(),
  /** The archive's own. */
  recipes: z.array(RecipeSchema).max(1000).default([]),
  discs: z.array(z.unknown()).max(100_000),
  drafts: z.array(z.unknown()).max(100_000),
});
