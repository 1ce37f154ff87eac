import { DigestSchema } from './digest';
import { AfterSchema, AfterStateSchema, CommandsSchema } from './after';
import { z } from 'zod';
import { IdSchema as id } from './id';
import { JobEventSchema, MasterPromiseSchema, OutcomeSchema, ProofSchema, ReelSchema, SidecarSchema, StageSchema } from './job';
import { BagStateSchema } from './bag';
import { NO_STANDING, StandingStateSchema } from './standing';
import { DiscFolderStateSchema } from './disc-folder';
import { DiscImageStateSchema } from './disc-image';
import { FixityStateSchema, NO_FIXITY } from './fixity';
import { EyesSchema } from './look';
import { within } from './query';
import { SourceRefSchema } from './source';
import { PaceSchema, StageSpeedsSchema, WorkDoneSchema } from './pace';
import { ProblemSchema, WAITED_FOR } from './problem';
import { EncoderStateSchema, RecipeIdSchema, RecipeSchema, RecipesSchema } from './recipe';
import { AudioCodecSchema, DamageStretchSchema, FindingsSchema, ReadingSchema } from './reading';

/** What the browser and the engine say to each other. Every body on the way is one of these. */

const inside = z.string().max(4096);

/** Whose catalogue, jobs and rules these are: made once, with the data folder. */
export const ArchiveSchema = z.object({
  id: z.string().regex(/^[0-9a-f-]{36}$/),
  name: z.string().min(1).max(80),
  madeAt: z.string(),
  /** Its data folder was in use before archives had an identity. */
  isOlder: z.boolean(),
});
export type Archive = z.infer<typeof ArchiveSchema>;
export const NameArchiveSchema = z.object({ name: z.string().trim().min(1).max(80) });

export const DriveStateSchema = z.object({
  id,
  name: z.string(),
  simulated: z.boolean(),
  /** `away`: not connected. `refused`, `busy`: see `problem`. */
  state: z.enum(['empty', 'spinning up', 'ready', 'reading', 'away', 'refused', 'busy']),
  /** What the system calls it; null for a simulated one. */
  device: z.string().nullable().default(null),
  problem: ProblemSchema.nullable().default(null),
  /** It has a tray that moves by itself. */
  tray: z.boolean().default(true),
  disc: z.string().nullable(),
  /** Discs that can be laid into a simulated drive. */
  discs: z.array(z.object({ id, label: z.string() })),
});
export type DriveState = z.infer<typeof DriveStateSchema>;

export const FoundSourceSchema = z.object({
  root: id,
  path: inside,
  name: z.string(),
  kind: z.enum(['image', 'disc folder', 'video file', 'sound file', 'folder']),
  sizeBytes: z.number().nullable(),
});
export type FoundSource = z.infer<typeof FoundSourceSchema>;

/** How far the making of discs is, of those that are made here to look around with. */
export const MakingSchema = z.object({
  made: z.number().int().nonnegative(),
  total: z.number().int().nonnegative(),
  /** Of the work, 0 to 1. */
  share: z.number().min(0).max(1),
  /** What is made now. */
  names: z.array(z.string()).readonly(),
});

export const RootStateSchema = z.object({
  id,
  name: z.string(),
  available: z.boolean(),
  found: z.array(FoundSourceSchema),
  /** Null where nothing is made. */
  making: MakingSchema.nullable().default(null),
});
export const StorageStateSchema = z.object({
  id,
  name: z.string(),
  path: z.string(),
  available: z.boolean(),
  writable: z.boolean(),
  freeBytes: z.number().nullable(),
  /** What it stands on, and the largest file that this holds, bytes; null where that is not known, or no film reaches it. */
  fileSystem: z.string().nullable().default(null),
  largestFile: z.number().nullable().default(null),
  /** `new`: nobody has said yet that it is a library. `other`: what is there is not what was taken as one. `away`: nothing is there. */
  identity: z.enum(['known', 'new', 'other', 'away']),
  /** A stand-in for a share, which can be unplugged here. */
  simulated: z.boolean().default(false),
});
export const PlugSchema = z.object({ plugged: z.boolean() });
export type StorageState = z.infer<typeof StorageStateSchema>;

