import { SyntaxReader, readUsabilityHead, unescaped, type PictureFormat } from './nal';

/** NAL unit types. ITU-T H.265 table 7-1. */
export const HEVC = {
  firstRandomAccess: 16,
  lastRandomAccess: 21,
  video: 32,
  sequence: 33,
  picture: 34,
  delimiter: 35,
  prefixSei: 39,
  /** Used by Dolby Vision for its metadata and enhancement layer. */
  dolbyMetadata: 62,
  dolbyLayer: 63,
} as const;

export const hevcType = (nal: Uint8Array): number => ((nal[0] ?? 0) >> 1) & 0x3f;

export interface HevcSequence extends PictureFormat {
  /** general_profile_space to general_level_idc: 12 bytes as hvcC wants them. */
  readonly profileTierLevel: Uint8Array;
  readonly temporalLayers: number;
  readonly temporalNesting: boolean;
}

const PROFILES: Readonly<Record<number, string>> = { 1: 'Main', 2: 'Main 10', 3: 'Main Still', 4: 'Range extensions' };
const MOST_PIXELS = 16384;

/** Profile, tier and level; sub-layers are passed over. ITU-T H.265 7.3.3. */
function readProfileTierLevel(bits: SyntaxReader, subLayers: number): Uint8Array {
  const general = Uint8Array.from({ length: 12 }, () => bits.read(8));
  const flags = Array.from({ length: subLayers }, () => ({ profile: bits.flag(), level: bits.flag() }));
  if (subLayers > 0) bits.skip(2 * (8 - subLayers));
  for (const { profile, level } of flags) bits.skip((profile ? 88 : 0) + (level ? 8 : 0));
  return general;
}

function skipScalingLists(bits: SyntaxReader): void {
  for (let size = 0; size < 4; size++) {
    for (let matrix = 0; matrix < 6; matrix += size === 3 ? 3 : 1) {
      if (!bits.flag()) {
        bits.ue();
        continue;
      }
      if (size > 1) bits.se();
      for (let i = 0; i < Math.min(64, 1 << (4 + (size << 1))); i++) bits.se();
    }
  }
}

/** Short-term reference picture sets: only their lengths matter here. ITU-T H.265 7.3.7. @returns false where they are not believable. */
function skipReferenceSets(bits: SyntaxReader): boolean {
  const count = bits.ue();
  if (count > 64) return false;
  const sizes: number[] = [];
  for (let i = 0; i < count; i++) {
    if (i > 0 && bits.flag()) {
      bits.skip(1);
      bits.ue();
      let size = 0;
      for (let j = 0; j <= (sizes[i - 1] ?? 0); j++) {
        const used = bits.flag();
        if (used || bits.flag()) size++;
      }
      sizes.push(size);
      continue;
    }
    const [negative, positive] = [bits.ue(), bits.ue()];
    if (negative > 16 || positive > 16) return false;
    for (let j = 0; j < negative + positive; j++) {
      bits.ue();
      bits.skip(1);
    }
    sizes.push(negative + positive);
  }
  return true;
}

/** Reads a sequence parameter set. ITU-T H.265 7.3.2.2 and E.2.1. @returns null where it is cut off or not believable. */
export function readHevcSequence(nal: Uint8Array): HevcSequence | null {
  const bits = SyntaxReader.of(nal, 2);
  bits.skip(4);
  const subLayers = bits.read(3);
  const temporalNesting = bits.flag();
  const profileTierLevel = readProfileTierLevel(bits, subLayers);
  bits.ue();
  const chroma = bits.ue();
  if (chroma === 3) bits.skip(1);
  let widthPixels = bits.ue();
  let heightPixels = bits.ue();
  if (bits.flag()) {
    const [left, right, top, bottom] = [bits.ue(), bits.ue(), bits.ue(), bits.ue()];
    widthPixels -= (chroma === 1 || chroma === 2 ? 2 : 1) * (left + right);
    heightPixels -= (chroma === 1 ? 2 : 1) * (top + bottom);
  }
  const bitDepth = 8 + bits.ue();
  bits.ue();
  const orderBits = bits.ue() + 4;
  const perLayer = bits.flag();
  for (let i = perLayer ? 0 : subLayers; i <= subLayers; i++) for (let j = 0; j < 3; j++) bits.ue();
  for (let j = 0; j < 6; j++) bits.ue();
  if (bits.flag() && bits.flag()) skipScalingLists(bits);
  bits.skip(2);
  if (bits.flag()) {
    bits.skip(8);
    bits.ue();
    bits.ue();
    bits.skip(1);
  }
  const head = readProfile(profileTierLevel);
  const believable =
    widthPixels > 0 && heightPixels > 0 && widthPixels <= MOST_PIXELS && heightPixels <= MOST_PIXELS && chroma <= 3 && bitDepth <= 16;
  if (bits.overran || !believable) return null;
  let usability: ReturnType<typeof readUsabilityHead> = { sampleAspect: [1, 1], colour: null };
  if (skipReferenceSets(bits)) {
    if (bits.flag()) {
      const longTerm = Math.min(32, bits.ue());
      for (let i = 0; i < longTerm; i++) bits.skip(orderBits + 1);
    }
    bits.skip(2);
    if (bits.flag() && !bits.overran) usability = readUsabilityHead(bits);
  }
  return {
    widthPixels,
    heightPixels,
    sampleAspect: usability.sampleAspect,
    ...head,
    bitDepth,
    chroma,
    colour: usability.colour,
    framesOnly: true,
    profileTierLevel,
    temporalLayers: subLayers + 1,
    temporalNesting,
  };
}

