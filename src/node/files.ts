import { readSync, type Dirent } from 'node:fs';
import { open, opendir, readFile, realpath, stat, type FileHandle } from 'node:fs/promises';
import path from 'node:path';
import { setImmediate as nextTurn } from 'node:timers/promises';
import { DiscError, type ByteSource } from '@/core/bytes';
import { pathParts, type Volume, type VolumeEntry, type VolumeFile } from '@/core/volume';

/** Device numbers as the kernel packs them for programs (makedev(3)). */
const major = (rdev: number) => ((rdev >> 8) & 0xfff) | (Math.floor(rdev / 2 ** 32) & ~0xfff);
const minor = (rdev: number) => (rdev & 0xff) | ((rdev >> 12) & 0xfff00);
/** Where the kernel tells of a block device. */
export const sysfsOf = (rdev: number): string => `/sys/dev/block/${major(rdev)}:${minor(rdev)}`;

/** Bytes of a block device: `stat` says nothing of them. sysfs counts in 512. */
export async function deviceBytes(rdev: number): Promise<number> {
  return Number(await readFile(`${sysfsOf(rdev)}/size`, 'utf8').catch(() => 0)) * 512;
}

/** A file on this machine as a source; `close` when done. */
export interface FileSource extends ByteSource {
  close(): Promise<void>;
}

/** How a file is read: `blocking` costs less per read, for a process that has nothing else to do. */
export interface ReadingManner {
  readonly blocking?: boolean;
}

/** @throws DiscError `read-failed` when it can not be opened. */
export async function openFileSource(file: string, manner: ReadingManner = {}): Promise<FileSource> {
  let handle: FileHandle;
  try {
    // Opening a named pipe would wait for somebody to write to it, for ever.
    const info = await stat(/*turbopackIgnore: true*/ file);
    if (!info.isFile() && !info.isBlockDevice()) throw new Error('it is no file');
    handle = await open(/*turbopackIgnore: true*/ file, 'r');
  } catch (error) {
    throw new DiscError('read-failed', { source: path.basename(file), byteOffset: 0 }, `${path.basename(file)} can not be opened`, {
      cause: error,
    });
  }
  const info = await handle.stat();
  const size = info.isBlockDevice() ? await deviceBytes(info.rdev) : info.size;
  return { ...handleSource(path.basename(file), handle, size, manner), close: () => handle.close() };
}

/** Blocking reads between which the process listens to its signals. */
const READS_PER_TURN = 16;

function handleSource(name: string, handle: FileHandle, sizeBytes: number, { blocking = false }: ReadingManner): ByteSource {
  let reads = 0;
  return {
    name,
    sizeBytes,
    read: async (offset, target) => {
      if (blocking && ++reads % READS_PER_TURN === 0) await nextTurn();
      let done = 0;
      while (done < target.byteLength) {
        try {
          const left = target.byteLength - done;
          const bytesRead = blocking
            ? readSync(handle.fd, target, done, left, offset + done)
            : (await handle.read(target, done, left, offset + done)).bytesRead;
          if (bytesRead === 0) break;
          done += bytesRead;
        } catch (error) {
          throw new DiscError('read-failed', { source: name, byteOffset: offset + done }, 'The medium can not be read there', {
            cause: error,
          });
        }
      }
      return done;
    },
  };
}

/**
 * A disc folder as a volume. Links that lead out of it are treated as not there.
 * @returns the volume; `close` frees the files that were opened.
 */
