import type { HeldPacket } from '../packet';
import { eachUnit, type CompanionUnits } from './companion-units';
import type { EsBuffer } from './es-buffer';
import type { FrameRoom } from './framer';

/** Room for units behind their lengths: each start code of three bytes becomes a length of four, in the worst case of tiny units. */
const prefixedBytes = (length: number): number => Math.ceil((length * 4) / 3) + 8;

/** Writes units with lengths of four bytes. @returns where it ends. */
function putPrefixed(es: EsBuffer, position: number, length: number, bytes: Uint8Array, from: number): number {
  let at = from;
  eachUnit(es, position, position + length, (unit) => {
    const size = unit.byteLength;
    bytes[at] = size >>> 24;
    bytes[at + 1] = (size >>> 16) & 0xff;
    bytes[at + 2] = (size >>> 8) & 0xff;
    bytes[at + 3] = size & 0xff;
    bytes.set(unit, at + 4);
    at += 4 + size;
    return true;
  });
  return at;
}

/**
 * A frame as the container holds it: each unit behind its length (ISO/IEC 14496-15 5.3.4.2.1), the second view's units
 * after the first's. Stands in the room. Units themselves are not changed; only start codes and the zeros before
 * them are not kept.
 */
export function prefixedFrame(
  framer: { readonly es: EsBuffer; readonly companion: CompanionUnits | null },
  { position, length, companion }: Pick<HeldPacket, 'position' | 'length' | 'companion'>,
  room: FrameRoom,
): Uint8Array {
  const bytes = room.place(prefixedBytes(length) + (companion ? prefixedBytes(companion.length) : 0));
  let end = putPrefixed(framer.es, position, length, bytes, 0);
  if (companion && framer.companion) {
    end = putPrefixed(framer.companion.es, companion.position, companion.length, bytes, end);
    framer.companion.es.release(companion.position + companion.length);
    framer.companion.account.takenBytes += companion.length;
  }
  return bytes.subarray(0, end);
}
