import { existsSync } from 'node:fs';
import { mkdir, readFile, rename, rm, writeFile } from 'node:fs/promises';
import path from 'node:path';
import { digestOf } from '@/test-support/fixtures';
import { inParallel } from './run';

/** Something that is made once, and again only when it would come out otherwise: a disc, or what stands beside discs. */
export interface Building {
  readonly id: string;
  readonly name: string;
  /** Where it is to stand. */
  readonly target: string;
  /** All that decides what is in it. */
  readonly how: unknown;
  /** About how much work it is, beside others: seconds of film. */
  readonly work: number;
  /** Makes it as `unfinished`, with a folder for whatever else is needed meanwhile. */
  readonly make: (unfinished: string, folder: string) => Promise<void>;
}

/** How far the making is, as pages show it. */
export interface Making {
  readonly made: number;
  readonly total: number;
  /** Of the work, 0 to 1. */
  readonly share: number;
  /** What is made now. */
  readonly names: readonly string[];
}

/**
 * Makes what is not yet there. Each that is finished stays, whatever happens to those after it: a stop goes on where it was.
 * @param cache folder for all of it. @param onChange hears how far it is, before the first and after each.
 */
export async function buildAll(
  buildings: readonly Building[],
  cache: string,
  onChange: (making: Making) => Promise<void> | void,
  width = 2,
): Promise<void> {
  const stampOf = ({ id }: Building) => path.join(cache, 'stamps', id);
  const unfinished = path.join(cache, 'making');
  await rm(unfinished, { recursive: true, force: true });
  for (const folder of [unfinished, path.join(cache, 'stamps'), path.join(cache, 'discs')]) await mkdir(folder, { recursive: true });
  const isThere = async (building: Building) =>
    existsSync(building.target) && existsSync(stampOf(building)) && (await readFile(stampOf(building), 'utf8')) === digestOf(building.how);
  const missing: Building[] = [];
  for (const building of buildings) if (!(await isThere(building))) missing.push(building);
  const work = (all: readonly Building[]) => all.reduce((sum, b) => sum + b.work, 0);
  const whole = Math.max(1, work(buildings));
  const now: Building[] = [];
  const left = new Set(missing);
  const tell = () =>
    onChange({
      made: buildings.length - left.size,
      total: buildings.length,
      share: 1 - work([...left]) / whole,
      names: now.map((b) => b.name),
    });
  if (missing.length > 0) await tell();
  await inParallel(
    width,
    missing.map((building) => async () => {
      now.push(building);
      await tell();
      const folder = path.join(unfinished, building.id);
      await mkdir(folder, { recursive: true });
      const made = path.join(folder, path.basename(building.target));
      await building.make(made, folder);
      await rm(stampOf(building), { force: true });
      await rm(building.target, { recursive: true, force: true });
      await mkdir(path.dirname(building.target), { recursive: true });
      await rename(made, building.target);
      await writeFile(stampOf(building), digestOf(building.how));
      await rm(folder, { recursive: true, force: true });
      left.delete(building);
      now.splice(now.indexOf(building), 1);
      await tell();
    }),
  );
}