function readProfile(general: Uint8Array): { profile: string; level: string } {
  const code = (general[0] ?? 0) & 31;
  const level = (general[11] ?? 0) / 30;
  return { profile: PROFILES[code] ?? `profile ${code}`, level: level.toFixed(1) };
}

/** Mastering display and light levels of HDR10. Primaries and white in 1/50,000, luminance in 1/10,000 cd/m². */
export interface Hdr10 {
  /** Green, blue, red, white: x and y. */
  readonly primaries: readonly number[];
  readonly maxLuminance: number;
  readonly minLuminance: number;
  /** cd/m²; 0 where the stream does not say. */
  readonly maxContentLight: number;
  readonly maxFrameAverageLight: number;
}

const MASTERING_DISPLAY = 137;
const CONTENT_LIGHT = 144;

/** HDR10 metadata out of the prefix SEI units of one picture. ITU-T H.265 D.2.28 and D.2.35. @returns null where there is none. */
export function readHdr10(units: readonly Uint8Array[]): Hdr10 | null {
  let mastering: Pick<Hdr10, 'primaries' | 'maxLuminance' | 'minLuminance'> | null = null;
  let light = { maxContentLight: 0, maxFrameAverageLight: 0 };
  for (const unit of units) {
    const data = unescaped(unit.subarray(2));
    const view = new DataView(data.buffer, data.byteOffset, data.byteLength);
    for (let at = 0; at + 2 < data.byteLength;) {
      let type = 0;
      let size = 0;
      while (data[at] === 255) type += data[at++] as number;
      type += data[at++] ?? 0;
      while (data[at] === 255) size += data[at++] as number;
      size += data[at++] ?? 0;
      if (at + size > data.byteLength) break;
      if (type === MASTERING_DISPLAY && size >= 24) {
        mastering = {
          primaries: Array.from({ length: 8 }, (_, i) => view.getUint16(at + 2 * i)),
          maxLuminance: view.getUint32(at + 16),
          minLuminance: view.getUint32(at + 20),
        };
      } else if (type === CONTENT_LIGHT && size >= 4) {
        light = { maxContentLight: view.getUint16(at), maxFrameAverageLight: view.getUint16(at + 2) };
      }
      at += size;
    }
  }
  return mastering ? { ...mastering, ...light } : null;
}

/** HEVCDecoderConfigurationRecord. ISO/IEC 14496-15 8.3.3.1.2; lengths of four bytes. Sets also stay in the stream. */
export function hevcConfiguration(
  video: readonly Uint8Array[],
  sequences: readonly Uint8Array[],
  pictures: readonly Uint8Array[],
): Uint8Array {
  const parsed = sequences[0] ? readHevcSequence(sequences[0]) : null;
  const arrays = [
    [HEVC.video, video],
    [HEVC.sequence, sequences],
    [HEVC.picture, pictures],
  ] as const;
  const used = arrays.filter(([, sets]) => sets.length > 0);
  const bytes = used.reduce((sum, [, sets]) => sum + 3 + sets.reduce((s, u) => s + 2 + u.byteLength, 0), 0);
  const record = new Uint8Array(23 + bytes);
  record[0] = 1;
  if (parsed) record.set(parsed.profileTierLevel, 1);
  record.set(
    [0xf0, 0, 0xfc, 0xfc | (parsed?.chroma ?? 1), 0xf8 | ((parsed?.bitDepth ?? 8) - 8), 0xf8 | ((parsed?.bitDepth ?? 8) - 8), 0, 0],
    13,
  );
  record[21] = ((parsed?.temporalLayers ?? 1) << 3) | (parsed?.temporalNesting ? 4 : 0) | 3;
  record[22] = used.length;
  let at = 23;
  for (const [type, sets] of used) {
    record.set([type, sets.length >> 8, sets.length & 0xff], at); // not complete: other sets may stand in the stream
    at += 3;
    for (const set of sets) {
      record.set([set.byteLength >> 8, set.byteLength & 0xff], at);
      record.set(set, at + 2);
      at += 2 + set.byteLength;
    }
  }
  return record;
}
