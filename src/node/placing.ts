import { closeSync, linkSync, lstatSync, openSync, readFileSync, renameSync, unlinkSync } from 'node:fs';
import path from 'node:path';
import { z } from 'zod';
import { WorkError } from '@/contract';
import { makeFolderDurably, syncFolder, writeDurably } from './durable';
import { algorithmOf, type DigestAlgorithm } from '@/core/proof';
import { digestFile } from './hash';

/** A file as it was when it was proven: the same inode, of the same size, not written to since. */
export const FileStampSchema = z.object({ inode: z.number(), sizeBytes: z.number(), changedMs: z.number() });
export type FileStamp = z.infer<typeof FileStampSchema>;

/** What placing does with files: a layer of its own, so that a test can stop it at every call. */
export interface Disk {
  /** Null where nothing has the name. Links are not followed: they are somebody else's. */
  readonly stamp: (file: string) => (FileStamp & { readonly device: number }) | null;
  readonly readText: (file: string) => string | null;
  /** Gives a file a second name. @throws EEXIST; EPERM and others where the file system has no such thing. */
  readonly link: (from: string, to: string) => void;
  readonly unlink: (file: string) => void;
  /** Makes an empty file that was not there. @throws EEXIST. */
  readonly reserve: (file: string) => void;
  readonly rename: (from: string, to: string) => void;
  readonly write: (file: string, text: string) => void;
  readonly makeFolder: (folder: string) => void;
  readonly syncFolder: (folder: string) => void;
  readonly digest: (file: string, algorithm: DigestAlgorithm) => Promise<string>;
}

export const realDisk: Disk = {
  stamp: (file) => {
    const info = lstatSync(file, { throwIfNoEntry: false });
    return info ? { inode: info.ino, sizeBytes: info.size, changedMs: info.mtimeMs, device: info.dev } : null;
  },
  readText: (file) => {
    try {
      return readFileSync(file, 'utf8');
    } catch {
      return null;
    }
  },
  link: linkSync,
  unlink: unlinkSync,
  reserve: (file) => {
    closeSync(openSync(file, 'wx'));
  },
  rename: renameSync,
  write: writeDurably,
  makeFolder: makeFolderDurably,
  syncFolder,
  digest: digestFile,
};

/** A finished file, proven, that is to get its name. */
export interface Finished {
  readonly from: string;
  readonly to: string;
  readonly sizeBytes: number;
  readonly digest: string;
  /** As it was proven; null where that was not noted: then it is hashed again. */
  readonly stamp: FileStamp | null;
  /** Its provenance, which gets its name before it; null for a file that another's provenance names. */
  readonly sidecar: string | null;
}

export const sidecarOf = (file: string): string => `${file}.json`;
/** Of this very file; of another file of the same job, which was made again since; or of anything else. */
export type Whose = 'this file' | 'this job' | 'other';

const INTENT = 'placing.json';
const IntentSchema = z.object({ targets: z.array(z.string()) });

/** Errors of file systems that have no hard links: FAT and its kin, shares, what runs in user space. link(2). */
const NO_LINKS = new Set(['EPERM', 'ENOTSUP', 'EOPNOTSUPP', 'EMLINK', 'ENOSYS', 'EINVAL']);

export const isWithoutLinks = (error: unknown): boolean => NO_LINKS.has((error as NodeJS.ErrnoException).code ?? '');

const taken = (file: string) => new WorkError('name-taken', `The library already has a file ${path.basename(file)}`);

/**
 * Gives finished files their names, each behind its sidecar, and never over anything else. Can be stopped at every point and begun
 * again: what it has done is known by what it finds. What it is about to do is written down first, in the workshop, once all names
 * were seen to be free: from then on an empty file of such a name is its own reservation.
 * @param workshop where the unfinished files stand. @param whose whose sidecar a text is.
 * @throws WorkError `name-taken` (nothing of ours stays under a name then), `proof-failed` where a file was changed after it was proven.
 */
export async function placeFinished(
  files: readonly Finished[],
  workshop: string,
  whose: (sidecar: string, file: Finished) => Whose,
  note: (text: string) => void,
  disk: Disk = realDisk,
): Promise<void> {
  const intentFile = path.join(workshop, INTENT);
  const intended = readIntent(disk, intentFile);
  for (const file of files) {
    disk.makeFolder(path.dirname(file.to));
    await requireUnchanged(file, disk);
  }
  const names = files.flatMap((f) => (f.sidecar === null ? [f.to] : [sidecarOf(f.to), f.to]));
  if (!intended) {
    const isPlaced = placedBefore(files, whose, disk);
    for (const name of names) if (disk.stamp(name) && !isPlaced(name)) throw taken(name);
    disk.makeFolder(workshop);
    disk.write(intentFile, JSON.stringify({ targets: names }));
  }
  const ownNames = new Set([...(intended ?? []), ...names]);
  const placer = new Placer(disk, ownNames, note);
  const done: string[] = [];
  try {
    for (const file of files) {
      if (file.sidecar !== null) {
        placer.sidecar(file, whose);
        done.push(sidecarOf(file.to));
      }
      placer.place(file);
      done.pop();
    }
  } catch (error) {
    // Provenance without its file would speak of something that is not there.
    if (error instanceof WorkError) for (const name of done) disk.unlink(name);
    if (error instanceof WorkError && disk.stamp(intentFile)) disk.unlink(intentFile);
    throw error;
  }
}

