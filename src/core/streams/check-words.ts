/** Checks that audio streams carry of themselves: what can be known of a frame without decoding it. */

type Crc16 = readonly [one: Uint16Array, two: Uint16Array];
/** x^16 + x^15 + x^2 + 1. ATSC A/52 6.1.7. */
const CRC16 = makeCrc16(0x8005);
/** x^16 + x^5 + x^3 + x^2 + 1. Dolby TrueHD high-level bitstream description, major sync info. */
const SYNC_CRC16 = makeCrc16(0x002d);

/** Tables of a CRC of 16 bits, high bit first, for two bytes a step. */
function makeCrc16(polynomial: number): Crc16 {
  const one = new Uint16Array(256);
  for (let byte = 0; byte < 256; byte++) {
    let crc = byte << 8;
    for (let bit = 0; bit < 8; bit++) crc = (crc & 0x8000) !== 0 ? ((crc << 1) ^ polynomial) & 0xffff : (crc << 1) & 0xffff;
    one[byte] = crc;
  }
  const two = one.map((crc) => ((crc << 8) & 0xffff) ^ (one[crc >> 8] as number));
  return [one, two];
}

/** Zero for bytes that end with their own check word. */
function crc16(data: Uint8Array, from: number, to: number, [one, two]: Crc16 = CRC16): number {
  let crc = 0;
  let p = from;
  for (; p + 1 < to; p += 2)
    crc = (two[(crc >> 8) ^ (data[p] as number)] as number) ^ (one[(crc & 0xff) ^ (data[p + 1] as number)] as number);
  if (p < to) crc = ((crc << 8) & 0xffff) ^ (one[(crc >> 8) ^ (data[p] as number)] as number);
  return crc;
}

/** An AC-3 frame agrees with its check word over everything behind the sync word. ATSC A/52 7.10.1 (crc2). */
export const ac3IsSound = (data: Uint8Array, at: number, bytes: number): boolean => crc16(data, at + 2, at + bytes) === 0;

/** The same of every frame of an E-AC-3 access unit. ETSI TS 102 366 E.2.2. */
export function eac3IsSound(data: Uint8Array, at: number, bytes: number): boolean {
  const end = at + bytes;
  for (let p = at; p < end;) {
    if (p + 6 > end || data[p] !== 0x0b || data[p + 1] !== 0x77) return false;
    const plain = (data[p + 5] as number) >> 3 <= 10;
    const length = plain ? end - p : (((((data[p + 2] as number) & 7) << 8) | (data[p + 3] as number)) + 1) * 2;
    if (p + length > end || !ac3IsSound(data, p, length)) return false;
    p += length;
  }
  return true;
}

/** CRC-8 with the polynomial x^8 + x^6 + x^5 + x + 1. Dolby TrueHD high-level bitstream description, sub-stream check words. */
const CRC8 = Uint8Array.from({ length: 256 }, (_, byte) => {
  let crc = byte;
  for (let bit = 0; bit < 8; bit++) crc = (crc & 0x80) !== 0 ? ((crc << 1) ^ 0x63) & 0xff : (crc << 1) & 0xff;
  return crc;
});
const CRC8_START = 0x3c;
const PARITY_SEED = 0xa9;
const SYNC_WORDS = 14;

/** Two bytes at the end of a sub-stream: parity and check sum of all before them. */
function subStreamIsSound(data: Uint8Array, from: number, stop: number): boolean {
  if (stop - from < 4) return true;
  let sum = PARITY_SEED;
  let crc = CRC8_START;
  const last = stop - 3;
  for (let p = from; p < last; p++) {
    const byte = data[p] as number;
    sum ^= byte;
    crc = CRC8[crc ^ byte] as number;
  }
  sum ^= data[last] as number;
  crc ^= data[last] as number;
  return sum === data[stop - 2] && crc === data[stop - 1];
}

/** Major sync info without an extension agrees with the check word at its end. */
function syncIsSound(data: Uint8Array, at: number): boolean {
  if (((data[at + 25] as number) & 1) !== 0) return true;
  const u16 = (p: number) => ((data[p] as number) << 8) | (data[p + 1] as number);
  return (crc16(data, at, at + 24, SYNC_CRC16) ^ u16(at + 24)) === u16(at + 26);
}

/**
 * The head of a TrueHD access unit agrees with its check nibble, and each sub-stream with its check words where it carries them.
 * Dolby TrueHD high-level bitstream description, 4.1 and 4.3. @returns true also where nothing is there to be checked.
 */
export function trueHdIsSound(data: Uint8Array, at: number, bytes: number, subStreams: number): boolean {
  const end = at + bytes;
  const hasSync = bytes >= 8 + 4 && data[at + 4] === 0xf8 && data[at + 5] === 0x72 && data[at + 6] === 0x6f && data[at + 7] === 0xba;
  let p = at + 4;
  if (hasSync) {
    if (at + 4 + 28 > end) return false;
    if (!syncIsSound(data, at + 4)) return false;
    const extended = ((data[at + 4 + 25] as number) & 1) !== 0;
    p += 2 * SYNC_WORDS + (extended ? 2 + 2 * ((data[at + 4 + 26] as number) >> 4) : 0);
  }
  let parity = (data[at] as number) ^ (data[at + 1] as number) ^ (data[at + 2] as number) ^ (data[at + 3] as number);
  const ends: { readonly to: number; readonly checked: boolean }[] = [];
  const directory = p;
  for (let i = 0; i < subStreams; i++) {
    if (p + 2 > end) return false;
    const word = ((data[p] as number) << 8) | (data[p + 1] as number);
    const extra = (word & 0x8000) !== 0;
    ends.push({ to: (word & 0xfff) * 2, checked: (word & 0x2000) !== 0 });
    p += extra ? 4 : 2;
  }
  if (p > end) return false;
  for (let q = directory; q < p; q++) parity ^= data[q] as number;
  if (((parity ^ (parity >> 4)) & 15) !== 15) return false;
  let from = p;
  for (const { to, checked } of ends) {
    const stop = p + to;
    if (stop < from || stop > end) return false;
    if (checked && !subStreamIsSound(data, from, stop)) return false;
    from = stop;
  }
  return true;
}
