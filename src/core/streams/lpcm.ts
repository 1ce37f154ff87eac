/** LPCM on DVD-Video: samples big-endian; at 20 and 24 bit, in groups that keep the low bits apart. */

export interface LpcmLayout {
  readonly bitDepth: 16 | 20 | 24;
  readonly sampleRateHz: 48000 | 96000;
  readonly channels: number;
}

/** Reads the layout out of the head of an LPCM packet. DVD-Video: LPCM_PKT audio frame information. @returns null where it is not allowed. */
export function readLpcmLayout(byte: number): LpcmLayout | null {
  const bitDepth = ([16, 20, 24] as const)[byte >> 6];
  const rate = ([48000, 96000] as const)[(byte >> 4) & 3];
  if (bitDepth === undefined || rate === undefined) return null;
  return { bitDepth, sampleRateHz: rate, channels: (byte & 7) + 1 };
}

/** Bytes of the smallest run that can be re-packed by itself: one or two samples of every channel. */
export const lpcmGroupBytes = (layout: LpcmLayout): number => (layout.channels * samplesPerGroup(layout) * layout.bitDepth) / 8;
/** Bytes that the same samples of every channel take once re-packed (20 bit is kept in 24, low bits zero). */
export const pcmGroupBytes = (layout: LpcmLayout): number => layout.channels * (layout.bitDepth === 16 ? 2 : 2 * 3);
/** Samples of each channel in the smallest run: at 16 bit they stand one after the other, else two share their low bits. */
export const samplesPerGroup = (layout: Pick<LpcmLayout, 'bitDepth'>): 1 | 2 => (layout.bitDepth === 16 ? 1 : 2);

/**
 * Re-packs whole groups to little-endian PCM, without loss.
 * A group holds the high 16 bits of two samples of all channels, then their low 4 or 8 bits in the same order.
 * @param to room for `pcmGroupBytes * groups` bytes.
 */
export function unpackLpcm(layout: LpcmLayout, data: Uint8Array, from: number, groups: number, to: Uint8Array, toAt: number): void {
  const count = layout.channels * samplesPerGroup(layout);
  let p = from;
  let q = toAt;
  for (let g = 0; g < groups; g++) {
    if (layout.bitDepth === 16) {
      for (let i = 0; i < count; i++, p += 2, q += 2) {
        to[q] = data[p + 1] as number;
        to[q + 1] = data[p] as number;
      }
      continue;
    }
    const low = p + count * 2;
    for (let i = 0; i < count; i++, q += 3) {
      to[q] = layout.bitDepth === 24 ? (data[low + i] as number) : nibble(data[low + (i >> 1)] as number, i) << 4;
      to[q + 1] = data[p + i * 2 + 1] as number;
      to[q + 2] = data[p + i * 2] as number;
    }
    p += (count * layout.bitDepth) / 8;
  }
}

const nibble = (byte: number, index: number): number => (index & 1 ? byte & 15 : byte >> 4);

/** The reverse of `unpackLpcm`: what the proof uses to show that the disc's own bytes can be had back. */
export function packLpcm(layout: LpcmLayout, data: Uint8Array, from: number, groups: number, to: Uint8Array, toAt: number): void {
  const count = layout.channels * samplesPerGroup(layout);
  let p = from;
  let q = toAt;
  for (let g = 0; g < groups; g++) {
    if (layout.bitDepth === 16) {
      for (let i = 0; i < count; i++, p += 2, q += 2) {
        to[q] = data[p + 1] as number;
        to[q + 1] = data[p] as number;
      }
      continue;
    }
    const low = q + count * 2;
    for (let i = 0; i < count; i++, p += 3) {
      to[q + i * 2] = data[p + 2] as number;
      to[q + i * 2 + 1] = data[p + 1] as number;
      if (layout.bitDepth === 24) to[low + i] = data[p] as number;
      else if (i & 1) to[low + (i >> 1)] = (to[low + (i >> 1)] as number) | ((data[p] as number) >> 4);
      else to[low + (i >> 1)] = (data[p] as number) & 0xf0;
    }
    q += (count * layout.bitDepth) / 8;
  }
}
