/** What a finished clip file holds, found by looking through its packets once. */
export interface ClipFacts {
  readonly packets: number;
  readonly start90k: number;
  /** End of the last picture. */
  readonly end90k: number;
  /** Where each of several clocks begins, in the order of the file; one from the first packet where none are given. */
  readonly clocks?: readonly { readonly packet: number; readonly start90k: number; readonly end90k: number }[];
  readonly entries: readonly { readonly pts90k: number; readonly packet: number; readonly bytes: number }[];
}

function stamp(data: Uint8Array, at: number): number {
  const b = (i: number) => data[at + i] ?? 0;
  return ((b(0) >> 1) & 7) * 2 ** 30 + ((b(1) << 22) | ((b(2) >> 1) << 15) | (b(3) << 7) | (b(4) >> 1));
}

/** @param pid of the main video; key pictures are told by the random access flag that the multiplexer sets. */
export function scanClip(data: Uint8Array, pid: number, frame90k: number): ClipFacts {
  const entries: { pts90k: number; packet: number; bytes: number }[] = [];
  let start90k = Number.POSITIVE_INFINITY;
  let end90k = 0;
  let last: { pts90k: number; packet: number; bytes: number } | null = null;
  const packets = Math.floor(data.byteLength / 192);
  for (let packet = 0; packet < packets; packet++) {
    const at = packet * 192 + 4;
    const found = (((data[at + 1] ?? 0) & 0x1f) << 8) | (data[at + 2] ?? 0);
    if (found !== pid) continue;
    if (((data[at + 1] ?? 0) & 0x40) === 0) {
      if (last) last.bytes += 184;
      continue;
    }
    const adaptation = ((data[at + 3] ?? 0) & 0x20) !== 0 ? 1 + (data[at + 4] ?? 0) : 0;
    const random = adaptation > 1 && ((data[at + 5] ?? 0) & 0x40) !== 0;
    const pes = at + 4 + adaptation;
    const pts90k = stamp(data, pes + 9);
    start90k = Math.min(start90k, pts90k);
    end90k = Math.max(end90k, pts90k + frame90k);
    last = null;
    if (random) {
      last = { pts90k, packet, bytes: 0 };
      entries.push(last);
    }
  }
  return { packets, start90k, end90k, entries };
}

/** Moves all packets of one stream into another and counts them on there: a TrueHD stream and its AC-3 core share a PID. */
export function mergeStreams(data: Uint8Array, from: number, into: number): void {
  let counter = 0;
  for (let at = 4; at + 188 <= data.byteLength; at += 192) {
    const pid = (((data[at + 1] ?? 0) & 0x1f) << 8) | (data[at + 2] ?? 0);
    if (pid !== from && pid !== into) continue;
    data[at + 1] = ((data[at + 1] ?? 0) & 0xe0) | (into >> 8);
    data[at + 2] = into & 0xff;
    data[at + 3] = ((data[at + 3] ?? 0) & 0xf0) | (counter & 15);
    if (((data[at + 3] ?? 0) & 0x10) !== 0) counter++;
  }
}
