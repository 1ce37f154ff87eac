import { statfs } from 'node:fs/promises';

/** What a file system is and takes. */
export interface FileSystem {
  /** As the trade calls it; null where its number is not among the known. */
  readonly name: string | null;
  /** Bytes; null where no film reaches the limit. */
  readonly largestFile: number | null;
  /** Bytes; null where its blocks are not counted: its space is unknown, not none. */
  readonly freeBytes: number | null;
}

/** FAT keeps a file's size in 32 bits (Microsoft FAT specification 1.03, DIR_FileSize). */
const FAT_LARGEST = 2 ** 32 - 1;

/** By `f_type` of statfs(2), as linux/magic.h has them. */
const KINDS: ReadonlyMap<number, readonly [name: string, largestFile: number | null]> = new Map([
  [0x4d44, ['FAT', FAT_LARGEST]],
  [0x2011bab0, ['exFAT', null]],
  [0x5346544e, ['NTFS', null]],
  [0xef53, ['ext4', null]],
  [0x58465342, ['XFS', null]],
  [0x9123683e, ['Btrfs', null]],
  [0x2fc12fc1, ['ZFS', null]],
  [0xf2f52010, ['F2FS', null]],
  [0x6969, ['NFS', null]],
  [0xff534d42, ['SMB', null]],
  [0xfe534d42, ['SMB', null]],
  [0x01021994, ['tmpfs', null]],
  [0x794c7630, ['overlay', null]],
]);

type Statfs = (
  folder: string,
) => Promise<{ readonly type: number; readonly bsize: number; readonly blocks: number; readonly bavail: number }>;

/** What a folder stands on. What does not answer the question is of no known kind. @param ask statfs(2), or a stand-in. */
export async function fileSystemOf(folder: string, ask: Statfs = statfs): Promise<FileSystem> {
  const answer = await ask(folder).catch(() => null);
  if (!answer) return { name: null, largestFile: null, freeBytes: null };
  // The field is signed on some machines.
  const [name, largestFile] = KINDS.get(answer.type >>> 0) ?? [null, null];
  return { name, largestFile, freeBytes: answer.blocks > 0 ? answer.bavail * answer.bsize : null };
}
