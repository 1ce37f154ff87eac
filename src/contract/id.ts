import { z } from 'zod';

/** Whatever is named in an address: of drives, places, storages, jobs, results. */
export const IdSchema = z
  .string()
  .min(1)
  .max(128)
  .regex(/^[A-Za-z0-9._-]+$/);

/** Bytes, files, milliseconds. */
export const CountSchema = z.number().int().nonnegative();

/** Of what is written down: any from the first to the one that is written today. */
export const versionUpTo = (latest: number) => z.number().int().min(1).max(latest);
