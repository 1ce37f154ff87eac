/** One PES packet to be written. */
export interface AuthoredPes {
  readonly pts90k: number;
  readonly dts90k: number;
  readonly data: Uint8Array;
  readonly key: boolean;
}

const PAYLOAD = 184;

function stampBytes(marker: number, stamp: number): number[] {
  const high = Math.floor(stamp / 2 ** 30) & 7;
  const low = stamp % 2 ** 30;
  return [(marker << 4) | (high << 1) | 1, (low >> 22) & 0xff, ((low >> 14) & 0xfe) | 1, (low >> 7) & 0xff, ((low << 1) & 0xfe) | 1];
}

/**
 * Writes one elementary stream as source packets: what no multiplexer at hand does for a second view.
 * Spec: ISO/IEC 13818-1 2.4.3. Each key picture's first packet carries the random access flag and a clock reference.
 */
export function packetize(pid: number, packets: readonly AuthoredPes[], streamId = 0xe0): Uint8Array {
  const out: Uint8Array[] = [];
  let counter = 0;
  for (const pes of packets) {
    const stamps = pes.dts90k === pes.pts90k ? stampBytes(2, pes.pts90k) : [...stampBytes(3, pes.pts90k), ...stampBytes(1, pes.dts90k)];
    const head = [0, 0, 1, streamId, 0, 0, 0x80, stamps.length === 5 ? 0x80 : 0xc0, stamps.length, ...stamps];
    const content = new Uint8Array(head.length + pes.data.byteLength);
    content.set(head);
    content.set(pes.data, head.length);
    for (let at = 0; at < content.byteLength;) {
      const first = at === 0;
      const flags = first && pes.key ? [0x40] : [];
      const left = content.byteLength - at;
      let adaptation = flags.length;
      const room = PAYLOAD - (adaptation ? adaptation + 1 : 0);
      const stuffing = Math.max(0, room - left);
      const packet = new Uint8Array(192).fill(0xff);
      const arrival = Math.floor((pes.dts90k * 300) % 2 ** 30);
      packet.set([(arrival >>> 24) & 0x3f, (arrival >>> 16) & 0xff, (arrival >>> 8) & 0xff, arrival & 0xff]);
      const hasField = adaptation > 0 || stuffing > 0;
      packet.set([0x47, (first ? 0x40 : 0) | (pid >> 8), pid & 0xff, (hasField ? 0x30 : 0x10) | (counter++ & 15)], 4);
      let p = 8;
      if (hasField) {
        const fieldBytes = adaptation > 0 ? adaptation + stuffing : stuffing - 1;
        packet[p] = fieldBytes;
        if (fieldBytes > 0) packet[p + 1] = flags[0] ?? 0;
        adaptation = fieldBytes + 1;
        p += adaptation;
      }
      const bytes = Math.min(left, 196 - 4 - p);
      packet.set(content.subarray(at, at + bytes), p);
      at += bytes;
      out.push(packet);
    }
  }
  return Buffer.concat(out);
}