export const ReadingTaskSchema = z.object({
  id,
  source: SourceRefSchema,
  name: z.string(),
  state: z.enum(['waiting', 'reading', 'done', 'failed', 'cancelled']),
  progress: z.object({
    step: z.enum(['opening', 'titleSet', 'playlist', 'clip', 'looking', 'menus', 'surface']),
    done: z.number(),
    total: z.number(),
  }),
  problem: ProblemSchema.nullable(),
  fingerprint: z.string().nullable(),
  /** Every sector was read: what it says of damage is all there is. */
  thorough: z.boolean().default(false),
});
export type ReadingTask = z.infer<typeof ReadingTaskSchema>;

export const ReadingResultSchema = z.object({
  task: ReadingTaskSchema,
  reading: ReadingSchema.nullable(),
  findings: FindingsSchema.nullable(),
});
export type ReadingResult = z.infer<typeof ReadingResultSchema>;

export const JobStateSchema = z.object({
  id,
  name: z.string(),
  folder: z.string(),
  fileName: z.string(),
  createdAt: z.string(),
  storage: z.string(),
  disc: z.string(),
  fingerprint: z.string(),
  recipes: z.array(RecipeIdSchema),
  /** Names of the recipes of its copies, by identifier. */
  copies: z.array(z.object({ id: RecipeIdSchema, name: z.string() })).default([]),
  state: z.enum(['waiting', 'running', 'interrupted', 'done', 'failed', 'cancelled']),
  stage: StageSchema.nullable(),
  /** The recipe of the copy that is made or proven; null for other stages. */
  copy: RecipeIdSchema.nullable().default(null),
  done: z.number(),
  total: z.number(),
  unit: z.enum(['bytes', 'ms']),
  /** Units a second over the last seconds; null where it is not yet known. */
  rate: z.number().nullable(),
  startedAt: z.string().nullable(),
  endedAt: z.string().nullable(),
  files: z.array(z.string()),
  problem: ProblemSchema.nullable(),
  attempts: z.number(),
  /** It stands still because the user wants it to. */
  paused: z.boolean().default(false),
  /** Its place among those that wait: smaller is sooner. */
  rank: z.number().default(0),
  /** Not begun before; null for as soon as it can be. */
  startAt: z.string().nullable().default(null),
  /** Places where the disc is not whole, those of them that are damage, and where they lie. */
  places: z.number().default(0),
  damaged: z.number().default(0),
  stretches: z.array(DamageStretchSchema).readonly().default([]),
  /** Of its reel; empty where its order was lost. */
  storageId: z.string().default(''),
  /** What it reads from: jobs that share it are read one after the other. */
  reads: z.string().default(''),
  /** What its reel takes, as estimated: bytes of its master, playing time in milliseconds, pixels of a picture. */
  expects: z
    .object({ masterBytes: z.number(), durationMs: z.number(), pixels: z.number() })
    .default({ masterBytes: 0, durationMs: 0, pixels: 0 }),
  /** Its stages that went through without a stop. */
  took: z.array(WorkDoneSchema).readonly().default([]),
});
export type JobState = z.infer<typeof JobStateSchema>;
/** Nothing more happens to it by itself. */
export const isOver = ({ state }: Pick<JobState, 'state'>): boolean => state === 'done' || state === 'failed' || state === 'cancelled';
/** It can be tried in another way: it failed, was cancelled, or waits for what may never come. */
export const isChangeable = ({ state, problem }: Pick<JobState, 'state' | 'problem'>): boolean =>
  state === 'failed' || state === 'cancelled' || (state === 'waiting' && problem !== null && WAITED_FOR.has(problem.code));
