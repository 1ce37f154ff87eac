import type { FaultKind } from '../reading/fault';
import type { FaultLog } from './faults';

/** A frame on its way out, held by position until it is handed over. */
export interface HeldPacket {
  /** Position and length in the track's `EsBuffer`. */
  readonly position: number;
  readonly length: number;
  /** Presentation time and duration in 27 MHz ticks of the output; duration null where the stream does not say. */
  readonly ticks: number;
  readonly durationTicks: number | null;
  /** Time by which packets are put in order: decoding time for video. */
  readonly orderTicks: number;
  readonly key: boolean;
  readonly discardable: boolean;
  /** Where the second view's part of the frame stands in its own buffer. */
  readonly companion?: { readonly position: number; readonly length: number } | null;
}

/** A frame handed over. `data` is valid until the next one is asked for. */
export interface Packet {
  /** Index of the track in the assembly's list. */
  readonly track: number;
  readonly ticks: number;
  readonly durationTicks: number | null;
  readonly key: boolean;
  readonly discardable: boolean;
  readonly data: Uint8Array;
}

/** Why bytes of a stream are not in the output. Every byte read is either taken or counted here. */
export type LeftReason =
  'outside the cut' | 'needs pictures before the cut' | 'overlaps the part before' | 'incomplete' | 'not part of any frame' | 'not forced';

/** A place where a track's time stamps do not follow from each other. Positive: a gap, negative: an overlap that was left out. */
export interface Irregularity {
  readonly atTicks: number;
  readonly gapTicks: number;
}

const MAX_LISTED = 200;

/** What happened to one stream, byte for byte. */
export class TrackAccount {
  seenBytes = 0;
  takenBytes = 0;
  packets = 0;
  readonly left = new Map<LeftReason, { bytes: number; frames: number; ticks: number }>();
  readonly irregularities: Irregularity[] = [];
  irregularityCount = 0;
  /** Where what is wrong with the stream is told, and the track that it is told of. */
  log: { readonly faults: FaultLog; readonly track: number } | null = null;

  /** @param ticks of the output, before its lead. @param ms how much of it, where that is known. */
  fault(kind: FaultKind, ticks: number, ms: number | null = null): void {
    this.log?.faults.note(kind, this.log.track, { ticks }, null, ms);
  }

  /** @param ticks how long it would have lasted, where that is known. */
  leave(reason: LeftReason, bytes: number, ticks = 0): void {
    const sum = this.left.get(reason) ?? { bytes: 0, frames: 0, ticks: 0 };
    this.left.set(reason, { bytes: sum.bytes + bytes, frames: sum.frames + 1, ticks: sum.ticks + ticks });
  }

  irregular(atTicks: number, gapTicks: number): void {
    this.irregularityCount++;
    if (this.irregularities.length < MAX_LISTED) this.irregularities.push({ atTicks, gapTicks });
  }
}

/** Packets of one track in order, with cheap removal at the front. */
export class PacketQueue {
  private list: HeldPacket[] = [];
  private first = 0;
  bytes = 0;

  push(packet: HeldPacket): void {
    this.list.push(packet);
    this.bytes += packet.length;
  }

  get head(): HeldPacket | undefined {
    return this.list[this.first];
  }

  get size(): number {
    return this.list.length - this.first;
  }

  get lastTicks(): number | null {
    return this.size > 0 ? (this.list[this.list.length - 1] as HeldPacket).ticks : null;
  }

  shift(): HeldPacket | undefined {
    const packet = this.list[this.first];
    if (!packet) return undefined;
    this.first++;
    this.bytes -= packet.length;
    if (this.first > 512) {
      this.list = this.list.slice(this.first);
      this.first = 0;
    }
    return packet;
  }

  /** Puts another packet in the place of the last one. */
  replaceLast(packet: HeldPacket): void {
    const last = this.list.pop();
    this.bytes += packet.length - (last?.length ?? 0);
    this.list.push(packet);
  }

  get last(): HeldPacket | undefined {
    return this.size > 0 ? this.list[this.list.length - 1] : undefined;
  }

  /** Takes the last packets off again while `test` holds. */
  popWhile(test: (packet: HeldPacket) => boolean): HeldPacket[] {
    const removed: HeldPacket[] = [];
    for (let last = this.list[this.list.length - 1]; this.size > 0 && last && test(last); last = this.list[this.list.length - 1]) {
      this.list.pop();
      this.bytes -= last.length;
      removed.push(last);
    }
    return removed;
  }
}
