import { readSync } from 'node:fs';
import { open, readdir, realpath, stat, type FileHandle } from 'node:fs/promises';
import path from 'node:path';
import { setImmediate as nextTurn } from 'node:timers/promises';
import { DiscError, type ByteSource } from '@/core/bytes';
import { pathParts, sameName, type Volume, type VolumeFile } from '@/core/volume';

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
    handle = await open(/*turbopackIgnore: true*/ file, 'r');
  } catch (error) {
    throw new DiscError('read-failed', { source: path.basename(file), byteOffset: 0 }, `${path.basename(file)} can not be opened`, {
      cause: error,
    });
  }
  const { size } = await handle.stat();
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
  const locate = async (inside: string): Promise<string | null> => {
    let here = root;
    for (const part of pathParts(inside)) {
      if (part === '.' || part === '..') return null;
      const names = await readdir(here).catch(() => []);
      const name = names.find((n) => n === part) ?? names.find((n) => sameName(n, part));
      if (name === undefined) return null;
      const next = await realpath(path.join(here, name)).catch(() => null);
      if (next === null || (next !== root && !next.startsWith(root + path.sep))) return null;
      here = next;
    }
    return here;
  };
  const sizes = await folderBytes(root);
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
      const entries = await readdir(here, { withFileTypes: true }).catch(() => null);
      if (!entries) return null;
      const listed = await Promise.all(
        entries.map(async (e) => {
          const file = await locate([...pathParts(inside), e.name].join('/'));
          const info = file ? await stat(file).catch(() => null) : null;
          return info
            ? {
                name: e.name,
                kind: info.isDirectory() ? ('folder' as const) : ('file' as const),
                sizeBytes: info.isDirectory() ? 0 : info.size,
              }
            : null;
        }),
      );
      return listed.filter((e) => e !== null);
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

async function folderBytes(folder: string): Promise<number> {
  let sum = 0;
  for (const entry of await readdir(folder, { withFileTypes: true, recursive: true })) {
    if (!entry.isFile()) continue;
    sum += (await stat(path.join(entry.parentPath, entry.name))).size;
  }
  return sum;
}