/** All of what was about to be done is done, and there is more to come. */
export function forgetIntent(workshop: string, disk: Disk = realDisk): void {
  const file = path.join(workshop, INTENT);
  if (disk.stamp(file)) disk.unlink(file);
}

function readIntent(disk: Disk, file: string): readonly string[] | null {
  const text = disk.readText(file);
  if (text === null) return null;
  try {
    return IntentSchema.parse(JSON.parse(text)).targets;
  } catch {
    return null;
  }
}

/** Names that an earlier attempt has given, which came to its end before it could say so. */
function placedBefore(
  files: readonly Finished[],
  whose: (sidecar: string, file: Finished) => Whose,
  disk: Disk,
): (name: string) => boolean {
  const own = new Set<string>();
  for (const file of files) {
    const [made, placed] = [disk.stamp(file.from), disk.stamp(file.to)];
    const owner = file.sidecar === null ? 'other' : whose(disk.readText(sidecarOf(file.to)) ?? '', file);
    if (placed && !made && (file.sidecar === null || owner === 'this file')) own.add(file.to);
    // One that was left alone, by an attempt that ended before its file had its name, is replaced.
    if (owner === 'this file' || (owner === 'this job' && !placed)) own.add(sidecarOf(file.to));
  }
  return (name) => own.has(name);
}

const isAsProven = (stamp: FileStamp | null, found: FileStamp): boolean =>
  stamp !== null && stamp.inode === found.inode && stamp.sizeBytes === found.sizeBytes && stamp.changedMs === found.changedMs;

/** The file is the one that was proven, wherever it stands by now. @throws WorkError `proof-failed`, `internal`. */
async function requireUnchanged(file: Finished, disk: Disk): Promise<void> {
  const place = disk.stamp(file.from) ? file.from : file.to;
  const found = disk.stamp(place);
  if (!found) throw new WorkError('proof-failed', `${path.basename(file.to)} is gone since it was proven`);
  if (isAsProven(file.stamp, found)) return;
  if (found.sizeBytes === file.sizeBytes && (await disk.digest(place, algorithmOf(file.digest))) === file.digest) return;
  if (place === file.to) throw taken(file.to);
  throw new WorkError('proof-failed', `${path.basename(file.to)} was changed after it was proven`);
}

class Placer {
  private said = false;
  constructor(
    private readonly disk: Disk,
    private readonly ownNames: ReadonlySet<string>,
    private readonly note: (text: string) => void,
  ) {}

  sidecar(file: Finished, whose: (sidecar: string, file: Finished) => Whose): void {
    const { disk } = this;
    const [part, target] = [sidecarOf(file.from), sidecarOf(file.to)];
    const owner = whose(disk.readText(target) ?? '', file);
    if (owner === 'this file') {
      if (disk.stamp(part)) disk.unlink(part);
      return;
    }
    disk.write(part, file.sidecar ?? '');
    if (owner === 'this job' && !disk.stamp(file.to)) {
      disk.rename(part, target);
      disk.syncFolder(path.dirname(target));
    } else this.give(part, target);
  }

  place(file: Finished): void {
    const { disk } = this;
    // Where it is no longer unfinished, it was seen above that what has the name is this file.
    if (disk.stamp(file.from)) this.give(file.from, file.to);
    const placed = disk.stamp(file.to);
    if (!placed || placed.sizeBytes !== file.sizeBytes)
      throw new WorkError('proof-failed', `${path.basename(file.to)} was changed while it was placed`);
  }

  /** Gives an unfinished file its name, all at once. */
  private give(from: string, to: string): void {
    const { disk } = this;
    const [source, target] = [disk.stamp(from), disk.stamp(to)];
    const isSame = source && target && source.device === target.device && source.inode === target.inode;
    if (isSame) disk.unlink(from);
    else if (target) {
      // Seen to be free before: an empty file is what an earlier attempt has reserved the name with.
      if (target.sizeBytes > 0 || !this.ownNames.has(to)) throw taken(to);
      disk.rename(from, to);
    } else this.giveFree(from, to);
    disk.syncFolder(path.dirname(to));
    disk.syncFolder(path.dirname(from));
  }

  private giveFree(from: string, to: string): void {
    const { disk } = this;
    try {
      disk.link(from, to);
    } catch (error) {
      const code = (error as NodeJS.ErrnoException).code ?? '';
      if (code === 'EEXIST') throw taken(to);
      if (!isWithoutLinks(error)) throw error;
      if (!this.said) this.note(`the storage has no hard links (${code}): names are reserved and then renamed over`);
      this.said = true;
      try {
        disk.reserve(to);
      } catch (second) {
        if ((second as NodeJS.ErrnoException).code === 'EEXIST') throw taken(to);
        throw second;
      }
      disk.rename(from, to);
      return;
    }
    disk.unlink(from);
  }
}
