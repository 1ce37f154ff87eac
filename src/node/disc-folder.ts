import { mkdirSync, rmSync } from 'node:fs';
import path from 'node:path';
import { DiscError } from '@/core/bytes';
import type { Volume } from '@/core/volume';
import { WorkError, type DiscFolderOrder } from '@/contract';
import { copyHashed } from './copy-hashed';
import { syncFolder, writeDurably } from './durable';
import { digestFile } from './hash';
import { openVolume } from './open-volume';

/** No disc has more, or deeper ones. */
const MOST_FILES = 20_000;
const MOST_DEEP = 16;

interface ListedFile {
  /** Inside the volume, parts joined by `/`. */
  readonly path: string;
  readonly sizeBytes: number;
}

/** A name as it can stand in any folder: what a disc says is foreign, and must not lead elsewhere. */
const isPlain = (name: string): boolean => name !== '' && name !== '.' && name !== '..' && !/[/\\\0\n\r]/.test(name);

/** All files of a volume. @throws WorkError `bad-disc-names` for names that no folder can hold, or two that some systems take for one. */
export async function filesOf(volume: Volume): Promise<{ files: ListedFile[]; folders: string[] }> {
  const files: ListedFile[] = [];
  const folders: string[] = [];
  const seen = new Set<string>();
  const walk = async (folder: string, depth: number): Promise<void> => {
    for (const entry of (await volume.list(folder)) ?? []) {
      const inside = folder === '' ? entry.name : `${folder}/${entry.name}`;
      const key = inside.normalize('NFC').toLowerCase();
      if (!isPlain(entry.name) || seen.has(key) || depth > MOST_DEEP || seen.size >= MOST_FILES)
        throw new WorkError('bad-disc-names', `The disc has a name that can not be kept: “${inside.slice(0, 200)}”`);
      seen.add(key);
      if (entry.kind === 'file') files.push({ path: inside, sizeBytes: entry.sizeBytes });
      else {
        folders.push(inside);
        await walk(inside, depth + 1);
      }
    }
  };
  await walk('', 0);
  return { files, folders };
}

/** Copies one file out of the volume. @returns its SHA-256. @throws WorkError `image-gaps`; DiscError, system errors. */
async function copyOut(
  volume: Volume,
  { path: inside, sizeBytes }: ListedFile,
  to: string,
  onBytes: (bytes: number) => void,
): Promise<string> {
  const file = await volume.open(inside);
  if (!file) throw new WorkError('image-gaps', `“${inside}” is listed, and can not be opened`);
  const size = Math.max(sizeBytes, file.sizeBytes);
  const read = async (at: number, target: Uint8Array): Promise<number> => {
    if (at >= size) return 0;
    const got = await file.read(at, target.subarray(0, Math.min(target.byteLength, size - at))).catch((error: unknown) => {
      const isDisc = error instanceof DiscError && error.code !== 'cancelled';
      const text = `“${inside}” is not whole: the image can not be read from byte ${at} of it on`;
      throw isDisc ? new WorkError('image-gaps', text, { cause: error }) : error;
    });
    if (got <= 0) throw new WorkError('image-gaps', `“${inside}” ends too early in the image: at byte ${at} of ${size}`);
    return got;
  };
  return (await copyHashed(read, to, ['SHA-256'], onBytes)).digests.get('SHA-256') ?? '';
}

/** As GNU coreutils' sha256sum writes and checks it: binary mode, names without line ends or backslashes. */
const digestLine = (sha256: string, file: string): string => `${sha256} *${file}\n`;

/**
 * Takes the files of a disc image out into a folder, each read back after it was flushed.
 * @returns what it holds. @throws WorkError `image-gaps`, `bad-disc-names`, `storage-failing`; DiscError of the image; system errors.
 */
export async function makeDiscFolder(
  { source, folder, digests }: Omit<DiscFolderOrder, 'kind'>,
  progress: (doneBytes: number, totalBytes: number) => void,
): Promise<{ files: number; bytes: number }> {
  if (source.kind === 'file') throw new WorkError('bad-request', 'A disc folder is made of a disc, not of files');
  rmSync(folder, { recursive: true, force: true });
  mkdirSync(folder, { recursive: true });
  const opened = await openVolume(source);
  try {
    const { files, folders } = await filesOf(opened.volume);
    for (const made of folders) mkdirSync(path.join(folder, made), { recursive: true });
    const total = files.reduce((sum, f) => sum + f.sizeBytes, 0);
    let done = 0;
    const made: (ListedFile & { readonly sha256: string })[] = [];
    for (const file of files) {
      const sha256 = await copyOut(opened.volume, file, path.join(folder, file.path), (bytes) => {
        progress((done += bytes) / 2, total);
      });
      made.push({ ...file, sha256 });
    }
    for (const each of [...folders, '']) syncFolder(path.join(folder, each));
    for (const { path: inside, sizeBytes, sha256 } of made) {
      if ((await digestFile(path.join(folder, inside), 'SHA-256')) !== sha256)
        throw new WorkError('storage-failing', `${inside} could not be read back as it was written`);
      progress(Math.min(total, (done += sizeBytes) / 2), total);
    }
    writeDurably(digests, made.map((f) => digestLine(f.sha256, f.path)).join(''));
    return { files: files.length, bytes: total };
  } finally {
    await opened.close();
  }
}
