import { z } from 'zod';
import { withDigest } from './digest';
import { CountSchema as count } from './id';
import { ProblemSchema } from './problem';

/** Whether files of the vault are still what they were: checks of the whole, and what each of them found. */

/**
 * `same`: digest and size are those of the sidecar, or of an image's record, as are those of the files beside it. `changed`: they are not. `missing`: only the sidecar
 * is there. `sidecar changed`: the file is what its sidecar says, but that is not as it was written. `unreadable`: the storage gives an error.
 */
export const CHECK_RESULTS = ['same', 'changed', 'missing', 'sidecar changed', 'unreadable'] as const;
export type CheckResult = (typeof CHECK_RESULTS)[number];

/** One line of `checks.ndjson` in a storage. */
const CheckFields = z.object({
  at: z.string(),
  /** Of the file, inside the storage. */
  path: z.string().max(4096),
  result: z.enum(CHECK_RESULTS),
  /** As it was found; null where it was not read. */
  digest: z.string().nullable(),
  sizeBytes: count,
});
export const FixityCheckSchema = z.preprocess(withDigest, CheckFields);
export type FixityCheck = z.infer<typeof FixityCheckSchema>;

/** A file that is not what it was, by its identifier in the vault, or that of the disc image. */
const Differing = z.preprocess(withDigest, CheckFields.extend({ id: z.string(), of: z.enum(['result', 'image']).default('result') }));
export type Differing = z.infer<typeof Differing>;

export const EVERY_DAYS = [0, 7, 30, 90, 365] as const;

export const FixityStateSchema = z.object({
  /** Days from one check of everything to the next; 0 for only when it is asked for. */
  everyDays: z.number().int().min(0).max(3650),
  running: z.object({ done: count, total: count, path: z.string(), found: count }).nullable(),
  /** The last that came to its end; null where there was none. `skipped`: on storages that were away. */
  last: z
    .object({ at: z.string(), checked: count, same: count, skipped: count, differing: z.array(Differing).max(500).readonly() })
    .nullable(),
  /** Why the last one stopped before its end; null where it did not. */
  problem: ProblemSchema.nullable(),
});
export type FixityState = z.infer<typeof FixityStateSchema>;
export const NO_FIXITY: FixityState = { everyDays: 0, running: null, last: null, problem: null };

export const FixityScheduleSchema = FixityStateSchema.pick({ everyDays: true });
export const ChecksSchema = z.object({ checks: z.array(FixityCheckSchema).readonly() });
