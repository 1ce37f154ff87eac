import { concatBytes } from '../bytes';
import { BitWriter } from './bit-writer';
import { UnitBuffer } from './escaping';

/** How a coded picture says that it holds what both eyes see: frame packing arrangement, ITU-T H.264 D.1.26 and H.265 D.2.16. */
export interface FramePacking {
  /** Next to each other, or one below the other: frame_packing_arrangement_type 3 and 4. */
  readonly packing: 'beside' | 'below';
  readonly first: 'left' | 'right';
}

type PackedCodec = 'H.264' | 'HEVC';

const PAYLOAD_TYPE = 45;
/** Nothing is said of where one eye's samples lie between the other's. */
const GRID_POSITIONS_BITS = 16;

function payload({ packing, first }: FramePacking, codec: PackedCodec): Uint8Array {
  const w = new BitWriter();
  w.ue(0); // frame_packing_arrangement_id
  w.flag(false); // not cancelled
  w.write(7, packing === 'beside' ? 3 : 4);
  w.flag(false); // not quincunx
  w.write(6, first === 'left' ? 1 : 2); // content_interpretation_type: frame 0 is the left, or the right view
  w.flag(false); // nothing flipped
  w.flag(false);
  w.flag(false); // no field views
  w.flag(false); // current_frame_is_frame0_flag: of views in turn only
  w.flag(false); // neither half is decoded by itself
  w.flag(false);
  w.write(GRID_POSITIONS_BITS, 0);
  w.write(8, 0); // reserved
  // For this picture and all after it in the sequence: a period of 1 in H.264, a flag in H.265.
  if (codec === 'H.264') w.ue(1);
  else w.flag(true);
  w.flag(false); // extension; in H.265 upsampled_aspect_ratio_flag: one eye is shaped like the whole
  // A payload that does not end with a byte is filled with a one and zeros: 7.3.2.3.1.
  if (w.length & 7) w.trailing();
  return w.bytes().slice();
}

/** The SEI unit that says it, escaped, behind its length as containers hold it. H.264 7.3.1 and 7.3.2.3, H.265 7.3.1.2 and 7.3.2.4. */
function framePackingUnit(how: FramePacking, codec: PackedCodec): Uint8Array {
  const message = payload(how, codec);
  // nal_unit_type 6; or 39, a prefix, of layer 0 and temporal id 1.
  const head = codec === 'H.264' ? [6] : [39 << 1, 1];
  const unit = new UnitBuffer();
  const at = unit.begin();
  unit.escape(Uint8Array.from([...head, PAYLOAD_TYPE, message.byteLength, ...message, 0x80]));
  unit.end(at);
  return unit.view().slice();
}

const isPicture = (head: number, codec: PackedCodec): boolean =>
  codec === 'H.264' ? (head & 31) >= 1 && (head & 31) <= 5 : ((head >> 1) & 63) < 32;

/**
 * Says of access units, behind lengths of four bytes as containers hold them, that their picture holds what both eyes see: by a unit before
 * the first slice. One without a slice stays as it is.
 */
export function withFramePacking(how: FramePacking, codec: PackedCodec): (frame: Uint8Array) => Uint8Array {
  const unit = framePackingUnit(how, codec);
  return (frame) => {
    const view = new DataView(frame.buffer, frame.byteOffset, frame.byteLength);
    for (let at = 0; at + 4 < frame.byteLength; at += 4 + view.getUint32(at))
      if (isPicture(frame[at + 4] as number, codec)) return concatBytes([frame.subarray(0, at), unit, frame.subarray(at)]);
    return frame;
  };
}
