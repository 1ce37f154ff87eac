import { z } from 'zod';

/** A number as it stands behind a path; one that is none, or out of bounds, counts as the nearest that is. */
export const within = (least: number, most: number, other = least) =>
  z
    .string()
    .optional()
    .transform((text) => {
      const value = Number(text ?? other);
      return Number.isFinite(value) ? Math.min(most, Math.max(least, value)) : other;
    });
