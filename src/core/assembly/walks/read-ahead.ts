import { DiscError, isDamage, throwIfCancelled, type ByteSource } from '../../bytes';
import { SOURCE_PACKET } from '../../streams';
import { SECTOR_BYTES } from '../../volume';

/** What a content consists of, and how it is read. */
export interface RecordForm {
  readonly recordBytes: number;
  readonly recordsInChunk: number;
  /** Records that are lost together where the medium fails. */
  readonly recordsInStep: number;
}

/** Source packets of a clip, 384 KiB at a time; an aligned unit of 32 is three sectors, the least that can be lost. */
export const PACKETS: RecordForm = { recordBytes: SOURCE_PACKET, recordsInChunk: 2048, recordsInStep: 32 };
/** Sectors of a title set, 512 KiB at a time. */
export const SECTORS: RecordForm = { recordBytes: SECTOR_BYTES, recordsInChunk: 256, recordsInStep: 1 };

/** Two chunks: one is worked on while the other is read. */
export class ChunkPair {
  private readonly chunks: readonly [Uint8Array, Uint8Array];
  private turn = 0;

  constructor(form: RecordForm) {
    const bytes = form.recordsInChunk * form.recordBytes;
    this.chunks = [new Uint8Array(bytes), new Uint8Array(bytes)];
  }

  next(): Uint8Array {
    return this.chunks[this.turn++ & 1] as Uint8Array;
  }
}

interface Manner {
  /** Told of records that can not be had, which are then left empty; null where that ends the reading. */
  readonly unreadable?: ((record: number, records: number) => void) | null;
  readonly signal?: AbortSignal | undefined;
  /** Room of an earlier reading that has ended. */
  readonly chunks?: ChunkPair;
}

/** Reads records of a content in chunks, one ahead. */
export class ReadAhead {
  private ahead: { readonly read: Promise<number>; readonly target: Uint8Array } | null = null;
  private readonly chunks: ChunkPair;
  private readonly unreadable: NonNullable<Manner['unreadable']> | null;
  private readonly signal: AbortSignal | undefined;

  /** @param record the first to be read; afterwards the one behind what was handed out. @param end the first not to be read. */
  constructor(
    private readonly source: ByteSource,
    private readonly form: RecordForm,
    public record: number,
    private readonly end: number,
    { unreadable = null, signal, chunks = new ChunkPair(form) }: Manner = {},
  ) {
    this.unreadable = unreadable;
    this.signal = signal;
    this.chunks = chunks;
  }

  private request(): { readonly read: Promise<number>; readonly target: Uint8Array } {
    const { recordBytes, recordsInChunk } = this.form;
    const records = Math.max(0, Math.min(recordsInChunk, this.end - this.record));
    const target = this.chunks.next().subarray(0, records * recordBytes);
    const read = records > 0 ? this.source.read(this.record * recordBytes, target) : Promise.resolve(0);
    read.catch(() => undefined); // looked at when it is awaited; a read ahead that is never used must not end the process
    return { read, target };
  }

  /** @returns the next chunk, valid until the next call; null at the end. @throws DiscError `ended-early`, `read-failed`, `cancelled`. */
  async next(): Promise<Uint8Array | null> {
    if (this.record >= this.end) return null;
    throwIfCancelled(this.signal, this.source.name);
    const { read, target } = this.ahead ?? this.request();
    try {
      const got = await read;
      if (got < target.byteLength) {
        const where = { source: this.source.name, byteOffset: this.record * this.form.recordBytes + got };
        throw new DiscError('ended-early', where, `${this.source.name} ends before its tables say`);
      }
    } catch (error) {
      if (!this.unreadable || !isDamage(error)) throw error;
      await this.readAround(target, this.unreadable);
    }
    this.record += target.byteLength / this.form.recordBytes;
    this.ahead = this.request();
    return target;
  }

  /** Nothing more is wanted: afterwards nobody writes into its chunks. */
  async stop(): Promise<void> {
    await this.ahead?.read.catch(() => 0);
    this.record = this.end;
  }

  /** Reads a chunk step by step; what can not be had is left empty and told. */
  private async readAround(target: Uint8Array, unreadable: NonNullable<Manner['unreadable']>): Promise<void> {
    const { recordBytes, recordsInStep } = this.form;
    for (let at = 0; at < target.byteLength; at += recordsInStep * recordBytes) {
      throwIfCancelled(this.signal, this.source.name);
      const part = target.subarray(at, at + recordsInStep * recordBytes);
      const got = await this.source.read(this.record * recordBytes + at, part).catch((error: unknown) => {
        if (isDamage(error)) return 0;
        throw error;
      });
      if (got === part.byteLength) continue;
      part.fill(0);
      unreadable(this.record + at / recordBytes, part.byteLength / recordBytes);
    }
  }
}
