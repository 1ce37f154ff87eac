import { DiscError, isDamage, type ByteSource } from '../../bytes';
import { SOURCE_PACKET } from '../../streams';

/** 2,048 source packets: 384 KiB. */
const CHUNK_PACKETS = 2048;
/** Source packets of an aligned unit, which is three sectors: the least that can be lost. */
const UNIT_PACKETS = 32;

/** Reads chunks of a clip, one ahead. */
export class ChunkReader {
  private readonly chunks = [new Uint8Array(CHUNK_PACKETS * SOURCE_PACKET), new Uint8Array(CHUNK_PACKETS * SOURCE_PACKET)] as const;
  private ahead: { read: Promise<number>; target: Uint8Array } | null = null;
  private turn = 0;
  packet: number;

  constructor(
    private readonly source: ByteSource,
    firstPacket: number,
    private readonly endPacket: number,
    /** Told of packets that can not be had, which are then left empty; null where that ends the reading. */
    private readonly unreadable: ((packet: number, packets: number) => void) | null = null,
  ) {
    this.packet = firstPacket;
  }

  private request(packet: number): { read: Promise<number>; target: Uint8Array } {
    const packets = Math.max(0, Math.min(CHUNK_PACKETS, this.endPacket - packet));
    const target = (this.chunks[this.turn++ & 1] as Uint8Array).subarray(0, packets * SOURCE_PACKET);
    const read = packets > 0 ? this.source.read(packet * SOURCE_PACKET, target) : Promise.resolve(0);
    read.catch(() => undefined);
    return { read, target };
  }

  /** @returns the next chunk, valid until the next call; null at the end. @throws DiscError `ended-early`, `read-failed`. */
  async next(): Promise<Uint8Array | null> {
    if (this.packet >= this.endPacket) return null;
    const { read, target } = this.ahead ?? this.request(this.packet);
    try {
      const got = await read;
      if (got < target.byteLength) {
        const where = { source: this.source.name, byteOffset: this.packet * SOURCE_PACKET + got };
        throw new DiscError('ended-early', where, `${this.source.name} ends before its tables say`);
      }
    } catch (error) {
      if (!this.unreadable || !isDamage(error)) throw error;
      await this.readAround(target);
    }
    this.packet += target.byteLength / SOURCE_PACKET;
    this.ahead = this.request(this.packet);
    return target;
  }

  /** Reads a chunk in steps of an aligned unit; what can not be had is left empty and told. */
  private async readAround(target: Uint8Array): Promise<void> {
    const step = UNIT_PACKETS * SOURCE_PACKET;
    for (let at = 0; at < target.byteLength; at += step) {
      const part = target.subarray(at, at + step);
      const got = await this.source.read(this.packet * SOURCE_PACKET + at, part).catch((error: unknown) => {
        if (isDamage(error)) return 0;
        throw error;
      });
      if (got === part.byteLength) continue;
      part.fill(0);
      this.unreadable?.(this.packet + at / SOURCE_PACKET, part.byteLength / SOURCE_PACKET);
    }
  }
}
