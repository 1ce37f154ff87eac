import { equalBytes } from '../../bytes';
import {
  H264,
  HEVC,
  VC1,
  avcConfiguration,
  hevcConfiguration,
  hevcType,
  readH264Sequence,
  readH264Slice,
  readHdr10,
  readHevcSequence,
  readVc1Frame,
  readVc1Sequence,
  type H264Sequence,
  type Hdr10,
  type PictureFormat,
} from '../../streams';

/** What one access unit is, as far as order, cuts and flags need it. */
export interface UnitFacts {
  /** Decoding can begin here. */
  key: boolean;
  /** Pictures after it never need any before it. */
  closed: boolean;
  /** Nothing else is predicted from it. */
  discardable: boolean;
  /** Shown before a picture that decoding began with, and predicted from what was before that. */
  skippedAfterKey: boolean;
  /** 0 for a frame, 1 top and 2 bottom for a lone field. */
  field: 0 | 1 | 2;
  frameNumber: number;
  /** Coded pictures in it: two where both fields stand in one unit. */
  pictures: number;
  interlaced: boolean;
  topFirst: boolean;
}

const unknownUnit = (): UnitFacts => ({
  key: false,
  closed: false,
  discardable: false,
  skippedAfterKey: false,
  field: 0,
  frameNumber: -1,
  pictures: 0,
  interlaced: false,
  topFirst: true,
});

/** Looks at the units of a stream one by one. */
export interface UnitCodec {
  /** The container wants lengths instead of start codes (ISO/IEC 14496-15). */
  readonly lengthPrefixed: boolean;
  readonly format: PictureFormat | null;
  readonly hdr10: Hdr10 | null;
  /** Width and height by the last sequence set; the container's is that of the first. Null before one, and where units do not say. */
  readonly size: readonly [number, number] | null;
  begin(): UnitFacts;
  /** @param unit from the byte after its start code. @returns false once nothing more is to be learned of this access unit. */
  see(unit: Uint8Array, facts: UnitFacts): boolean;
  /** What the container says before the first picture; null before it can be known. */
  configuration(): Uint8Array | null;
}

const MOST_SETS = 16;

/** Parameter sets by number, the first of each kept: what a decoder is told before the stream; the stream itself keeps all. */
class Sets {
  private readonly list: Uint8Array[] = [];
  add(set: Uint8Array): void {
    if (this.list.length < MOST_SETS && !this.list.some((s) => equalBytes(s, set))) this.list.push(set.slice());
  }
  /** Sets of different content may carry the same number: the first counts. @param headBytes of the unit before its number. */
  distinct(numberOf: (set: Uint8Array) => number): Uint8Array[] {
    return this.list.filter((set, i) => this.list.findIndex((s) => numberOf(s) === numberOf(set)) === i);
  }
}

const leadingNumber = (set: Uint8Array, at: number) => {
  const first = set[at] ?? 0;
  return first >= 0x80 ? 0 : first >= 0x40 ? (first & 0x20 ? 2 : 1) : first;
};

export class H264Codec implements UnitCodec {
  readonly lengthPrefixed = true;
  readonly hdr10 = null;
  private sequence: H264Sequence | null = null;
  private readonly sequences = new Sets();
  private readonly pictures = new Sets();
  private readonly subsets = new Sets();
  private hasSequence = false;
  size: readonly [number, number] | null = null;

  get format(): PictureFormat | null {
    return this.sequence;
  }

  begin(): UnitFacts {
    this.hasSequence = false;
    return unknownUnit();
  }

  see(unit: Uint8Array, facts: UnitFacts): boolean {
    const head = unit[0] ?? 0;
    const type = head & 31;
    if (type === H264.sequence) {
      const parsed = readH264Sequence(unit);
      if (parsed) {
        this.sequence ??= parsed;
        this.size = [parsed.widthPixels, parsed.heightPixels];
        this.sequence = { ...this.sequence, frameNumberBits: parsed.frameNumberBits, framesOnly: parsed.framesOnly };
        this.sequences.add(unit);
        this.hasSequence = true;
      }
    } else if (type === H264.picture) this.pictures.add(unit);
    else if (type === H264.subsetSequence) this.subsets.add(unit);
    else if (type === H264.slice || type === H264.idr) {
      const opensPicture = ((unit[1] ?? 0) & 0x80) !== 0; // first_mb_in_slice is 0
      if (!opensPicture && facts.pictures > 0) return true;
      facts.pictures++;
      if (facts.pictures > 1) return true;
      const slice = readH264Slice(unit, this.sequence);
      facts.field = slice.field;
      facts.frameNumber = slice.frameNumber;
      facts.interlaced = this.sequence !== null && !this.sequence.framesOnly;
      facts.topFirst = slice.field !== 2;
      facts.closed = type === H264.idr;
      facts.key = type === H264.idr || (slice.intra && this.hasSequence);
      facts.discardable = (head & 0x60) === 0;
      return this.sequence === null || !this.sequence.framesOnly;
    }
    return true;
  }

