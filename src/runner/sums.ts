import { write } from 'node:fs';
import { workerData } from 'node:worker_threads';
import { createPayloadHash, fastCrc32 } from '@/node/payload-hash';
import { RECORD_HEAD_BYTES, type SumsAnswer, type SumsOrder, type SumsWork } from '@/node/sums-work';

/** The thread that hashes and writes what the runner takes from a disc: see `SumsThread`. It ends with the process, or when it is terminated. */

const { port, answers } = workerData as SumsWork;
const hashes = new Map<number, ReturnType<typeof createPayloadHash>>();

function hashOf(id: number): ReturnType<typeof createPayloadHash> {
  const known = hashes.get(id) ?? createPayloadHash();
  hashes.set(id, known);
  return known;
}

function hashAll({ buffer, end }: Extract<SumsOrder, { kind: 'bytes' }>): void {
  const view = new DataView(buffer);
  for (let at = 0; at < end;) {
    const [id, length] = [view.getUint32(at, true), view.getUint32(at + 4, true)];
    hashOf(id).update(new Uint8Array(buffer, at + RECORD_HEAD_BYTES, length));
    at += RECORD_HEAD_BYTES + length;
  }
}

/** Sums here, and has it written meanwhile: what comes next is hashed while the disk takes it. */
function seal({ id, buffer, bytes, sumAt, from, file, offset }: Extract<SumsOrder, { kind: 'seal' }>): void {
  new DataView(buffer).setUint32(sumAt, fastCrc32(new Uint8Array(buffer, from, bytes - from)), true);
  const data = new Uint8Array(buffer, 0, bytes);
  const go = (done: number): void => {
    write(file, data, done, bytes - done, offset + done, (error, written) => {
      if (error) fail(error, id);
      else if (done + written < bytes) go(done + written);
      else say({ kind: 'sealed', id, buffer }, [buffer]);
    });
  };
  go(0);
}

function say(said: SumsAnswer, transfer: ArrayBuffer[] = []): void {
  port.postMessage(said, transfer);
  Atomics.add(answers, 0, 1);
  Atomics.notify(answers, 0);
}

function fail({ message, code }: NodeJS.ErrnoException, id: number | null): void {
  say({ kind: 'failed', id, message, code });
}

port.on('message', (order: SumsOrder) => {
  try {
    if (order.kind === 'bytes') {
      hashAll(order);
      say({ kind: 'bytes', buffer: order.buffer }, [order.buffer]);
    } else if (order.kind === 'digest') {
      say({ kind: 'digest', digest: hashOf(order.id).digest() });
      hashes.delete(order.id);
    } else seal(order);
  } catch (error) {
    fail(error as Error, order.kind === 'seal' ? order.id : null);
  }
});
