import { closeSync, fsyncSync, mkdirSync, openSync, renameSync, writeSync } from 'node:fs';
import path from 'node:path';

/**
 * Writing that a power cut does not undo: what is promised to be on the disk is flushed, the folder that names it too. The one writer
 * of small files in the house. POSIX: fsync(2), rename(2); a name is safe only when its folder was flushed.
 */

/** Makes sure that the names in a folder are on the disk. Some file systems can not flush folders: theirs have nothing to flush. */
export function syncFolder(folder: string): void {
  let handle: number;
  try {
    handle = openSync(folder, 'r');
  } catch {
    return;
  }
  try {
    fsyncSync(handle);
  } catch (error) {
    const code = (error as NodeJS.ErrnoException).code;
    if (code !== 'EINVAL' && code !== 'ENOTSUP' && code !== 'EISDIR' && code !== 'EPERM') throw error;
  } finally {
    closeSync(handle);
  }
}

/** Writes text to an open file and flushes it. */
function put(handle: number, text: string): void {
  const data = Buffer.from(text);
  for (let done = 0; done < data.byteLength;) done += writeSync(handle, data, done);
  fsyncSync(handle);
}

/** Replaces a small file whole: a reader sees the old one or the new one, also after a power cut. @throws system errors. */
export function writeDurably(file: string, text: string): void {
  const temporary = `${file}.new`;
  const handle = openSync(temporary, 'w');
  try {
    put(handle, text);
  } finally {
    closeSync(handle);
  }
  renameSync(temporary, file);
  syncFolder(path.dirname(file));
}

/** Appends to a file in one call. @param flush what is written must be there after a power cut. */
export function appendDurably(file: string, text: string, flush: boolean): void {
  const handle = openSync(file, 'a');
  try {
    writeSync(handle, text);
    if (flush) fsyncSync(handle);
  } finally {
    closeSync(handle);
  }
  if (flush) syncFolder(path.dirname(file));
}

/** Makes a folder and those above it, and flushes their names. */
export function makeFolderDurably(folder: string): void {
  const first = mkdirSync(folder, { recursive: true });
  if (first === undefined) return;
  for (let made = folder; made.startsWith(first); made = path.dirname(made)) syncFolder(path.dirname(made));
}

/** Flushes a file that another program has written. */
export function flushFile(file: string): void {
  const handle = openSync(file, 'r+');
  try {
    fsyncSync(handle);
  } finally {
    closeSync(handle);
  }
}
