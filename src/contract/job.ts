import { z } from 'zod';
import { DigestSchema, digestedFile, withDigest } from './digest';
import { versionUpTo } from './id';
import { FAULT_WEIGHTS, MOST_FAULTS, type Fault, type FaultKind, type Wholeness } from '@/core/reading/fault';
import type { Check, CopyExpectation, Proof, MasterPromise } from '@/core/proof';
import { CONTAINERS, HARDWARE_NAMES, PACKINGS, SHAPE_CODECS, type CopyShape, type Nearness } from '@/core/recipes';
import { MOST_DEPTH, type AddedAudio, type Reel, type ReelTags } from '@/core/reels';
import { ProblemSchema } from './problem';
import { RecipeIdSchema, RecipeSchema, RecipesSchema } from './recipe';
import { AudioCodecSchema, DamageStretchSchema, ReadingSchema } from './reading';

/** Version 1 did not say by which mark the storage is known, version 2 nothing of how copies are made; 3 and 4 had recipes of version 1 and 2; in 6 no reel said which eye its first view is. */
export const JOB_VERSION = 8;
/** A job's id, which is its folder's name. */
export const JOB_ID = /^[a-z0-9-]{8,64}$/;
export const SIDECAR_VERSION = 8;

const whole = z.number().int().nonnegative();
const name = z.string().max(400);

const takenTrack = z.object({
  stream: whole,
  language: z.string().max(64).nullable(),
  name,
  isDefault: z.boolean(),
  isForced: z.boolean(),
  isCommentary: z.boolean(),
  isHearingImpaired: z.boolean(),
  isVisuallyImpaired: z.boolean(),
  isOriginal: z.boolean(),
  forcedOnly: z.boolean().optional(),
});
const ms = z.number().nonnegative().max(1e9);
const chapter = z.object({ startMs: ms, name });
/** A picture as a data address: a megabyte is far more than a cover needs. */
const MAX_COVER = 1_500_000;
const MAX_CUES = 50_000;
export const TagsSchema = z.object({
  work: name,
  year: z.string().regex(/^(\d{4})?$/),
  series: name,
  season: whole.nullable(),
  episode: whole.nullable(),
  language: z.string().max(64),
  notes: z.string().max(20_000),
  accession: name,
  cover: z
    .string()
    .max(MAX_COVER)
    .regex(/^data:image\/jpeg;base64,[A-Za-z0-9+/=]+$/)
    .nullable(),
}) satisfies z.ZodType<ReelTags>;
const added = z.object({
  name,
  language: z.string().max(64).nullable(),
  format: z.enum(['SubRip', 'WebVTT', 'ASS']),
  header: z.string().max(1_000_000),
  offsetMs: z.number().min(-1e8).max(1e8),
  isDefault: z.boolean(),
  isForced: z.boolean(),
  cues: z
    .array(z.object({ startMs: ms, endMs: ms, text: z.string().max(20_000) }))
    .max(MAX_CUES)
    .readonly(),
});
const addedAudio = z.object({
  source: z.object({
    root: z.string().max(128),
    path: z.string().max(4096),
    sizeBytes: whole,
    fingerprint: z.string().regex(/^[0-9a-f]{64}$/),
    stream: whole.max(1000),
  }),
  codec: AudioCodecSchema,
  channels: whole.max(64),
  sampleRateHz: whole,
  bitDepth: whole.nullable(),
  durationMs: ms,
  name,
  language: z.string().max(64).nullable(),
  offsetMs: z.number().min(-1e8).max(1e8),
  isDefault: z.boolean(),
  isCommentary: z.boolean(),
  isVisuallyImpaired: z.boolean(),
}) satisfies z.ZodType<AddedAudio>;

const side = z.number().int().nonnegative().max(8192);

