import { mkdirSync, readFileSync, realpathSync } from 'node:fs';
import path from 'node:path';
import { z } from 'zod';

const place = z.object({ id: z.string().regex(/^[a-z0-9-]{1,40}$/), name: z.string().min(1), path: z.string().min(1) });

/** What this machine offers: written by whoever starts the application, never by the browser. */
export const EngineConfigSchema = z.object({
  dataFolder: z.string(),
  /** What a new archive is called at first. */
  archive: z.string().min(1).max(80).default('Archive'),
  /** Folders in which disc images and disc folders are looked for. `making`: a file in which whoever puts discs there says how far it is. */
  roots: z.array(place.extend({ making: z.string().optional() })),
  /** Library storages. `taken`: whoever starts the application has made it, and nobody else need be asked whether it is one. */
  storages: z.array(place.extend({ taken: z.boolean().default(false) })),
  /** Drives of this machine by their device: `/dev/sr0`, a loop device, an image that stands in for one. */
  devices: z.array(place).default([]),
  /** Optical drives are found by themselves. */
  opticalDrives: z.boolean().default(false),
  /** Commands that may be run once all jobs are over: program and arguments. */
  afterQueue: z.array(z.object({ id: place.shape.id, name: z.string().min(1), command: z.array(z.string()).min(1) })).default([]),
  drives: z.array(
    z.object({
      id: place.shape.id,
      name: z.string(),
      discs: z.array(z.object({ id: place.shape.id, label: z.string(), file: z.string() })),
    }),
  ),
});
export type EngineConfig = z.infer<typeof EngineConfigSchema>;

/** @throws Error with what is wrong in the file. */
export function loadConfig(file: string): EngineConfig {
  const config = EngineConfigSchema.parse(JSON.parse(readFileSync(file, 'utf8')));
  mkdirSync(path.join(config.dataFolder, 'jobs'), { recursive: true });
  return { ...config, dataFolder: realpathSync(config.dataFolder) };
}
