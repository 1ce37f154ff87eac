import path from 'node:path';
import { MessageChannel, Worker, receiveMessageOnPort, type MessagePort } from 'node:worker_threads';
import { WorkError } from '@/contract';
import type { CreateHash, PayloadHash } from '@/core/proof';
import { RECORD_HEAD_BYTES, type SumsAnswer, type SumsOrder, type SumsWork } from './sums-work';

const SLOTS = 4;
const SLOT_BYTES = 512 * 1024;
/** So many waits in a row mean that the thread hangs. A process that was stopped (SIGSTOP) sees one at the most when it goes on. */
const MOST_WAITS = 120;
const WAIT_MS = 1000;

/** A slot that is being filled. */
interface Slot {
  readonly bytes: Uint8Array;
  readonly view: DataView;
}

interface Asked {
  readonly resolve: (room: Uint8Array) => void;
  readonly reject: (error: Error) => void;
}

/** A part of a file that is given to the thread: where its checksum belongs, and from where on it counts. */
export interface Sealing {
  readonly data: Uint8Array;
  readonly sumAt: number;
  readonly from: number;
  /** A file's descriptor. */
  readonly file: number;
  readonly offset: number;
}

/**
 * Payload hashes, and checksums and writing of clusters, in a thread of their own: the thread that puts a file together only gathers what
 * is to be hashed. Same bytes, same order for each hash, another processor.
 */
export class SumsThread {
  private readonly worker: Worker;
  private readonly port: MessagePort;
  private readonly answers = new Int32Array(new SharedArrayBuffer(4));
  private readonly free: ArrayBuffer[] = Array.from({ length: SLOTS }, () => new ArrayBuffer(SLOT_BYTES));
  private readonly asked = new Map<number, Asked>();
  private readonly digests: string[] = [];
  private failure: Error | null = null;
  private hashes = 0;
  private seals = 0;
  private slot: Slot | null = null;
  private at = 0;
  /** The hash whose bytes the last record holds, and where that record begins: it grows, for pieces of a disc are small. */
  private open = -1;
  private openAt = 0;

  /** @param program the bundled thread: `sums.mjs` beside the program that runs, where nothing else is said. */
  constructor(program = path.join(path.dirname(process.argv[1] ?? ''), 'sums.mjs')) {
    const { port1, port2 } = new MessageChannel();
    this.port = port1;
    const workerData: SumsWork = { port: port2, answers: this.answers };
    this.worker = new Worker(program, { workerData, transferList: [port2] });
    port1.on('message', (answer: SumsAnswer) => {
      this.take(answer);
    });
    this.worker.on('error', (error) => {
      this.fail(error);
    });
    // Who waits for an answer keeps the process alive, not the thread.
    this.worker.unref();
    port1.unref();
  }

  readonly createHash: CreateHash = (): PayloadHash => {
    const id = this.hashes++;
    return {
      update: (data) => {
        this.gather(id, data);
      },
      digest: () => {
        this.handOver();
        this.post({ kind: 'digest', id });
        return this.waitFor(() => this.digests.shift());
      },
    };
  };

  /** @param data begins its buffer. @returns all of that buffer, which is given away until then. @throws system errors of the write. */
  seal({ data, ...order }: Sealing): Promise<Uint8Array> {
    if (this.failure) return Promise.reject(this.failure);
    const id = this.seals++;
    // The answer comes as a message: the loop has to wait for it.
    this.port.ref();
    return new Promise<Uint8Array>((resolve, reject) => {
      this.asked.set(id, { resolve, reject });
      const buffer = data.buffer as ArrayBuffer;
      this.post({ kind: 'seal', id, buffer, bytes: data.byteLength, ...order }, [buffer]);
    }).finally(() => {
      if (this.asked.size === 0) this.port.unref();
    });
  }

  private gather(id: number, data: Uint8Array): void {
    for (let from = 0; from < data.byteLength;) {
      const slot = (this.slot ??= this.nextSlot());
      if (this.open !== id) {
        if (SLOT_BYTES - this.at <= RECORD_HEAD_BYTES) {
          this.handOver();
          continue;
        }
        this.endRecord();
        slot.view.setUint32(this.at, id, true);
        [this.open, this.openAt] = [id, this.at];
        this.at += RECORD_HEAD_BYTES;
      }
      const bytes = Math.min(SLOT_BYTES - this.at, data.byteLength - from);
      slot.bytes.set(bytes === data.byteLength ? data : data.subarray(from, from + bytes), this.at);
      this.at += bytes;
      from += bytes;
      if (this.at === SLOT_BYTES) this.handOver();
    }
  }

  private endRecord(): void {
    if (this.open >= 0) this.slot?.view.setUint32(this.openAt + 4, this.at - this.openAt - RECORD_HEAD_BYTES, true);
    this.open = -1;
  }

  private nextSlot(): Slot {
    const buffer = this.waitFor(() => this.free.pop());
    return { bytes: new Uint8Array(buffer), view: new DataView(buffer) };
  }

  /** Gives the thread what was gathered. */
  private handOver(): void {
    if (!this.slot) return;
    this.endRecord();
    const buffer = this.slot.bytes.buffer as ArrayBuffer;
    this.post({ kind: 'bytes', buffer, end: this.at }, [buffer]);
    this.slot = null;
    this.at = 0;
  }

  private post(order: SumsOrder, transfer: ArrayBuffer[] = []): void {
    this.port.postMessage(order, transfer);
  }

  private take(answer: SumsAnswer): void {
    if (answer.kind === 'bytes') this.free.push(answer.buffer);
    else if (answer.kind === 'digest') this.digests.push(answer.digest);
    else if (answer.kind === 'sealed') {
      this.asked.get(answer.id)?.resolve(new Uint8Array(answer.buffer));
      this.asked.delete(answer.id);
    } else {
      const error = Object.assign(new Error(answer.message), answer.code === undefined ? {} : { code: answer.code });
      if (answer.id === null) {
        this.fail(error);
        return;
      }
      this.asked.get(answer.id)?.reject(error);
      this.asked.delete(answer.id);
    }
  }

  private fail(error: Error): void {
    this.failure ??= new WorkError('internal', 'The thread that hashes came to an end', { cause: error });
    for (const { reject } of this.asked.values()) reject(this.failure);
    this.asked.clear();
  }

  /** Blocks until an answer has brought what is wanted. @throws WorkError `internal` where the thread died or hangs. */
  private waitFor<T>(find: () => T | undefined): T {
    for (let waits = 0; ;) {
      const given = Atomics.load(this.answers, 0);
      for (let found = find(); ; found = find()) {
        if (found !== undefined) return found;
        const received = receiveMessageOnPort(this.port) as { message: SumsAnswer } | undefined;
        if (!received) break;
        this.take(received.message);
      }
      if (this.failure) throw this.failure;
      if (Atomics.wait(this.answers, 0, given, WAIT_MS) !== 'timed-out') waits = 0;
      else if (++waits > MOST_WAITS) throw new WorkError('internal', 'The thread that hashes does not answer');
    }
  }

  /** Ends the thread. What was not asked for is not answered any more. */
  async close(): Promise<void> {
    this.fail(new Error('it was stopped'));
    await this.worker.terminate();
    this.port.close();
  }
}
