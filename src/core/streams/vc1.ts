import { BitReader } from '../bytes';
import { unescaped, type PictureFormat } from './nal';

/** Start code suffixes of the advanced profile. SMPTE ST 421 annex E. */
export const VC1 = { sequence: 0x0f, entryPoint: 0x0e, frame: 0x0d, field: 0x0c } as const;
const ADVANCED = 3;

/** Reads a sequence header of the advanced profile. SMPTE ST 421 6.1. @param unit from the byte after its start code. */
export function readVc1Sequence(unit: Uint8Array): (PictureFormat & { readonly interlaced: boolean }) | null {
  const bits = new BitReader(unescaped(unit));
  const profile = bits.read(2);
  const level = bits.read(3);
  const chroma = bits.read(2);
  bits.skip(3 + 5 + 1); // frame rate and bit rate hints for post-processing
  const widthPixels = (bits.read(12) + 1) * 2;
  const heightPixels = (bits.read(12) + 1) * 2;
  bits.skip(1);
  const interlaced = bits.read(1) === 1;
  if (profile !== ADVANCED || bits.overran) return null;
  return {
    widthPixels,
    heightPixels,
    sampleAspect: [1, 1],
    profile: 'Advanced',
    level: String(level),
    bitDepth: 8,
    chroma,
    colour: null,
    framesOnly: !interlaced,
    interlaced,
  };
}

/** Kind of picture from a frame header. SMPTE ST 421 7.1.1: PTYPE, after FCM where the sequence is interlaced. */
export function readVc1Frame(
  unit: Uint8Array,
  interlaced: boolean,
): { readonly intra: boolean; readonly bidirectional: boolean; readonly fields: boolean } {
  const bits = new BitReader(unit);
  const fieldPair = interlaced && bits.read(1) === 1 && bits.read(1) === 1;
  if (fieldPair) {
    const kind = bits.read(3); // table 105: both fields' kinds at once
    return { intra: kind === 0, bidirectional: kind >= 4, fields: true };
  }
  let ones = 0;
  while (ones < 4 && bits.read(1) === 1) ones++;
  return { intra: ones === 2, bidirectional: ones === 1 || ones === 3, fields: false };
}
