import type { ByteSource } from '../bytes';

/** What a folder of a volume lists. */
export interface VolumeEntry {
  readonly name: string;
  readonly kind: 'file' | 'folder';
  readonly sizeBytes: number;
}

/** A file of a volume, open for reading. */
export interface VolumeFile extends ByteSource {
  /** First logical sector of 2,048 bytes on the disc; null where the volume is a folder of another file system. */
  readonly firstSector: number | null;
  /** True where the file's bytes follow each other on the disc. */
  readonly contiguous: boolean;
}

/** Something about a volume that its user should know. */
export interface VolumeRemark {
  readonly code: 'mirror-used';
  readonly detail: string;
}

/** One read-only tree of files, whatever carries it. Names are found in either case. */
export interface Volume {
  readonly fileSystem: 'ISO 9660' | 'UDF' | 'folder';
  /** The volume's own label, as foreign text; empty where there is none. */
  readonly label: string;
  /** Name of the source, for messages. */
  readonly name: string;
  /** Bytes that the medium or image has. */
  readonly sizeBytes: number;
  /** Bytes that the file system says there should be; null when it does not say. */
  readonly promisedBytes: number | null;
  /** What had to be done otherwise to read it; grows while it is read. */
  readonly remarks: readonly VolumeRemark[];
  /** @returns the entries, or null when there is no such folder. */
  list(path: string): Promise<readonly VolumeEntry[] | null>;
  /** @returns the file, or null when there is none. */
  open(path: string): Promise<VolumeFile | null>;
}

export const SECTOR_BYTES = 2048;

/** Path parts without empty ones; `.` and `..` mean nothing in a volume and are refused by not being found. */
export function pathParts(path: string): string[] {
  return path.split('/').filter((p) => p !== '');
}

/** Compares names as discs are read in practice: without regard to case. */
export const sameName = (a: string, b: string): boolean => a.toUpperCase() === b.toUpperCase();

/** Limits that no real disc meets, against loops and made-up sizes. */
export const MAX_DEPTH = 16;
export const MAX_FOLDER_BYTES = 4 * 1024 * 1024;