export const ReelSchema = z.object({
  name,
  pieces: z
    .array(
      z.object({
        title: whole,
        angle: whole.min(1),
        fromChapter: whole.min(1),
        toChapter: whole.min(1),
        range: z.object({ fromMs: z.number().nonnegative(), toMs: z.number().positive() }).nullish(),
      }),
    )
    .min(1)
    .max(200)
    .readonly(),
  audio: z.array(takenTrack).max(32).readonly(),
  subtitles: z.array(takenTrack).max(32).readonly(),
  chapterNames: z.array(name).max(1000).readonly(),
  chapters: z.array(chapter).max(999).readonly().nullish(),
  tags: TagsSchema.optional(),
  fileName: name.optional(),
  added: z.array(added).max(16).readonly().optional(),
  addedAudio: z.array(addedAudio).max(8).readonly().optional(),
  subtitleFiles: z.boolean().optional(),
  damage: z.enum(['refuse', 'around']).optional(),
  bars: z.object({ top: side, bottom: side, left: side, right: side }).nullish(),
  packed: z.object({ packing: z.enum(PACKINGS), first: z.enum(['left', 'right']) }).nullish(),
  firstEye: z.enum(['left', 'right']).nullish(),
  otherEye: z.object({ title: whole.min(1), angle: whole.min(1).max(9), eye: z.enum(['left', 'right']) }).nullish(),
  subtitleDepth: z.number().int().min(-MOST_DEPTH).max(MOST_DEPTH).nullish(),
  recipes: RecipesSchema,
}) satisfies z.ZodType<Reel>;

/** Where a runner reads: resolved by the engine inside its roots, never by the browser. */
export const JobSourceSchema = z.discriminatedUnion('kind', [
  z.object({ kind: z.literal('image'), path: z.string(), label: z.string() }),
  z.object({ kind: z.literal('file'), path: z.string(), label: z.string() }),
  z.object({ kind: z.literal('folder'), path: z.string(), label: z.string() }),
  z.object({ kind: z.literal('drive'), path: z.string(), label: z.string(), drive: z.string() }),
]);
export type JobSource = z.infer<typeof JobSourceSchema>;

/** A place where a disc is not whole, or not as it says of itself. */
export const FaultSchema = z.object({
  kind: z.enum(Object.keys(FAULT_WEIGHTS) as [FaultKind, ...FaultKind[]]),
  track: whole.nullable(),
  atMs: whole,
  ms: z.number().nullable(),
  content: z.string().max(64).nullable(),
  firstSector: whole,
  lastSector: whole,
  count: whole,
}) satisfies z.ZodType<Fault>;
const faults = z
  .array(FaultSchema)
  .max(2 * MOST_FAULTS)
  .readonly();

export const WholenessSchema = z.object({
  faults,
  count: whole,
  damage: whole,
  witnesses: z.object({
    packs: whole,
    navigationPacks: whole,
    cells: whole,
    playItems: whole,
    entryPoints: whole,
    pictures: whole,
    soundFrames: whole,
  }),
}) satisfies z.ZodType<Wholeness>;

const DiscOfSchema = z.object({ label: z.string(), fingerprint: z.string(), kind: z.string(), source: z.string() });
const SegmentsSchema = z.array(z.object({ title: whole, chapter: whole.nullable(), id: z.string(), discSector: whole, sectors: whole }));

export const JobStorageSchema = z.object({ id: z.string(), name: z.string(), path: z.string(), mark: z.string().nullable().default(null) });

