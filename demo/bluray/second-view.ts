import type { AuthoredPes } from './packetize';

/**
 * Turns an H.264 stream into what looks like the dependent view of a two-view stream: the units carry the types and
 * heads that ITU-T H.264 annex H gives them. The pictures are coded by themselves, without prediction from the first view.
 */

function unitsOf(data: Uint8Array): Uint8Array[] {
  const starts: number[] = [];
  for (let i = 0; i + 3 < data.byteLength; i++) if (data[i] === 0 && data[i + 1] === 0 && data[i + 2] === 1) starts.push(i + 3);
  return starts.map((from, i) => {
    let to = i + 1 < starts.length ? (starts[i + 1] ?? 0) - 3 : data.byteLength;
    while (to > from && data[to - 1] === 0) to--;
    return data.subarray(from, to);
  });
}

/** A sequence set becomes a subset one: profile Stereo High, and after its own content the views there are. Annex H 7.3.2.1.4. */
function subsetSequence(unit: Uint8Array): number[] {
  const bits: number[] = [];
  for (const byte of unit.subarray(1)) for (let i = 7; i >= 0; i--) bits.push((byte >> i) & 1);
  while (bits.length && bits[bits.length - 1] === 0) bits.pop();
  bits.pop(); // the stop bit
  // bit_equal_to_one; one more view (ue 1), view ids 0 and 1; no references between views; no operation points beyond one
  const more = '1' + '010' + '1' + '010' + '11' + '11' + '1' + '00101000' + '1' + '000' + '1' + '1' + '1' + '0' + '1';
  const all = [...bits, ...Array.from({ length: more.length }, (_, i) => Number(more.charAt(i)))];
  while (all.length % 8) all.push(0);
  const bytes = [0x6f];
  for (let i = 0; i < all.length; i += 8) bytes.push(all.slice(i, i + 8).reduce((v, b) => v * 2 + b, 0));
  bytes[1] = 128;
  return bytes;
}

/** Three bytes after the head of a slice of the second view. Annex H 7.3.1.1: no interleaving, view 1. */
function sliceHead(unit: Uint8Array): number[] {
  const head = unit[0] ?? 0;
  const idr = (head & 31) === 5;
  const flags = ((idr ? 0 : 1) << 22) | (0 << 16) | (1 << 6) | (0 << 3) | ((idr ? 1 : 0) << 2) | (0 << 1) | 1;
  return [(head & 0xe0) | 20, (flags >> 16) & 0x7f, (flags >> 8) & 0xff, flags & 0xff, ...unit.subarray(1)];
}

export function toSecondView(pes: AuthoredPes): AuthoredPes {
  const out: number[] = [];
  for (const unit of unitsOf(pes.data)) {
    const type = (unit[0] ?? 0) & 31;
    if (type === 6) continue;
    const changed = type === 9 ? [0x18] : type === 7 ? subsetSequence(unit) : type === 1 || type === 5 ? sliceHead(unit) : [...unit];
    out.push(0, 0, 0, 1, ...changed);
  }
  return { ...pes, data: Uint8Array.from(out) };
}

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
