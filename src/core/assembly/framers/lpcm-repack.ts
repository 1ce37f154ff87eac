import {
  hdmvGroupBytes,
  hdmvPcmBytes,
  lpcmGroupBytes,
  packHdmvLpcm,
  packLpcm,
  pcmGroupBytes,
  unpackHdmvLpcm,
  unpackLpcm,
  type HdmvLpcmLayout,
  type LpcmLayout,
} from '../../streams';
import type { FrameRoom } from './framer';

/** Layout of an LPCM track and how the disc packs it. */
export interface LpcmPacking {
  readonly bitDepth: 16 | 20 | 24;
  readonly channels: number;
  readonly sampleRateHz: 48000 | 96000 | 192000;
  /** channel_assignment on Blu-ray; null for the packing of DVD. */
  readonly assignment: number | null;
}

const onBluray = (packing: LpcmPacking): packing is HdmvLpcmLayout => packing.assignment !== null;

/** Bytes of the smallest run on the disc, and of the same run in the container. */
const groupBytes = (packing: LpcmPacking) =>
  onBluray(packing)
    ? { disc: hdmvGroupBytes(packing), file: hdmvPcmBytes(packing) }
    : { disc: lpcmGroupBytes(packing as LpcmLayout), file: pcmGroupBytes(packing as LpcmLayout) };

/** Re-packs a run of LPCM for the container. The result stands in the room. */
export function transformLpcm(packing: LpcmPacking, bytes: Uint8Array, room: FrameRoom): Uint8Array {
  const { disc, file } = groupBytes(packing);
  const groups = Math.floor(bytes.byteLength / disc);
  const to = room.place(groups * file);
  if (onBluray(packing)) unpackHdmvLpcm(packing, bytes, 0, groups, to, 0);
  else unpackLpcm(packing as LpcmLayout, bytes, 0, groups, to, 0);
  return to.subarray(0, groups * file);
}

/** Turns a re-packed run back to the disc's packing: what the proof compares. @param to room, made larger where needed. */
export function restoreLpcm(packing: LpcmPacking, data: Uint8Array, to: { bytes: Uint8Array }): Uint8Array {
  const { disc, file } = groupBytes(packing);
  const groups = Math.floor(data.byteLength / file);
  if (to.bytes.byteLength < groups * disc) to.bytes = new Uint8Array(groups * disc);
  if (onBluray(packing)) packHdmvLpcm(packing, data, 0, groups, to.bytes, 0);
  else packLpcm(packing as LpcmLayout, data, 0, groups, to.bytes, 0);
  return to.bytes.subarray(0, groups * disc);
}