/** One job, self-contained: a runner needs this file and nothing else. */
export const JobSchema = z.object({
  version: versionUpTo(JOB_VERSION),
  id: z.string().regex(JOB_ID),
  createdAt: z.string(),
  reel: ReelSchema,
  reading: ReadingSchema,
  source: JobSourceSchema,
  /** The folder that results go to, and where the runner may keep unfinished files (same file system). */
  storage: JobStorageSchema,
  /** Folder inside the storage, already safe; empty for the storage itself. */
  folder: z.string().max(2000),
  /** File name without extension, already safe. */
  fileName: z.string().min(1),
  /** Copies that do not go where the reel goes. */
  places: z
    .array(z.object({ recipe: RecipeIdSchema, storage: JobStorageSchema, folder: z.string().max(2000), fileName: z.string().min(1) }))
    .max(12)
    .default([]),
  /** Files with the reel's added sound, in its order: resolved by the engine, like the source. */
  soundFiles: z.array(z.string()).max(8).default([]),
  /** The recipes of its copies as they were when it was sent: what is changed later does not change it. */
  copies: z.array(RecipeSchema).max(12).default([]),
  /** Encoders of hardware that worked here when it was sent. */
  hardware: z.array(z.enum(HARDWARE_NAMES)).max(50).default([]),
  /** Where its source, a master of the library, comes from itself: its copies are told of that disc. Null for a disc or a file. */
  origin: z
    .preprocess(
      withDigest,
      z.object({
        disc: DiscOfSchema,
        reel: ReelSchema,
        segments: SegmentsSchema,
        /** What was found of the disc itself when the master was made. */
        wholeness: WholenessSchema.nullable(),
        around: z.boolean(),
        /** Of the master's file: what the copies are made from must be that, bit for bit. */
        digest: DigestSchema,
      }),
    )
    .nullable()
    .default(null),
});
export type Job = z.infer<typeof JobSchema>;
type JobPlaces = Pick<Job, 'storage' | 'folder' | 'fileName' | 'places'>;

/** Where a result goes: the storage, the folder in it, the name without ending. */
export const placeOf = (job: JobPlaces, recipe: string): Pick<Job, 'storage' | 'folder' | 'fileName'> =>
  job.places.find((p) => p.recipe === recipe) ?? job;

/** The storages that a job writes to, the reel's own first; each once. */
export function storagesOf(job: Pick<JobPlaces, 'storage' | 'places'>): readonly Job['storage'][] {
  const all = [job.storage, ...job.places.map((p) => p.storage)];
  return all.filter((s, i) => all.findIndex((other) => other.path === s.path) === i);
}

export const STAGES = ['master', 'master proof', 'access', 'access proof', 'placing'] as const;
export const StageSchema = z.enum(STAGES);
export type Stage = z.infer<typeof StageSchema>;

