import { z } from 'zod';
import { DIGEST_ALGORITHMS } from '@/core/proof/digest';
import { CopyExpectationSchema, JobSourceSchema, MasterPromiseSchema, ProofSchema } from './job';
import { BagOrderSchema } from './bag';
import { DiscFolderOrderSchema } from './disc-folder';
import { ImageProgressSchema, ImageRecordFields, ImageRecordSchema } from './disc-image';
import { RecipeIdSchema } from './recipe';
import { ReadingTaskSchema } from './api';
import { ProblemSchema } from './problem';
import { FindingsSchema, ReadingSchema } from './reading';

/**
 * What the engine and its helpers say to each other. A helper reads what nobody can vouch for (a disc, a file of the library) in a process
 * of its own: whatever that does to it, the engine answers. The order comes on its input, the answer goes out line by line.
 */
export const HelperOrderSchema = z.discriminatedUnion('kind', [
  z.object({
    kind: z.literal('read'),
    source: JobSourceSchema,
    /** The drive need not be waited for. */
    spunUp: z.boolean(),
    thorough: z.boolean(),
  }),
  z.object({
    kind: z.literal('take image'),
    source: JobSourceSchema,
    spunUp: z.boolean(),
    files: z.object({ image: z.string(), map: z.string(), record: z.string() }),
    label: z.string(),
    fill: ImageRecordFields.shape.fill,
    retries: z.number().int().nonnegative(),
  }),
  BagOrderSchema,
  DiscFolderOrderSchema,
  /** The digest of a file of the library. */
  z.object({ kind: z.literal('hash'), file: z.string(), algorithm: z.enum(DIGEST_ALGORITHMS) }),
  z.object({
    kind: z.literal('prove'),
    file: z.string(),
    recipe: RecipeIdSchema,
    /** What a copy has to hold; null where only its promise says anything. */
    expects: CopyExpectationSchema.nullable(),
    promise: MasterPromiseSchema,
    algorithm: z.enum(DIGEST_ALGORITHMS),
    parts: ProofSchema.shape.parts,
    /** Files that were made with it: their digests are to be found again. */
    beside: z.array(z.object({ file: z.string(), digest: z.string() })).max(100),
  }),
]);
export type HelperOrder = z.infer<typeof HelperOrderSchema>;

export const HelperLineSchema = z.discriminatedUnion('type', [
  /** The source is open: a drive has spun up. */
  z.object({ type: z.literal('opened') }),
  z.object({ type: z.literal('progress'), progress: ReadingTaskSchema.shape.progress }),
  z.object({ type: z.literal('read'), reading: ReadingSchema, findings: FindingsSchema }),
  z.object({ type: z.literal('proven'), proof: ProofSchema, digest: z.string(), besideMatch: z.boolean() }),
  z.object({ type: z.literal('taking'), progress: ImageProgressSchema }),
  /** Its passes are over. */
  z.object({ type: z.literal('finishing') }),
  z.object({ type: z.literal('taken'), record: ImageRecordSchema }),
  z.object({ type: z.literal('bagging'), done: z.number(), total: z.number() }),
  z.object({ type: z.literal('bagged'), files: z.number(), bytes: z.number() }),
  z.object({ type: z.literal('taking out'), done: z.number(), total: z.number() }),
  z.object({ type: z.literal('taken out'), files: z.number(), bytes: z.number() }),
  z.object({ type: z.literal('hashed'), digest: z.string() }),
  z.object({ type: z.literal('failed'), problem: ProblemSchema }),
]);
export type HelperLine = z.infer<typeof HelperLineSchema>;
