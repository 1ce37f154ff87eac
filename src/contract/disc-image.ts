import { z } from 'zod';
import { withDigest } from './digest';
import { CountSchema as count, IdSchema as id } from './id';
import { FILLS, TAKE_PASSES, type CurvePart, type Fill, type TakePass } from '@/core/rescue';
import { FixityCheckSchema } from './fixity';
import { SourceRefSchema } from './source';
import { ProblemSchema } from './problem';

/** Images of whole discs in the library: menus and all, with a map of what could not be read. */

/** Folder of a library storage that they stand in. */
export const IMAGE_FOLDER = 'Disc images';
/** The place under which the images of a storage can be read as discs. */
export const imageRoot = (storage: string): string => `images-of-${storage}`;

/** Retries of what failed by itself. */
export const MOST_RETRIES = 20;
/** Stretches of one copy that are noted one by one; the rest is only counted. */
export const MOST_JOINED = 2000;

const CurvePartSchema = z.object({ bytes: count, ms: count, failed: count }) satisfies z.ZodType<CurvePart>;

/** A disc, or another copy of its pressing, that an image was taken from. */
export const ImageSourceSchema = z.object({
  name: z.string().max(400),
  begunAt: z.string(),
  /** Null while it is read, or where that was cut short. */
  endedAt: z.string().nullable(),
  /** Bytes that were read from it. */
  bytes: count,
  /** Stretches that came from it, where it is not the first: byte and byte behind. */
  joined: z.array(z.tuple([count, count])).max(MOST_JOINED),
});
export type ImageSource = z.infer<typeof ImageSourceSchema>;

/** What stands beside an image, as `NAME.iso.record`: JSON. */
export const ImageRecordFields = z.object({
  version: z.literal(1),
  application: z.string(),
  label: z.string().max(400),
  sizeBytes: count,
  fill: z.enum(FILLS) satisfies z.ZodType<Fill>,
  sources: z.array(ImageSourceSchema).max(100),
  /** How fast it was read along its address. */
  curve: z.array(CurvePartSchema).max(1000),
  /** What could not be read, in bytes. */
  lostBytes: count,
  /** Of the image as it stands; null while it is being taken. */
  digest: z.string().nullable(),
  fingerprint: z.string().nullable(),
});
export const ImageRecordSchema = z.preprocess(withDigest, ImageRecordFields);
export type ImageRecord = z.infer<typeof ImageRecordSchema>;

export const IMAGE_CELLS = 200;
/** Of a stretch of the disc: the worst that it holds. */
export const CELL_STATES = ['read', 'not tried', 'looked for', 'unreadable'] as const;
export type CellState = (typeof CELL_STATES)[number];

export const ImageProgressSchema = z.object({
  pass: z.enum(TAKE_PASSES) satisfies z.ZodType<TakePass>,
  atByte: count,
  readBytes: count,
  lostBytes: count,
  bytesPerSecond: count,
  /** Reads that failed since it was begun. */
  failed: count,
});
export type ImageProgress = z.infer<typeof ImageProgressSchema>;

export const DiscImageStateSchema = z.object({
  id,
  storage: id,
  /** Of its file, without `.iso`. */
  name: z.string(),
  label: z.string(),
  /** `finishing`: hashed, and given its name. `stopped`: not finished, by request or by what `problem` says. */
  state: z.enum(['taking', 'finishing', 'stopped', 'whole', 'with gaps']),
  sizeBytes: count,
  readBytes: count,
  lostBytes: count,
  /** Null where nothing is done with it now. */
  progress: ImageProgressSchema.nullable(),
  problem: ProblemSchema.nullable(),
  fingerprint: z.string().nullable(),
  /** Share of it that was slow or failed at first, 0 to 1; null where it was not read here. */
  worn: z.number().nullable(),
  copies: count,
});
export type DiscImageState = z.infer<typeof DiscImageStateSchema>;

export const ImageDetailSchema = z.object({
  record: ImageRecordSchema,
  cells: z.array(z.enum(CELL_STATES)).max(IMAGE_CELLS),
  /** The first of what is not read: byte and bytes. */
  gaps: z.array(z.tuple([count, count])).max(100),
  gapCount: count,
  /** Whether it still was what it had been, the latest first. */
  checks: z.array(FixityCheckSchema).readonly().default([]),
});
export type ImageDetail = z.infer<typeof ImageDetailSchema>;

export const TakeImageSchema = z.object({
  source: SourceRefSchema,
  storage: id,
  /** Made a safe file name by the engine. */
  name: z.string().min(1).max(200),
  fill: z.enum(FILLS).default('zeroes'),
  retries: z.number().int().min(0).max(MOST_RETRIES).default(2),
});
export type TakeImage = z.infer<typeof TakeImageSchema>;
/** Gone on with, from the same disc or another copy of it. */
export const GoOnImageSchema = TakeImageSchema.pick({ source: true, retries: true });