/** One line of `events.ndjson`. `seq` counts the lines as its writer saw them: engine and runner may write side by side. */
export const JobEventSchema = z.discriminatedUnion('type', [
  z.object({ type: z.literal('started'), seq: whole, at: z.string(), pid: whole }),
  /** `copy`: the recipe that the stage is about, where it makes or proves a copy. */
  z.object({ type: z.literal('stage'), seq: whole, at: z.string(), stage: StageSchema, copy: RecipeIdSchema.optional() }),
  /** Something that it needs is away; it goes on by itself when that is back. */
  z.object({ type: z.literal('held'), seq: whole, at: z.string(), problem: ProblemSchema }),
  /** The user wants it stopped. */
  z.object({ type: z.literal('cancel-asked'), seq: whole, at: z.string() }),
  /** Its runner ended without a word; it is started again. */
  z.object({ type: z.literal('interrupted'), seq: whole, at: z.string() }),
  z.object({
    type: z.literal('progress'),
    seq: whole,
    at: z.string(),
    stage: StageSchema,
    done: z.number(),
    total: z.number(),
    unit: z.enum(['bytes', 'ms']),
  }),
  z.object({ type: z.literal('note'), seq: whole, at: z.string(), text: z.string() }),
  /** What reading showed: where the disc is not whole. The stretches are those of its contents. */
  z.object({
    type: z.literal('found'),
    seq: whole,
    at: z.string(),
    places: whole,
    damaged: whole,
    stretches: z.array(DamageStretchSchema).max(100),
  }),
  /** The user wants it tried again; `around`: with what there is, where the disc is not whole. */
  z.object({ type: z.literal('retried'), seq: whole, at: z.string(), around: z.boolean() }),
  /** The user wants it otherwise: where its results go, what they are called, by which recipes they are made. */
  z.object({
    type: z.literal('changed'),
    seq: whole,
    at: z.string(),
    /** All of it is made from the beginning. */
    again: z.boolean(),
    storageId: z.string(),
    storage: z.string(),
    folder: z.string(),
    fileName: z.string(),
    recipes: RecipesSchema,
    copies: z.array(z.object({ id: RecipeIdSchema, name: z.string() })),
  }),
  /** The master is proven, the disc no longer needed; encoding waits for its turn. */
  z.object({ type: z.literal('parted'), seq: whole, at: z.string() }),
  z.object({ type: z.literal('finished'), seq: whole, at: z.string(), files: z.array(z.string()) }),
  /** `files`: what was proven all the same, and has its place in the library. */
  z.object({ type: z.literal('failed'), seq: whole, at: z.string(), problem: ProblemSchema, files: z.array(z.string()).optional() }),
  z.object({ type: z.literal('cancelled'), seq: whole, at: z.string() }),
  /** The user wants it to stand still: as it is while it runs, not begun while it waits. */
  z.object({ type: z.literal('paused'), seq: whole, at: z.string() }),
  z.object({ type: z.literal('resumed'), seq: whole, at: z.string() }),
  /** Its place among those that wait: smaller is sooner. */
  z.object({ type: z.literal('ranked'), seq: whole, at: z.string(), rank: z.number() }),
  /** It is not begun before; null for as soon as it can be. */
  z.object({ type: z.literal('timed'), seq: whole, at: z.string(), startAt: z.iso.datetime().nullable() }),
]);
export type JobEvent = z.infer<typeof JobEventSchema>;

export const CheckSchema = z.object({
  what: z.enum([
    'track identical',
    'packets',
    'timestamps',
    'moments',
    'duration',
    'chapters',
    'checksums',
    'structure',
    'index',
    'parts',
    'decodes',
    'streams',
    'not empty',
    'whole',
  ]),
  track: whole.nullable(),
  passed: z.boolean(),
  expected: z.string(),
  found: z.string(),
}) satisfies z.ZodType<Check>;

export const ProofSchema = z.object({
  passed: z.boolean(),
  checks: z.array(CheckSchema).readonly(),
  identicalTracks: whole,
  tracks: whole,
  /** What version 1 of the sidecar did not look for. */
  exceptions: faults.default([]),
  exceptionCount: whole.default(0),
  parts: z
    .array(z.object({ name: z.string(), hash: z.string() }))
    .readonly()
    .default([]),
}) satisfies z.ZodType<Proof>;

export const MasterPromiseSchema = z.object({
  durationMs: z.number(),
  frames: whole,
  interlaced: z.boolean(),
  chapters: z.array(z.object({ startMs: z.number(), name: z.string() })).readonly(),
  tracks: z
    .array(
      z.object({
        kind: z.enum(['video', 'audio', 'subtitle']),
        stream: whole,
        codecId: z.string(),
        language: z.string().nullable(),
        packets: whole,
        bytes: whole,
        hash: z.string(),
        lpcm: z
          .object({
            bitDepth: z.union([z.literal(16), z.literal(20), z.literal(24)]),
            channels: whole,
            sampleRateHz: z.union([z.literal(48000), z.literal(96000), z.literal(192000)]),
            assignment: whole.nullable().default(null),
          })
          .nullable(),
        left: z.array(z.object({ reason: z.string(), bytes: whole, frames: whole, ms: whole.default(0) })).readonly(),
        seenBytes: whole,
        irregularities: whole,
        forcedAtMs: z.array(whole).max(500).readonly().default([]),
        fromMs: z.number().nullable().default(null),
        toMs: z.number().nullable().default(null),
      }),
    )
    .readonly(),
  wholeness: WholenessSchema.nullable().default(null),
  around: z.boolean().default(false),
}) satisfies z.ZodType<MasterPromise>;

