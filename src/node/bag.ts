import { createHash } from 'node:crypto';
import { mkdirSync, rmSync, statSync } from 'node:fs';
import { open } from 'node:fs/promises';
import path from 'node:path';
import { BAG_DECLARATION, bagInfo, manifest, payloadOxum, type BaggedFile } from '@/core/bag';
import { WorkError, type BagOrder } from '@/contract';
import { copyHashed } from './copy-hashed';
import { syncFolder, writeDurably } from './durable';
import { sha256File } from './hash';

/**
 * Makes a bag in a folder of its own: files are copied and hashed in one go, and one that is not what it was ends all of it. Everything is
 * flushed, and read again, before it returns. @returns what it holds.
 * @throws WorkError `file-changed`, `storage-failing`; system errors.
 */
export async function makeBag(
  { folder, payload, tags, info }: Omit<BagOrder, 'kind'>,
  progress: (doneBytes: number, totalBytes: number) => void,
): Promise<{ files: number; bytes: number }> {
  rmSync(folder, { recursive: true, force: true });
  mkdirSync(folder, { recursive: true });
  const total = payload.reduce((sum, f) => sum + statSync(f.from).size, 0);
  let done = 0;
  const bagged: BaggedFile[] = [];
  const folders = new Set([folder]);
  for (const { from, path: inside, sha256 } of payload) {
    const to = path.join(folder, ...inside.split('/'));
    mkdirSync(path.dirname(to), { recursive: true });
    for (let at = path.dirname(to); at.length > folder.length; at = path.dirname(at)) folders.add(at);
    const copied = await copyFile(from, to, (bytes) => {
      progress((done += bytes) / 2, total);
    });
    if (sha256 !== null && copied.sha256 !== sha256)
      throw new WorkError('file-changed', `${path.basename(from)} is not what its sidecar says: its SHA-256 differs`);
    bagged.push({ path: inside, ...copied });
  }
  const texts = [
    { path: 'bagit.txt', text: BAG_DECLARATION },
    { path: 'bag-info.txt', text: bagInfo([...info, ['Payload-Oxum', payloadOxum(bagged)]]) },
    { path: 'manifest-sha256.txt', text: manifest(bagged) },
    ...tags,
  ];
  const about = texts.map(({ path: inside, text }): BaggedFile => {
    const to = path.join(folder, ...inside.split('/'));
    mkdirSync(path.dirname(to), { recursive: true });
    folders.add(path.dirname(to));
    writeDurably(to, text);
    return { path: inside, sha256: createHash('sha256').update(text).digest('hex'), bytes: Buffer.byteLength(text) };
  });
  writeDurably(path.join(folder, 'tagmanifest-sha256.txt'), manifest(about));
  for (const made of folders) syncFolder(made);
  for (const file of [...bagged, ...about]) {
    if ((await sha256File(path.join(folder, ...file.path.split('/')))) !== file.sha256)
      throw new WorkError('storage-failing', `${file.path} could not be read back as it was written`);
    progress(Math.min(total, (done += file.bytes) / 2), total);
  }
  return { files: bagged.length, bytes: total };
}

async function copyFile(from: string, to: string, onBytes: (bytes: number) => void): Promise<{ sha256: string; bytes: number }> {
  const source = await open(from, 'r');
  try {
    return await copyHashed(async (at, target) => (await source.read(target, 0, target.byteLength, at)).bytesRead, to, onBytes);
  } finally {
    await source.close();
  }
}
