import { DiscError, equalBytes, readExactly } from '../bytes';
import type { Volume } from '../volume';
import type { Remark } from './model';

/** Structure files are at most a few megabytes; what is larger is not believed. */
const MAX_STRUCTURE_BYTES = 16 * 1024 * 1024;

export interface ReadStructure<T> {
  readonly value: T;
  readonly bytes: Uint8Array;
}

/** Where a structure file and its backup copy stand, each under one of several names. */
export interface Copies {
  readonly main: readonly string[];
  readonly backup: readonly string[];
  /** Read both and say where they differ; else the copy is only looked at when the first is bad. */
  readonly compare: boolean;
}

/**
 * How well a structure agrees with the content it describes, 0 to 1: of two good copies that differ, the one that agrees better
 * is the right one.
 */
export type Agreement<T> = (value: T) => Promise<number>;

const nameOf = (path: string) => path.split('/').pop() ?? path;

async function load(volume: Volume, paths: readonly string[]): Promise<Uint8Array> {
  const name = nameOf(paths[0] ?? '');
  let file = null;
  for (const path of paths) file ??= await volume.open(path);
  if (!file) throw new DiscError('not-found', { source: volume.name, byteOffset: 0 }, `${name} is not there`);
  return readExactly(file, 0, Math.min(file.sizeBytes, MAX_STRUCTURE_BYTES), name);
}

/**
 * Reads a structure file, or its backup copy where the file is missing or wrong; both are compared where both read.
 * The backup stands on other sectors for exactly this.
 * @throws DiscError of the first file when neither can be used.
 */
export async function readWithBackup<T>(
  volume: Volume,
  copies: Copies,
  parse: (bytes: Uint8Array, source: string) => T,
  faultsOf: (value: T) => readonly DiscError[],
  remarks: Remark[],
  agreement: Agreement<T> | null = null,
): Promise<ReadStructure<T>> {
  const attempt = async (path: readonly string[]): Promise<ReadStructure<T> | DiscError> => {
    try {
      const bytes = await load(volume, path);
      return { value: parse(bytes, nameOf(path[0] ?? '')), bytes };
    } catch (error) {
      if (error instanceof DiscError && error.code !== 'cancelled') return error;
      throw error;
    }
  };
  const main = await attempt(copies.main);
  if (!copies.compare && !(main instanceof DiscError) && faultsOf(main.value).length === 0) {
    if (!agreement || (await agreement(main.value)) === 1) return main;
  }
  const backup = await attempt(copies.backup);
  const name = nameOf(copies.main[0] ?? '');
  if (
    !(main instanceof DiscError) &&
    (faultsOf(main.value).length === 0 || backup instanceof DiscError || faultsOf(backup.value).length >= faultsOf(main.value).length)
  ) {
    if (!(backup instanceof DiscError) && !equalBytes(main.bytes, backup.bytes)) {
      const [first, second] = agreement ? [await agreement(main.value), await agreement(backup.value)] : [1, 1];
      const percent = (share: number) => `${Math.floor(share * 100)} %`;
      if (agreement && first !== second) {
        remarks.push({
          code: 'copies-disagree',
          severity: 'warning',
          title: null,
          detail: `${name} and its backup copy differ: the content agrees with ${percent(first)} of the first and ${percent(second)} of the backup, and the better one was used`,
        });
        return second > first ? backup : main;
      }
      remarks.push({
        code: 'backup-differs',
        severity: 'note',
        title: null,
        detail: `${name} and its backup copy differ; the first was used`,
      });
    }
    return main;
  }
  if (!(backup instanceof DiscError)) {
    const why = main instanceof DiscError ? main.message : (faultsOf(main.value)[0]?.message ?? '');
    remarks.push({
      code: 'backup-used',
      severity: 'warning',
      title: null,
      detail: `${name} could not be used, its backup copy was: ${why}`,
    });
    return backup;
  }
  if (main instanceof DiscError) throw main;
  return main;
}

/** Says where an image was cut short: its file system promises more than there is. */
export function cutShort({ promisedBytes, sizeBytes }: Volume): Remark[] {
  if (promisedBytes === null || sizeBytes >= promisedBytes) return [];
  const detail = `The file system promises ${promisedBytes} bytes, there are ${sizeBytes}`;
  return [{ code: 'image-cut-short', severity: 'fault', title: null, detail }];
}