/** The order in which jobs that wait are begun: pages show the same. */
export const byRank = (a: Pick<JobState, 'id' | 'rank'>, b: Pick<JobState, 'id' | 'rank'>): number =>
  a.rank - b.rank || (a.id < b.id ? -1 : a.id > b.id ? 1 : 0);

export const OutputSchema = z.object({
  id,
  storage: z.string(),
  storageName: z.string(),
  path: inside,
  sizeBytes: z.number(),
  /** `missing`: the sidecar is there, its file is not. `changed`: the size is not what the sidecar says. */
  presence: z.enum(['present', 'missing', 'changed']),
  /** `broken`: the sidecar is not as it was written. `none`: it was written before there were seals. */
  seal: z.enum(['whole', 'broken', 'none']),
  sidecar: SidecarSchema,
  /** Of a film with two views, whose eye's the first one is. Said of one that is asked for by itself. */
  firstEye: z.enum(['left', 'right']).nullish(),
});
export type Output = z.infer<typeof OutputSchema>;

/** A result as it stands in a list: of its sidecar what lists, coverage and estimates need. The whole is asked for by its id. */
export const VaultEntrySchema = OutputSchema.extend({
  sidecar: SidecarSchema.pick({ recipe: true, jobId: true, madeAt: true }).extend({
    /** How a copy was made; null for a master, and for copies of earlier versions. */
    copy: z
      .object({ recipe: RecipeSchema.pick({ name: true, container: true, video: true }) })
      .nullable()
      .default(null),
    /** What was said beforehand of a copy; null for a master, and for copies of earlier versions. */
    outcome: OutcomeSchema.pick({ estimatedBytes: true }).nullable().default(null),
    file: z.object({ sizeBytes: z.number(), digest: DigestSchema }),
    disc: SidecarSchema.shape.disc.pick({ label: true, fingerprint: true }),
    reel: ReelSchema.pick({ name: true, pieces: true }),
    promise: MasterPromiseSchema.pick({ durationMs: true }).extend({
      wholeness: MasterPromiseSchema.shape.wholeness.unwrap().unwrap().pick({ faults: true, damage: true }).nullable(),
    }),
    proof: ProofSchema.pick({ passed: true, exceptions: true }),
  }),
});
export type VaultEntry = z.infer<typeof VaultEntrySchema>;
/** A sidecar that can not be used, and why: its film is not listed. */
export const UnreadSidecarSchema = z.object({ storageName: z.string(), path: inside, reason: z.string() });
export type UnreadSidecar = z.infer<typeof UnreadSidecarSchema>;
/** A film that has no sidecar: nothing is known of it, and nothing is done with it. */
export const OrphanFilmSchema = z.object({ storageName: z.string(), path: inside });
export type OrphanFilm = z.infer<typeof OrphanFilmSchema>;
/** Entries of one answer at the most. */
export const VAULT_PAGE = 500;

/** What holds for the whole queue. */
export const QueueSettingsSchema = z.object({
  /** Nothing new is begun. */
  held: z.boolean(),
  /** Copies that are encoded at once; null for as many as suit this machine. */
  encodeLanes: z.number().int().min(1).max(16).nullable(),
  /** Work gets what others leave of processor and disks. */
  background: z.boolean(),
  after: AfterSchema.default({ do: 'nothing' }),
});
export type QueueSettings = z.infer<typeof QueueSettingsSchema>;
export const QUEUE_SETTINGS: QueueSettings = { held: false, encodeLanes: null, background: false, after: { do: 'nothing' } };