  configuration(): Uint8Array | null {
    const sequences = this.sequences.distinct((s) => leadingNumber(s, 4));
    return sequences.length === 0
      ? null
      : avcConfiguration(
          sequences,
          this.pictures.distinct((s) => leadingNumber(s, 1)),
        );
  }

  /** The record of the second view (mvcC); null where none was seen. @param dependent the codec that saw that view's units. */
  static secondView(dependent: H264Codec): Uint8Array | null {
    const sequences = dependent.subsets.distinct((s) => leadingNumber(s, 4));
    return sequences.length === 0
      ? null
      : avcConfiguration(
          sequences,
          dependent.pictures.distinct((s) => leadingNumber(s, 1)),
        );
  }
}

export class HevcCodec implements UnitCodec {
  readonly lengthPrefixed = true;
  format: PictureFormat | null = null;
  hdr10: Hdr10 | null = null;
  size: readonly [number, number] | null = null;
  private readonly sets = { video: new Sets(), sequence: new Sets(), picture: new Sets() };
  private messages: Uint8Array[] = [];
  private looked = 0;

  begin(): UnitFacts {
    this.messages = [];
    return unknownUnit();
  }

  see(unit: Uint8Array, facts: UnitFacts): boolean {
    const type = hevcType(unit);
    if (type === HEVC.video) this.sets.video.add(unit);
    else if (type === HEVC.sequence) {
      const parsed = readHevcSequence(unit);
      this.format ??= parsed;
      if (parsed) this.size = [parsed.widthPixels, parsed.heightPixels];
      this.sets.sequence.add(unit);
    } else if (type === HEVC.picture) this.sets.picture.add(unit);
    else if (type === HEVC.prefixSei) {
      if (this.hdr10 === null && this.messages.length < MOST_SETS) this.messages.push(unit.slice());
    } else if (type < HEVC.video) {
      // Mastering display and light levels may stand in units of their own: all of a picture are looked at together.
      if (this.messages.length > 0 && this.looked++ < MOST_SETS) this.hdr10 = readHdr10(this.messages);
      this.messages = [];
      facts.pictures = 1;
      facts.key = type >= HEVC.firstRandomAccess && type <= HEVC.lastRandomAccess;
      facts.closed = type === 19 || type === 20; // IDR; after others leading pictures may need what was before
      facts.skippedAfterKey = type === 8 || type === 9; // RASL
      facts.discardable = type < 16 && type % 2 === 0;
      return false;
    }
    return true;
  }

  configuration(): Uint8Array | null {
    const by = (sets: Sets) => sets.distinct((s) => leadingNumber(s, 2));
    const sequences = this.sets.sequence.distinct(() => 0);
    return sequences.length === 0
      ? null
      : hevcConfiguration(
          this.sets.video.distinct(() => 0),
          sequences,
          by(this.sets.picture),
        );
  }
}

/** VC-1 keeps its start codes in the container; its headers before the first frame are the configuration. */
export class Vc1Codec implements UnitCodec {
  readonly lengthPrefixed = false;
  readonly hdr10 = null;
  readonly size = null;
  format: (PictureFormat & { readonly interlaced: boolean }) | null = null;
  private sequence: Uint8Array | null = null;
  private entryPoint: Uint8Array | null = null;
  private hasEntry = false;

  begin(): UnitFacts {
    this.hasEntry = false;
    return unknownUnit();
  }

  see(unit: Uint8Array, facts: UnitFacts): boolean {
    const code = unit[0] ?? 0;
    if (code === VC1.sequence) {
      this.format ??= readVc1Sequence(unit.subarray(1));
      this.sequence ??= unit.slice();
    } else if (code === VC1.entryPoint) {
      this.entryPoint ??= unit.slice();
      this.hasEntry = true;
    } else if (code === VC1.frame) {
      const frame = readVc1Frame(unit.subarray(1), this.format?.interlaced ?? false);
      facts.pictures = 1;
      facts.key = frame.intra && this.hasEntry;
      facts.discardable = frame.bidirectional;
      facts.interlaced = this.format?.interlaced ?? false;
      return false;
    }
    return true;
  }

  /** BITMAPINFOHEADER and the two headers (RFC 9559 registry: V_MS/VFW/FOURCC; Microsoft's for "WVC1"). */
  configuration(): Uint8Array | null {
    if (!this.sequence || !this.entryPoint || !this.format) return null;
    const headers = [this.sequence, this.entryPoint];
    const extra = 1 + headers.reduce((sum, h) => sum + 3 + h.byteLength, 0);
    const record = new Uint8Array(40 + extra);
    const view = new DataView(record.buffer);
    view.setUint32(0, 40 + extra, true);
    view.setInt32(4, this.format.widthPixels, true);
    view.setInt32(8, this.format.heightPixels, true);
    view.setUint16(12, 1, true);
    view.setUint16(14, 24, true);
    record.set(new TextEncoder().encode('WVC1'), 16);
    let at = 41; // a byte of binding flags stands before the headers
    for (const header of headers) {
      record.set([0, 0, 1], at);
      record.set(header, at + 3);
      at += 3 + header.byteLength;
    }
    return record;
  }
}
