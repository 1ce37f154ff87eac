/** Linear PCM of Blu-ray: each PES packet begins with four bytes that say its layout. Spec: BD-ROM part 3, HDMV LPCM. */

export interface HdmvLpcmLayout {
  readonly bitDepth: 16 | 20 | 24;
  readonly channels: number;
  readonly sampleRateHz: 48000 | 96000 | 192000;
  /** channel_assignment: which channels, in the disc's order. */
  readonly assignment: number;
}

export const HDMV_LPCM_HEAD_BYTES = 4;
const CHANNELS = [0, 1, 0, 2, 3, 3, 4, 4, 5, 6, 7, 8] as const;
const DEPTHS = [null, 16, 20, 24] as const;
const RATES: Readonly<Record<number, 48000 | 96000 | 192000>> = { 1: 48000, 4: 96000, 5: 192000 };

/** @param at first of the four bytes. @returns null where the layout is none that the standard knows. */
export function readHdmvLpcm(data: Uint8Array, at: number): HdmvLpcmLayout | null {
  const assignment = (data[at + 2] ?? 0) >> 4;
  const channels = CHANNELS[assignment] ?? 0;
  const sampleRateHz = RATES[(data[at + 2] ?? 0) & 15];
  const bitDepth = DEPTHS[(data[at + 3] ?? 0) >> 6];
  if (!channels || !sampleRateHz || !bitDepth) return null;
  return { bitDepth, channels, sampleRateHz, assignment };
}

export const hdmvLpcmLayoutName = (layout: Pick<HdmvLpcmLayout, 'assignment' | 'channels'>): string =>
  ['', 'mono', '', 'stereo', '3.0', '3.0', '4.0', '4.0', '5.0', '5.1', '7.0', '7.1'][layout.assignment] ?? `${layout.channels} channels`;

/**
 * Where each channel of the disc stands in the container's order (front, centre, low, back, side), by channel_assignment.
 * On the disc the low-frequency channel comes last, and the sides stand before and after the back.
 */
const ORDER: Readonly<Record<number, readonly number[]>> = {
  9: [0, 1, 2, 4, 5, 3],
  10: [0, 1, 2, 5, 3, 4, 6],
  11: [0, 1, 2, 6, 4, 5, 7, 3],
};

const sampleBytes = (layout: HdmvLpcmLayout) => (layout.bitDepth === 16 ? 2 : 3);
/** Bytes of one sample of all channels on the disc: an odd channel is filled up to a pair. */
export const hdmvGroupBytes = (layout: HdmvLpcmLayout): number => (layout.channels + (layout.channels & 1)) * sampleBytes(layout);
/** Bytes of the same in the container. */
export const hdmvPcmBytes = (layout: HdmvLpcmLayout): number => layout.channels * sampleBytes(layout);

/** Re-packs to little-endian PCM in the container's order of channels, without loss. */
export function unpackHdmvLpcm(layout: HdmvLpcmLayout, data: Uint8Array, from: number, groups: number, to: Uint8Array, toAt: number): void {
  const bytes = sampleBytes(layout);
  const order = ORDER[layout.assignment];
  const step = hdmvGroupBytes(layout);
  const out = hdmvPcmBytes(layout);
  for (let g = 0; g < groups; g++) {
    for (let c = 0; c < layout.channels; c++) {
      const p = from + g * step + c * bytes;
      const q = toAt + g * out + (order ? (order[c] as number) : c) * bytes;
      for (let i = 0; i < bytes; i++) to[q + i] = data[p + bytes - 1 - i] as number;
    }
  }
}

/** The reverse: what the proof uses to show that the disc's own bytes can be had back. The filling of an odd channel is zero. */
export function packHdmvLpcm(layout: HdmvLpcmLayout, data: Uint8Array, from: number, groups: number, to: Uint8Array, toAt: number): void {
  const bytes = sampleBytes(layout);
  const order = ORDER[layout.assignment];
  const step = hdmvGroupBytes(layout);
  const out = hdmvPcmBytes(layout);
  to.fill(0, toAt, toAt + groups * step);
  for (let g = 0; g < groups; g++) {
    for (let c = 0; c < layout.channels; c++) {
      const p = toAt + g * step + c * bytes;
      const q = from + g * out + (order ? (order[c] as number) : c) * bytes;
      for (let i = 0; i < bytes; i++) to[p + bytes - 1 - i] = data[q + i] as number;
    }
  }
}