export const EngineStateSchema = z.object({
  /** Changes with every start of the engine: pages see a restart by it. */
  boot: z.string(),
  archive: ArchiveSchema,
  version: z.string(),
  revision: z.number(),
  drives: z.array(DriveStateSchema),
  roots: z.array(RootStateSchema),
  storages: z.array(StorageStateSchema),
  readings: z.array(ReadingTaskSchema),
  jobs: z.array(JobStateSchema),
  queue: QueueSettingsSchema.default(QUEUE_SETTINGS),
  /** Copies that are encoded at once where nobody has said otherwise. */
  usualEncodeLanes: z.number().default(1),
  pace: PaceSchema.default([]),
  commands: CommandsSchema.default([]),
  after: AfterStateSchema.default({ dueAt: null, last: null }),
  outputs: z.number(),
  fixity: FixityStateSchema.default(NO_FIXITY),
  /** Images of whole discs, finished and not. */
  images: z.array(DiscImageStateSchema).default([]),
  standing: StandingStateSchema.default(NO_STANDING),
  bags: z.array(BagStateSchema).readonly().default([]),
  folders: z.array(DiscFolderStateSchema).readonly().default([]),
  /** Encoders as they were found; none before they were tried. */
  encoders: z.array(EncoderStateSchema).default([]),
});
export type EngineState = z.infer<typeof EngineStateSchema>;

/** One message of the event stream; `id` counts up, so that a dropped connection resumes where it was. */
export const EngineEventSchema = z.discriminatedUnion('type', [
  z.object({ type: z.literal('hello'), boot: z.string() }),
  z.object({ type: z.literal('archive'), archive: ArchiveSchema }),
  z.object({ type: z.literal('drives'), drives: z.array(DriveStateSchema) }),
  z.object({ type: z.literal('roots'), roots: z.array(RootStateSchema) }),
  z.object({ type: z.literal('storages'), storages: z.array(StorageStateSchema) }),
  z.object({ type: z.literal('reading'), task: ReadingTaskSchema }),
  z.object({ type: z.literal('job'), job: JobStateSchema }),
  z.object({ type: z.literal('job-gone'), id: z.string() }),
  z.object({ type: z.literal('queue'), queue: QueueSettingsSchema }),
  z.object({ type: z.literal('after'), after: AfterStateSchema }),
  z.object({ type: z.literal('pace'), pace: PaceSchema }),
  z.object({ type: z.literal('outputs'), count: z.number() }),
  z.object({ type: z.literal('fixity'), fixity: FixityStateSchema }),
  z.object({ type: z.literal('folders'), folders: z.array(DiscFolderStateSchema).readonly() }),
  z.object({ type: z.literal('bags'), bags: z.array(BagStateSchema).readonly() }),
  z.object({ type: z.literal('standing'), standing: StandingStateSchema }),
  z.object({ type: z.literal('images'), images: z.array(DiscImageStateSchema) }),
  z.object({ type: z.literal('encoders'), encoders: z.array(EncoderStateSchema) }),
]);
export type EngineEvent = z.infer<typeof EngineEventSchema>;

/** `thorough`: everything that titles need is read once, to find damage. It takes as long as reading the disc. */
export const StartReadingSchema = z.object({ source: SourceRefSchema, thorough: z.boolean().default(false) });
/** All discs in a folder and the folders below it, but those that are known. */
export const ScanSchema = z.object({ root: id, except: z.array(inside).max(20_000) });
export const ScanResultSchema = z.object({ started: z.number() });
export const InsertSchema = z.object({ disc: id });
export const BrowseResultSchema = z.object({ root: id, path: inside, entries: z.array(FoundSourceSchema) });
export type BrowseResult = z.infer<typeof BrowseResultSchema>;
/** Sound in a file that a reel may add: one entry a stream. */
export const SoundSchema = z.object({
  sizeBytes: z.number(),
  fingerprint: z.string(),
  durationMs: z.number(),
  streams: z
    .array(
      z.object({
        stream: z.number(),
        codec: AudioCodecSchema,
        channels: z.number(),
        layout: z.string(),
        sampleRateHz: z.number(),
        bitDepth: z.number().nullable(),
        language: z.string().nullable(),
      }),
    )
    .readonly(),
});
export type Sound = z.infer<typeof SoundSchema>;
/** Where copies go that do not go where their reel does; what is null is as for the reel. */
const CopyPlacesSchema = z
  .array(
    z.object({
      recipe: RecipeIdSchema,
      storage: id.nullable(),
      folder: z.string().max(400).nullable(),
      fileName: z.string().max(400).nullable(),
    }),
  )
  .max(12)
  .readonly()
  .default([]);
