import { blake3 } from '@noble/hashes/blake3.js';
import { bytesToHex } from '@noble/hashes/utils.js';
import { Assembly, planReel } from '@/core/assembly';
import { blobSource, DiscError } from '@/core/bytes';
import { findRoles } from '@/core/findings';
import type { MatroskaSink } from '@/core/matroska';
import { proveMaster, type CreateHash } from '@/core/proof';
import { FAULT_WEIGHTS, openContent, readDisc, wholeText, wholenessText, type Reading } from '@/core/reading';
import { TrackHashes, writeMaster } from '@/core/master';
import type { Reel } from '@/core/reels';
import { openImage } from '@/core/volume';
import type { FromDropped, ToDropped } from '@/contract/dropped';

/**
 * Reads an image that was dropped onto the page, and makes lossless masters of it, without anything being uploaded: the
 * same core as on the server, over the browser's own file.
 */

const PROGRESS_MS = 200;

const say = (message: FromDropped) => {
  postMessage(message);
};

const createHash: CreateHash = () => {
  const hash = blake3.create();
  return {
    update: (data) => {
      hash.update(data);
    },
    digest: () => bytesToHex(hash.digest()),
  };
};

/** A file that a worker writes at once, as far as it is used here. File System standard, FileSystemSyncAccessHandle. */
interface SyncAccess {
  write(data: Uint8Array, options: { at: number }): number;
  flush(): void;
  close(): void;
}
type Handle = FileSystemFileHandle & { createSyncAccessHandle(): Promise<SyncAccess> };

function sinkOver(access: SyncAccess): MatroskaSink {
  let end = 0;
  return {
    write: (data) => {
      access.write(data, { at: end });
      end += data.byteLength;
      return Promise.resolve();
    },
    writeAt: (offset, data) => {
      access.write(data, { at: offset });
      return Promise.resolve();
    },
  };
}

let lastSaid = 0;
function progress(done: number, total: number, proving: boolean): void {
  if (Date.now() - lastSaid < PROGRESS_MS) return;
  lastSaid = Date.now();
  say({ type: 'progress', done, total, proving });
}

async function make(file: File, reading: Reading, reel: Reel): Promise<void> {
  const volume = await openImage(blobSource(file.name, file));
  const contents = new Map<string, ReturnType<typeof openContent>>();
  const content = (name: string) => {
    const known = contents.get(name) ?? openContent(volume, name);
    contents.set(name, known);
    return known;
  };
  const root = await navigator.storage.getDirectory();
  const handle = (await root.getFileHandle(`master-${Date.now()}.mkv`, { create: true })) as Handle;
  try {
    const hashes = new TrackHashes(createHash);
    const assembly = new Assembly(reading, reel, content, { tap: hashes.tap, pieces: await planReel(reading, reel, content) });
    const access = await handle.createSyncAccessHandle();
    const promise = await writeMaster(assembly, hashes, reading, reel, sinkOver(access), {
      application: 'Careful Vault',
      seed: `${reading.fingerprint} ${JSON.stringify(reel.pieces)}`,
      createHash,
      onProgress: (done, total) => {
        progress(done, total, false);
      },
    }).finally(() => {
      access.flush();
      access.close();
    });
    const { wholeness } = promise;
    if (wholeness && wholeness.damage > 0 && !promise.around)
      throw new Error(`The disc is not whole: ${wholenessText(wholeness.faults.filter((f) => FAULT_WEIGHTS[f.kind] === 'damage'))}`);
    const made = await handle.getFile();
    const proof = await proveMaster(blobSource('master', made), promise, {
      createHash,
      onProgress: (done, total) => {
        progress(done, total, true);
      },
    });
    if (!proof.passed) throw new Error(`The master is not what was promised: ${proof.checks.find((c) => !c.passed)?.what ?? ''}.`);
    const whole = wholeness ? wholeText(wholeness, proof.exceptionCount) : 'as it was read';
    say({ type: 'made', file: made, identicalTracks: proof.identicalTracks, tracks: proof.tracks, whole });
  } catch (error) {
    await root.removeEntry(handle.name).catch(() => undefined); // what is left is cleared with the next visit
    throw error;
  }
}

async function read(file: File): Promise<void> {
  const reading = await readDisc(await openImage(blobSource(file.name, file)), {
    onProgress: ({ done, total }) => {
      progress(done, total, false);
    },
  });
  say({ type: 'read', reading, findings: findRoles(reading) });
}

function failure(error: unknown): FromDropped {
  if (error instanceof DOMException && error.name === 'QuotaExceededError')
    return { type: 'failed', message: 'The browser has no room for it.', whatToDo: 'Free some space on this machine, then try again.' };
  const message = error instanceof Error ? error.message : String(error);
  return { type: 'failed', message, whatToDo: error instanceof DiscError ? error.whatToDo : 'Read the image on the server instead.' };
}

addEventListener('message', ({ data }: MessageEvent<ToDropped>) => {
  (data.type === 'read' ? read(data.file) : make(data.file, data.reading, data.reel)).catch((error: unknown) => {
    say(failure(error));
  });
});
