import { NO_PTS, pesHeadIsSound, readPts } from './program-stream';

/** A transport packet with the four bytes of arrival time before it, as on Blu-ray. */
export const SOURCE_PACKET = 192;
const HEAD = 4;
const TS_PACKET = 188;
const SYNC = 0x47;
const NULL_PID = 0x1fff;
const PIDS = 8192;
const MOST_ENTRIES = 4096;

/** Packets of an aligned unit, which is enciphered whole but for its first sixteen bytes. BD-ROM part 3; AACS common book 3.10. */
const UNIT_PACKETS = 32;
/** A unit that has lost so many packets is not scratched by chance, where it says itself that it may not be copied. */
const ENCIPHERED_PACKETS = 16;

/**
 * Tells units that are enciphered from those that are damaged: the head of the first packet stands in clear, with copy permission bits
 * that are set, and nearly all others have no sync byte.
 */
class UnitWatch {
  private mayNotBeCopied = false;
  private lost = 0;

  /** @param data with a source packet at `at`, the `number`th of its content. @returns true where its unit is enciphered. */
  sees(data: Uint8Array, at: number, number: number, inSync: boolean): boolean {
    if (number % UNIT_PACKETS === 0) {
      this.mayNotBeCopied = inSync && ((data[at] as number) & 0xc0) !== 0;
      this.lost = 0;
    }
    if (!inSync) this.lost++;
    return this.mayNotBeCopied && this.lost >= ENCIPHERED_PACKETS;
  }
}

/** Receives payload of the wanted streams; `data[from..to)` is valid only during the call. */
export interface TransportReceiver {
  /**
   * @param starts true where a PES packet begins at `from`; its stamps (raw 33 bit, or `NO_PTS`) come with it. `dts90k` equals
   * `pts90k` where the packet gives only one.
   */
  transport(pid: number, data: Uint8Array, from: number, to: number, pts90k: number, dts90k: number, starts: boolean): void;
  /** A packet whose scrambling flags are set, or one of a unit that is enciphered (then minus one): its payload is not delivered. */
  scrambled(pid: number): void;
  /**
   * Something is not whole at a source packet, counted from the start of the content. Said before what follows there is delivered.
   * @param pid the stream it was met in; -1 where no packet stands at all.
   */
  fault?(kind: TransportFault, pid: number, packet: number): void;
}

/**
 * `no packet`: no sync byte in its place; `error flag`: transport_error_indicator; `missing`: the continuity counter jumps;
 * `broken`: a head that contradicts itself, or a PES packet that is not as long as it says.
 */
export type TransportFault = 'no packet' | 'error flag' | 'missing' | 'broken';

/**
 * Takes source packets apart. Payloads of packets of one stream that follow each other are moved together inside the
 * caller's buffer and handed over as one piece: an object per packet would cost more than all the rest.
 * Spec: ISO/IEC 13818-1 2.4.3.2 (packets), 2.4.3.6 (PES); BD-ROM part 3 for the four bytes before.
 */
export class TransportDemux {
  /** Packets that did not begin with the sync byte. */
  lostSync = 0;
  /** Places where a stream's continuity counter jumps without the stream saying so: packets are missing. */
  missing = 0;
  private readonly units = new UnitWatch();
  private readonly wanted = new Uint8Array(PIDS);
  private readonly counters = new Uint8Array(PIDS).fill(0xff);
  /** Bytes that the PES packet under way still has to bring; minus one where it does not say. */
  private readonly due = new Int32Array(PIDS).fill(-1);
  /** Source packet being looked at, counted from the start of the content. */
  packet = 0;

  constructor(private readonly receiver: TransportReceiver) {}

  want(pid: number): void {
    if (pid >= 0 && pid < PIDS) this.wanted[pid] = 1;
  }

  /** A file goes on in another: packets may be counted anew, and what they carry goes on. */
  goOn(): void {
    this.counters.fill(0xff);
  }

  /** Another clip begins: counters start anew. */
  restart(): void {
    this.counters.fill(0xff);
    this.due.fill(-1);
  }

