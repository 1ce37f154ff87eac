import { Worker } from 'node:worker_threads';
import {
  plainExpectation,
  proveCopy,
  proveMaster,
  type CopyExpectation,
  type DigestAlgorithm,
  type FilePart,
  type MasterPromise,
  type Proof,
} from '@/core/proof';
import { MASTER, type RecipeId } from '@/core/recipes';
import { WorkError } from '@/contract';
import { examineCopy } from './ffmpeg';
import { openFileSource } from './files';
import { digestFile, opensslName } from './hash';
import { createPayloadHash, fastCrc32 } from './payload-hash';

/** A digest in a thread of its own: it is the slowest part of a proof. */
export function digestInThread(file: string, algorithm: DigestAlgorithm, signal: AbortSignal): Promise<string> {
  const code = `const { parentPort, workerData } = require('worker_threads'); const { createHash } = require('crypto'); const fs = require('fs');
    const fd = fs.openSync(workerData.file, 'r'); const buffer = Buffer.allocUnsafe(1 << 20); const hash = createHash(workerData.name);
    for (let n; (n = fs.readSync(fd, buffer, 0, buffer.length, null)) > 0; ) hash.update(buffer.subarray(0, n));
    fs.closeSync(fd); parentPort.postMessage(hash.digest('hex'));`;
  return new Promise((resolve, reject) => {
    const worker = new Worker(code, { eval: true, workerData: { file, name: opensslName(algorithm) } });
    const stop = () => {
      void worker.terminate();
      reject(new WorkError('internal', 'stopped'));
    };
    signal.addEventListener('abort', stop, { once: true });
    worker.once('message', (digest: string) => {
      signal.removeEventListener('abort', stop);
      resolve(digest);
    });
    worker.once('error', reject);
  });
}

/** Reads a master through again and compares it with its promise; also gives its digest. */
export async function proveMasterFile(
  file: string,
  promise: MasterPromise,
  algorithm: DigestAlgorithm,
  signal: AbortSignal,
  {
    parts,
    onProgress,
  }: {
    /** Parts as an earlier proof found them; empty where it did not look. */
    readonly parts?: readonly FilePart[];
    readonly onProgress?: (done: number, total: number) => void;
  } = {},
): Promise<{ proof: Proof; digest: string }> {
  const source = await openFileSource(file, { blocking: true });
  try {
    const digest = digestInThread(file, algorithm, signal);
    digest.catch(() => undefined); // looked at below; a proof that throws first must not leave it unheard
    const proof = await proveMaster(source, promise, {
      createHash: createPayloadHash,
      crc32: fastCrc32,
      signal,
      ...(onProgress ? { onProgress } : {}),
      ...(parts && parts.length > 0 ? { parts } : {}),
    });
    return { proof, digest: await digest };
  } finally {
    await source.close();
  }
}

/** Proves a result of either kind again, from what its sidecar says; also gives its digest. */
export async function proveResult(
  {
    file,
    recipe,
    expects,
    promise,
    parts,
  }: { file: string; recipe: RecipeId; expects: CopyExpectation | null; promise: MasterPromise; parts: readonly FilePart[] },
  algorithm: DigestAlgorithm,
  signal: AbortSignal,
): Promise<{ proof: Proof; digest: string }> {
  if (recipe === MASTER) return proveMasterFile(file, promise, algorithm, signal, { parts });
  const proof = proveCopy(await examineCopy(file, signal), expects ?? plainExpectation(promise), promise);
  return { proof, digest: await digestFile(file, algorithm, signal) };
}
