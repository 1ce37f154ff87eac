import type { AuthoredPes } from './packetize';

/** The PES packets of one stream of a clip. */
export function pesOf(data: Uint8Array, pid: number): AuthoredPes[] {
  const found: { pts90k: number; dts90k: number; key: boolean; chunks: Uint8Array[] }[] = [];
  const stamp = (at: number) => {
    const b = (i: number) => data[at + i] ?? 0;
    return ((b(0) >> 1) & 7) * 2 ** 30 + ((b(1) << 22) | ((b(2) >> 1) << 15) | (b(3) << 7) | (b(4) >> 1));
  };
  for (let packet = 0; packet + 192 <= data.byteLength; packet += 192) {
    const at = packet + 4;
    if (((((data[at + 1] ?? 0) & 0x1f) << 8) | (data[at + 2] ?? 0)) !== pid || ((data[at + 3] ?? 0) & 0x10) === 0) continue;
    const field = ((data[at + 3] ?? 0) & 0x20) !== 0 ? 1 + (data[at + 4] ?? 0) : 0;
    let payload = at + 4 + field;
    if (((data[at + 1] ?? 0) & 0x40) !== 0) {
      const pts90k = stamp(payload + 9);
      const dts90k = (data[payload + 7] ?? 0) >> 6 === 3 ? stamp(payload + 14) : pts90k;
      found.push({ pts90k, dts90k, key: field > 1 && ((data[at + 5] ?? 0) & 0x40) !== 0, chunks: [] });
      payload += 9 + (data[payload + 8] ?? 0);
    }
    found[found.length - 1]?.chunks.push(data.subarray(payload, packet + 192));
  }
  return found.map(({ chunks, ...rest }) => ({ ...rest, data: Buffer.concat(chunks) }));
}