export async function openFolderVolume(folder: string, manner: ReadingManner = {}): Promise<Volume & { close(): Promise<void> }> {
  const root = await realpath(folder);
  const handles: FileHandle[] = [];
  const listings = new Listings();
  const locate = async (inside: string): Promise<string | null> => {
    let here = root;
    for (const part of pathParts(inside)) {
      if (part === '.' || part === '..') return null;
      const entry = (await listings.of(here))?.entryOf(part);
      if (!entry) return null;
      const next = path.join(here, entry.name);
      // What is no link stands where it says: only where one leads is asked.
      const real = entry.isFile() || entry.isDirectory() ? next : await realpath(next).catch(() => null);
      if (real === null || (real !== root && !real.startsWith(root + path.sep))) return null;
      here = real;
    }
    return here;
  };
  const sizes = await folderBytes(root, listings);
  return {
    fileSystem: 'folder',
    label: path.basename(root).toUpperCase() === 'VIDEO_TS' ? path.basename(path.dirname(root)) : path.basename(root),
    name: path.basename(root),
    sizeBytes: sizes,
    promisedBytes: null,
    remarks: [],
    list: async (inside) => {
      const here = await locate(inside);
      if (here === null) return null;
      const listing = await listings.of(here);
      if (!listing) return null;
      const listed: VolumeEntry[] = [];
      for (const entry of listing.entries) {
        const file = entry.isSymbolicLink() ? await locate([...pathParts(inside), entry.name].join('/')) : path.join(here, entry.name);
        const info = file ? await stat(file).catch(() => null) : null;
        if (info?.isDirectory()) listed.push({ name: entry.name, kind: 'folder', sizeBytes: 0 });
        else if (info?.isFile()) listed.push({ name: entry.name, kind: 'file', sizeBytes: info.size });
      }
      return listed;
    },
    open: async (inside): Promise<VolumeFile | null> => {
      const file = await locate(inside);
      const info = file ? await stat(file).catch(() => null) : null;
      if (!file || !info?.isFile()) return null;
      const handle = await open(file, 'r').catch((error: unknown) => {
        throw new DiscError('read-failed', { source: inside, byteOffset: 0 }, `${inside} can not be opened`, { cause: error });
      });
      handles.push(handle);
      return { ...handleSource(inside, handle, info.size, manner), firstSector: null, contiguous: true };
    },
    close: async () => {
      await Promise.all(handles.splice(0).map((h) => h.close()));
    },
  };
}

/** A disc has a few thousand files; a folder with more than this is none, and listing it is not gone on with. */
const MOST_ENTRIES = 20_000;

interface Listing {
  readonly entries: readonly Dirent[];
  /** What has that name; the very one before one that differs in its case. */
  entryOf(part: string): Dirent | undefined;
}

/** What stands in folders, each read once. */
class Listings {
  private readonly known = new Map<string, Promise<Listing | null>>();
  private entries = 0;

  /** Null where it can not be read. @throws DiscError `unsupported` where there is more than any disc has. */
  of(folder: string): Promise<Listing | null> {
    let listing = this.known.get(folder);
    listing ??= this.read(folder);
    this.known.set(folder, listing);
    return listing;
  }

  private async read(folder: string): Promise<Listing | null> {
    const entries: Dirent[] = [];
    try {
      for await (const entry of await opendir(folder)) {
        if (++this.entries > MOST_ENTRIES)
          throw new DiscError(
            'unsupported',
            { source: path.basename(folder), byteOffset: 0 },
            `The folder holds more than ${MOST_ENTRIES.toLocaleString('en-GB')} files: it is not the folder of one disc`,
          );
        entries.push(entry);
      }
    } catch (error) {
      if (error instanceof DiscError) throw error;
      return null;
    }
    entries.sort((a, b) => (a.name < b.name ? -1 : 1));
    const exact = new Map(entries.map((e) => [e.name, e]));
    const folded = new Map(entries.map((e) => [e.name.toUpperCase(), e]));
    return { entries, entryOf: (part) => exact.get(part) ?? folded.get(part.toUpperCase()) };
  }
}

async function folderBytes(folder: string, listings: Listings): Promise<number> {
  let sum = 0;
  for (const entry of (await listings.of(folder))?.entries ?? []) {
    const inside = path.join(folder, entry.name);
    if (entry.isDirectory()) sum += await folderBytes(inside, listings);
    else if (entry.isFile())
      sum += await stat(inside).then(
        (info) => info.size,
        () => 0,
      );
  }
  return sum;
}
