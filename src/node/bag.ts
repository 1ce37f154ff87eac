import { mkdirSync, rmSync, statSync } from 'node:fs';
import { open } from 'node:fs/promises';
import path from 'node:path';
import { BAG_DECLARATION, bagInfo, manifest, payloadOxum, type BaggedFile } from '@/core/bag';
import { algorithmOf, type DigestAlgorithm } from '@/core/proof';
import { WorkError, type BagOrder } from '@/contract';
import { copyHashed } from './copy-hashed';
import { syncFolder, writeDurably } from './durable';
import { createDigest, digestFile, fasterDigest, opensslName } from './hash';

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
  /** One for all of it, as RFC 8493 has it; what a sidecar says by the other is looked at as well. */
  const algorithm = fasterDigest();
  const folders = new Set([folder]);
  for (const { from, path: inside, digest } of payload) {
    const to = path.join(folder, ...inside.split('/'));
    mkdirSync(path.dirname(to), { recursive: true });
    for (let at = path.dirname(to); at.length > folder.length; at = path.dirname(at)) folders.add(at);
    const said = digest === null ? algorithm : algorithmOf(digest);
    const { digests, bytes } = await copyFile(from, to, [algorithm, said], (read) => {
      progress((done += read) / 2, total);
    });
    if (digest !== null && digests.get(said) !== digest)
      throw new WorkError('file-changed', `${path.basename(from)} is not what its sidecar says: its ${said} differs`);
    bagged.push({ path: inside, digest: digests.get(algorithm) ?? '', bytes });
  }
  const texts = [
    { path: 'bagit.txt', text: BAG_DECLARATION },
    { path: 'bag-info.txt', text: bagInfo([...info, ['Payload-Oxum', payloadOxum(bagged)]]) },
    { path: `manifest-${opensslName(algorithm)}.txt`, text: manifest(bagged) },
    ...tags,
  ];
  const about = texts.map(({ path: inside, text }): BaggedFile => {
    const to = path.join(folder, ...inside.split('/'));
    mkdirSync(path.dirname(to), { recursive: true });
    folders.add(path.dirname(to));
    writeDurably(to, text);
    return { path: inside, digest: createDigest(algorithm).update(text).digest('hex'), bytes: Buffer.byteLength(text) };
  });
  writeDurably(path.join(folder, `tagmanifest-${opensslName(algorithm)}.txt`), manifest(about));
  for (const made of folders) syncFolder(made);
  for (const file of [...bagged, ...about]) {
    if ((await digestFile(path.join(folder, ...file.path.split('/')), algorithm)) !== file.digest)
      throw new WorkError('storage-failing', `${file.path} could not be read back as it was written`);
    progress(Math.min(total, (done += file.bytes) / 2), total);
  }
  return { files: bagged.length, bytes: total };
}

async function copyFile(
  from: string,
  to: string,
  algorithms: readonly DigestAlgorithm[],
  onBytes: (bytes: number) => void,
): ReturnType<typeof copyHashed> {
  const source = await open(from, 'r');
  try {
    return await copyHashed(async (at, target) => (await source.read(target, 0, target.byteLength, at)).bytesRead, to, algorithms, onBytes);
  } finally {
    await source.close();
  }
}
