import { lpcmGroupBytes, pcmGroupBytes, unpackLpcm, type LpcmLayout } from '../streams';

let scratch = new Uint8Array(64 * 1024);

/** Re-packs a run of LPCM for the container. The result is valid until the next call. */
export function transformLpcm(layout: LpcmLayout, bytes: Uint8Array): Uint8Array {
  const groups = Math.floor(bytes.byteLength / lpcmGroupBytes(layout));
  const size = groups * pcmGroupBytes(layout);
  if (scratch.byteLength < size) scratch = new Uint8Array(size * 2);
  unpackLpcm(layout, bytes, 0, groups, scratch, 0);
  return scratch.subarray(0, size);
}