  /**
   * @param data whole source packets in `[from, to)`; the bytes are moved about.
   * @param to end of the last whole packet; what is left of a packet is not looked at.
   * @param firstPacket number of the first of them in the content.
   */
  feed(data: Uint8Array, from: number, to: number, firstPacket = 0): void {
    const { wanted, counters, receiver, due } = this;
    let runPid = -1;
    let runFrom = 0;
    let runTo = 0;
    const flush = () => {
      if (runTo > runFrom) receiver.transport(runPid, data, runFrom, runTo, NO_PTS, NO_PTS, false);
      runFrom = runTo = 0;
    };
    this.packet = firstPacket;
    for (let packet = from; packet + SOURCE_PACKET <= to; packet += SOURCE_PACKET, this.packet++) {
      const at = packet + HEAD;
      const inSync = data[at] === SYNC;
      if (this.units.sees(data, packet, this.packet, inSync)) receiver.scrambled(-1);
      if (!inSync) {
        this.lostSync++;
        flush();
        receiver.fault?.('no packet', -1, this.packet);
        continue;
      }
      const second = data[at + 1] as number;
      const pid = ((second & 0x1f) << 8) | (data[at + 2] as number);
      if (wanted[pid] === 0 || pid === NULL_PID) continue;
      const flags = data[at + 3] as number;
      if ((second & 0x80) !== 0) {
        flush();
        receiver.fault?.('error flag', pid, this.packet);
      }
      if ((flags & 0xc0) !== 0) {
        receiver.scrambled(pid);
        continue;
      }
      if ((flags & 0x10) === 0) continue; // no payload
      let payload = at + 4;
      const end = at + TS_PACKET;
      let announced = false;
      if ((flags & 0x20) !== 0) {
        const length = data[payload] as number;
        announced = length > 0 && ((data[payload + 1] as number) & 0x80) !== 0;
        payload += 1 + length;
        if (payload > end) {
          flush();
          receiver.fault?.('broken', pid, this.packet);
        }
      }
      const counter = flags & 15;
      const before = counters[pid] as number;
      if (before !== 0xff && !announced && counter !== ((before + 1) & 15)) {
        if (counter === before) continue; // sent twice
        this.missing++;
        due[pid] = -1;
        flush();
        receiver.fault?.('missing', pid, this.packet);
      }
      counters[pid] = counter;
      if (payload >= end) continue;
      if ((second & 0x40) !== 0) {
        flush();
        if ((due[pid] as number) > 0) receiver.fault?.('broken', pid, this.packet);
        this.beginPes(pid, data, payload, end);
        continue;
      }
      const left = due[pid] as number;
      if (left >= 0) {
        due[pid] = left - (end - payload);
        if (left < end - payload) {
          flush();
          due[pid] = -1;
          receiver.fault?.('broken', pid, this.packet);
        }
      }
      if (pid === runPid && runTo > runFrom) {
        data.copyWithin(runTo, payload, end);
        runTo += end - payload;
      } else {
        flush();
        runPid = pid;
        runFrom = payload;
        runTo = end;
      }
    }
    flush();
  }

  private beginPes(pid: number, data: Uint8Array, at: number, end: number): void {
    this.due[pid] = -1;
    const broken = () => this.receiver.fault?.('broken', pid, this.packet);
    if (at + 9 > end || data[at] !== 0 || data[at + 1] !== 0 || data[at + 2] !== 1) {
      broken();
      return;
    }
    const flags = data[at + 6] as number;
    const stamps = (data[at + 7] as number) >> 6;
    const payload = at + 9 + (data[at + 8] as number);
    if (flags >> 6 !== 2 || payload > end || !pesHeadIsSound(data, at)) {
      broken();
      return;
    }
    const length = ((data[at + 4] as number) << 8) | (data[at + 5] as number);
    if (length > 0) {
      this.due[pid] = at + 6 + length - end;
      if (at + 6 + length < end) {
        this.due[pid] = -1;
        broken();
      }
    }
    if ((flags & 0x30) !== 0) {
      this.receiver.scrambled(pid);
      return;
    }
    const pts = stamps >= 2 && at + 14 <= end ? readPts(data, at + 9) : NO_PTS;
    const dts = stamps === 3 && at + 19 <= end ? readPts(data, at + 14) : pts;
    this.receiver.transport(pid, data, payload, end, pts, dts, true);
  }
}

/** What the first packets of a clip say of its protection. */
export interface TransportLook {
  readonly packets: number;
  /** Packets with sync byte in its place. */
  readonly inSync: number;
  /** Packets with scrambling flags, or with the copy bits of units whose content is enciphered. */
  readonly protectedPackets: number;
}

/**
 * Looks at whole source packets, of which the first begins an aligned unit, for signs of protection: scrambling flags (13818-1 table 2-17), or copy permission bits
 * in the head together with packets that have lost their sync byte, as whole enciphered units do.
 */
export function lookAtTransport(data: Uint8Array): TransportLook {
  let packets = 0;
  let inSync = 0;
  let protectedPackets = 0;
  const units = new UnitWatch();
  for (let at = 0; at + SOURCE_PACKET <= data.byteLength && packets < MOST_ENTRIES; at += SOURCE_PACKET, packets++) {
    const sync = data[at + HEAD] === SYNC;
    if (sync) inSync++;
    if (units.sees(data, at, packets, sync) || (sync && ((data[at + HEAD + 3] as number) & 0xc0) !== 0)) protectedPackets++;
  }
  return { packets, inSync, protectedPackets };
}
