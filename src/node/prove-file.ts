import { Worker } from 'node:worker_threads';
import {
  plainExpectation,
  proveCopy,
  proveMaster,
  type CopyExpectation,
  type FilePart,
  type MasterPromise,
  type Proof,
} from '@/core/proof';
import { MASTER, type RecipeId } from '@/core/recipes';
import { WorkError } from '@/contract';
import { examineCopy } from './ffmpeg';
import { openFileSource } from './files';
import { createPayloadHash, fastCrc32, sha256File } from './hash';

/** SHA-256 in a thread of its own: it is the slowest part of a proof. */
export function sha256InThread(file: string, signal: AbortSignal): Promise<string> {
  const code = `const { parentPort, workerData } = require('worker_threads'); const { createHash } = require('crypto'); const fs = require('fs');
    const fd = fs.openSync(workerData, 'r'); const buffer = Buffer.allocUnsafe(1 << 20); const hash = createHash('sha256');
    for (let n; (n = fs.readSync(fd, buffer, 0, buffer.length, null)) > 0; ) hash.update(buffer.subarray(0, n));
    fs.closeSync(fd); parentPort.postMessage(hash.digest('hex'));`;
  return new Promise((resolve, reject) => {
    const worker = new Worker(code, { eval: true, workerData: file });
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

/** Reads a master through again and compares it with its promise; also gives its SHA-256. */
export async function proveMasterFile(
  file: string,
  promise: MasterPromise,
  signal: AbortSignal,
  {
    parts,
    onProgress,
  }: {
    /** Parts as an earlier proof found them; empty where it did not look. */
    readonly parts?: readonly FilePart[];
    readonly onProgress?: (done: number, total: number) => void;
  } = {},
): Promise<{ proof: Proof; sha256: string }> {
  const source = await openFileSource(file, { blocking: true });
  try {
    const digest = sha256InThread(file, signal);
    digest.catch(() => undefined); // looked at below; a proof that throws first must not leave it unheard
    const proof = await proveMaster(source, promise, {
      createHash: createPayloadHash,
      crc32: fastCrc32,
      signal,
      ...(onProgress ? { onProgress } : {}),
      ...(parts && parts.length > 0 ? { parts } : {}),
    });
    return { proof, sha256: await digest };
  } finally {
    await source.close();
  }
}

/** Proves a result of either kind again, from what its sidecar says; also gives its SHA-256. */
export async function proveResult(
  {
    file,
    recipe,
    expects,
    promise,
    parts,
  }: { file: string; recipe: RecipeId; expects: CopyExpectation | null; promise: MasterPromise; parts: readonly FilePart[] },
  signal: AbortSignal,
): Promise<{ proof: Proof; sha256: string }> {
  if (recipe === MASTER) return proveMasterFile(file, promise, signal, { parts });
  const proof = proveCopy(await examineCopy(file, signal), expects ?? plainExpectation(promise), promise);
  return { proof, sha256: await sha256File(file, signal) };
}