export type SubmitPlaces = z.infer<typeof CopyPlacesSchema>;

/** How a job that failed or was cancelled is to be tried again. */
export const ChangeSchema = z.object({
  storage: id,
  folder: z.string().max(2000),
  fileName: z.string().min(1).max(400),
  recipes: RecipesSchema,
  copies: z.array(RecipeSchema).max(12),
});
export type ChangeWish = z.infer<typeof ChangeSchema>;

export const SubmitJobSchema = z.object({
  source: SourceRefSchema,
  fingerprint: z.string().regex(/^[0-9a-f]{64}$/),
  reading: ReadingSchema,
  reel: ReelSchema,
  /** The recipes of its copies. */
  copies: z.array(RecipeSchema).max(12).default([]),
  storage: id,
  /** Folder inside the storage, as the user wrote it; the engine makes a safe path of it. */
  folder: z.string().max(400),
  places: CopyPlacesSchema,
});
export type SubmitJob = z.infer<typeof SubmitJobSchema>;
/** Copies of a master that is in the library. */
export const CopyWishSchema = z.object({ copies: z.array(RecipeSchema).min(1).max(12).readonly(), places: CopyPlacesSchema });
/** Jobs of one wish at the most. */
export const MOST_ARRANGED = 10_000;
/** What is to become of jobs that are in the queue; each is decided by itself, and written into its journal. */
export const ArrangeSchema = z.object({
  jobs: z.array(id).min(1).max(MOST_ARRANGED).readonly(),
  decision: z.discriminatedUnion('do', [
    z.object({ do: z.enum(['pause', 'resume', 'cancel', 'retry', 'forget']) }),
    /** Put before another job, in the order that they have; null for the end. */
    z.object({ do: z.literal('move'), before: id.nullable() }),
    z.object({ do: z.literal('time'), startAt: z.iso.datetime().nullable() }),
  ]),
});
export type Arrange = z.infer<typeof ArrangeSchema>;
/** Of the jobs asked for, what could not be done, and why. */
export const ArrangedSchema = z.object({ done: z.number(), refused: z.array(z.object({ id, problem: ProblemSchema })).readonly() });
export const SubmittedSchema = z.object({ jobId: id, fileName: z.string() });
export const JobLogSchema = z.object({ events: z.array(JobEventSchema), speeds: z.array(StageSpeedsSchema).readonly().default([]) });
/** One page of the vault, the newest first. `stamp` changes when the vault has: pages of two stamps do not belong together. */
export const OutputListSchema = z.object({
  stamp: z.number(),
  total: z.number(),
  outputs: z.array(VaultEntrySchema).max(VAULT_PAGE).readonly(),
  unread: z.array(UnreadSidecarSchema).readonly(),
  orphans: z.array(OrphanFilmSchema).readonly().default([]),
});
export const ReproveSchema = z.object({ proof: ProofSchema, digestMatches: z.boolean() });
export const PlaceQuerySchema = z.object({ root: z.string().default(''), path: inside.default('') });
export const BrowseQuerySchema = PlaceQuerySchema.extend({ for: z.enum(['disc', 'sound']).default('disc') });
export const PageQuerySchema = z.object({ from: within(0, 1e9).transform(Math.floor) });
/** Seconds of the result's playing time, which of its audio tracks, and what of two views. */
export const PlayQuerySchema = z.object({
  start: within(0, 1e9),
  audio: within(0, 31).transform(Math.floor),
  eyes: EyesSchema.catch('first'),
});
export type PlayQuery = z.output<typeof PlayQuerySchema>;
export const DoneSchema = z.object({ ok: z.literal(true) });