/** A subtitle file made beside a result. `track` is its place in the result's promise. */
const BesideFields = z.object({ ending: z.string(), sizeBytes: whole, digest: DigestSchema, track: whole });
export const BesideResultSchema = z.preprocess(withDigest, BesideFields);
export type BesideResult = z.infer<typeof BesideResultSchema>;

export const CopyExpectationSchema = z.object({
  leastFrames: whole,
  mostFrames: whole,
  durationMs: z.number(),
  audioStreams: whole,
  subtitleStreams: whole,
  chapters: whole,
  covers: whole.default(0),
  slower: z.number().positive().max(2).default(1),
}) satisfies z.ZodType<CopyExpectation>;

const measuredNearness = z.object({
  frames: whole,
  ssim: z.number(),
  worstSsim: z.number(),
  psnrDb: z.number(),
}) satisfies z.ZodType<Nearness>;

const CopyShapeSchema = z.object({
  container: z.enum(CONTAINERS),
  video: z.object({
    codec: z.enum(SHAPE_CODECS),
    bitDepth: whole,
    widthPixels: whole,
    heightPixels: whole,
    rate: z.number(),
    interlaced: z.boolean(),
    squarePixels: z.boolean(),
    views: z.union([z.literal(1), z.literal(2)]),
  }),
  audio: z.array(z.object({ codec: AudioCodecSchema, channels: whole })).readonly(),
  bytes: whole,
}) satisfies z.ZodType<CopyShape>;

/** What came of making a copy, as it was measured then. */
export const OutcomeSchema = z.object({
  /** By FFmpeg's prober; null where it saw no picture. On which players it plays follows from it. */
  shape: CopyShapeSchema.nullable(),
  /** To the master after all treatments, by stretches spread over it; null where nothing was encoded, or nothing can be lost. */
  nearness: measuredNearness.nullable(),
  /** What was expected beforehand. */
  estimatedBytes: whole,
  /** Milliseconds of encoding; null where it was stopped in between and gone on with. */
  tookMs: whole.nullable(),
});
export type Outcome = z.infer<typeof OutcomeSchema>;

/** The JSON file beside every result: whence it came, what is in it, what was proven. `docs/formats.md` describes it. */
export const SidecarSchema = z.object({
  /** Version 1 did not compare what was read with what the disc says there is, and had no seal; version 2 knew one kind of copy, version 3 nothing of what came of it; 4 had recipes of version 2, 5 of version 3; before 8 every digest was SHA-256, and called so. */
  version: versionUpTo(SIDECAR_VERSION),
  application: z.string(),
  madeAt: z.string().refine((at) => Number.isFinite(Date.parse(at)), 'no date'),
  jobId: z.string(),
  recipe: RecipeIdSchema,
  /** How a copy was made, and what it has to hold; null for a master, and for copies of earlier versions. */
  copy: z.object({ recipe: RecipeSchema, expects: CopyExpectationSchema }).nullable().default(null),
  /** Null for masters, and before version 4. */
  outcome: OutcomeSchema.nullable().default(null),
  file: digestedFile({}),
  /** Subtitle files that were made with it and stand beside it; all named in the sidecar of one result. */
  beside: z.array(digestedFile({ track: whole })).default([]),
  reel: ReelSchema,
  disc: DiscOfSchema,
  /** The segments read, in order, with their place on the disc. */
  segments: SegmentsSchema,
  payloadHash: z.string(),
  /** What the master holds, or what the access copy was made from. */
  promise: MasterPromiseSchema,
  proof: ProofSchema,
  tools: z.record(z.string(), z.string()),
  /** SHA-256 over all of the above, keys in order: an edit shows by it. Version 1 has none. */
  seal: z.string().optional(),
});
export type Sidecar = z.infer<typeof SidecarSchema>;
