import { NO_PTS, readPts } from './program-stream';

/** A transport packet with the four bytes of arrival time before it, as on Blu-ray. */
export const SOURCE_PACKET = 192;
const HEAD = 4;
const TS_PACKET = 188;
const SYNC = 0x47;
const NULL_PID = 0x1fff;
const PIDS = 8192;
const MOST_ENTRIES = 4096;

/** Receives payload of the wanted streams; `data[from..to)` is valid only during the call. */
export interface TransportReceiver {
  /**
   * @param starts true where a PES packet begins at `from`; its stamps (raw 33 bit, or `NO_PTS`) come with it. `dts90k` equals
   * `pts90k` where the packet gives only one.
   */
  transport(pid: number, data: Uint8Array, from: number, to: number, pts90k: number, dts90k: number, starts: boolean): void;
  /** A packet whose scrambling flags are set: its payload is not delivered. */
  scrambled(pid: number): void;
}

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
  private readonly wanted = new Uint8Array(PIDS);
  private readonly counters = new Uint8Array(PIDS).fill(0xff);

  constructor(private readonly receiver: TransportReceiver) {}

  want(pid: number): void {
    if (pid >= 0 && pid < PIDS) this.wanted[pid] = 1;
  }

  /** Another clip begins: counters start anew. */
  restart(): void {
    this.counters.fill(0xff);
  }

  /**
   * @param data whole source packets in `[from, to)`; the bytes are moved about.
   * @param to end of the last whole packet; what is left of a packet is not looked at.
   */
  feed(data: Uint8Array, from: number, to: number): void {
    const { wanted, counters, receiver } = this;
    let runPid = -1;
    let runFrom = 0;
    let runTo = 0;
    for (let packet = from; packet + SOURCE_PACKET <= to; packet += SOURCE_PACKET) {
      const at = packet + HEAD;
      if (data[at] !== SYNC) {
        this.lostSync++;
        continue;
      }
      const second = data[at + 1] as number;
      const pid = ((second & 0x1f) << 8) | (data[at + 2] as number);
      if (wanted[pid] === 0 || pid === NULL_PID) continue;
      const flags = data[at + 3] as number;
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
      }
      const counter = flags & 15;
      const before = counters[pid] as number;
      if (before !== 0xff && !announced && counter !== ((before + 1) & 15)) {
        if (counter === before) continue; // sent twice
        this.missing++;
      }
      counters[pid] = counter;
      if (payload >= end) continue;
      if ((second & 0x40) !== 0) {
        if (runTo > runFrom) receiver.transport(runPid, data, runFrom, runTo, NO_PTS, NO_PTS, false);
        runFrom = runTo = 0;
        this.beginPes(pid, data, payload, end);
      } else if (pid === runPid && runTo > runFrom) {
        data.copyWithin(runTo, payload, end);
        runTo += end - payload;
      } else {
        if (runTo > runFrom) receiver.transport(runPid, data, runFrom, runTo, NO_PTS, NO_PTS, false);
        runPid = pid;
        runFrom = payload;
        runTo = end;
      }
    }
    if (runTo > runFrom) receiver.transport(runPid, data, runFrom, runTo, NO_PTS, NO_PTS, false);
  }

  private beginPes(pid: number, data: Uint8Array, at: number, end: number): void {
    if (at + 9 > end || data[at] !== 0 || data[at + 1] !== 0 || data[at + 2] !== 1) return;
    const flags = data[at + 6] as number;
    const stamps = (data[at + 7] as number) >> 6;
    const payload = at + 9 + (data[at + 8] as number);
    if (flags >> 6 !== 2 || payload > end) return;
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
 * Looks at whole source packets for signs of protection: scrambling flags (13818-1 table 2-17), or copy permission bits
 * in the head together with packets that have lost their sync byte, as whole enciphered units do.
 */
export function lookAtTransport(data: Uint8Array): TransportLook {
  let packets = 0;
  let inSync = 0;
  let protectedPackets = 0;
  for (let at = 0; at + SOURCE_PACKET <= data.byteLength && packets < MOST_ENTRIES; at += SOURCE_PACKET, packets++) {
    const sync = data[at + HEAD] === SYNC;
    if (sync) inSync++;
    if (sync ? ((data[at + HEAD + 3] as number) & 0xc0) !== 0 : ((data[at] as number) & 0xc0) !== 0) protectedPackets++;
  }
  return { packets, inSync, protectedPackets };
}
