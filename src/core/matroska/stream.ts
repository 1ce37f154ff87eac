import { ChunkReader, DiscError, concatBytes, type Where } from '../bytes';
import { ID, MVC_CONFIGURATION, uint } from './ebml';
import { UNKNOWN, children, readHeadOf, textOf, unsigned } from './elements';
import { LACED_VIEWS } from './tracks';

/** A track as its file describes it, in that file's own elements. */
export interface DescribedTrack {
  readonly number: number;
  readonly kind: 'video' | 'audio' | 'subtitle' | 'other';
  readonly codecId: string;
  /** What a player needs to decode it, element by element as it stands: codec data, picture and sound, delays. */
  readonly elements: Uint8Array;
  readonly defaultDurationNs: number | null;
  /** Of those, what the codec itself says; empty where it says nothing. */
  readonly codecPrivate: Uint8Array;
  /** Its picture, as the whole element that describes it; empty where it has none. */
  readonly picture: Uint8Array;
  /** MVCDecoderConfigurationRecord of a second view that stands in its blocks (ISO/IEC 14496-15 7.5.1); null where none is said. */
  readonly secondView: Uint8Array | null;
  /** Whose eye's the first of two views is, where there is a second; the left one's where nothing is said. */
  readonly firstEye: 'left' | 'right' | null;
}

export interface StreamBlock {
  readonly track: number;
  readonly timestampMs: number;
  readonly durationMs: number | null;
  readonly key: boolean;
  readonly discardable: boolean;
  readonly data: Uint8Array;
}

export type StreamPart =
  | { readonly kind: 'tracks'; readonly tracks: readonly DescribedTrack[] }
  /** `additions`: blocks that carry something beside the frame, which is not handed on. */
  | { readonly kind: 'cluster'; readonly blocks: readonly StreamBlock[]; readonly additions: number; readonly endOffset: number };

const MAX_ELEMENT_BYTES = 512 * 1024 * 1024;
const HEAD_BYTES = 12;
/** A frame that is said to last longer is not believed. */
const MAX_FRAME_NS = 1e12;
/** Elements of a track entry that describe the stream; names, flags and languages are the reel's. RFC 9559 5.1.4.1. */
const KEPT = new Set<number>([
  ID.CodecPrivate,
  ID.CodecDelay,
  ID.SeekPreRoll,
  ID.MaxBlockAdditionID,
  ID.BlockAdditionMapping,
  ID.Video,
  ID.Audio,
]);

/** Types of tracks: RFC 9559 5.1.4.1.3. */
const KINDS: Readonly<Record<number, DescribedTrack['kind']>> = { 1: 'video', 2: 'audio', 17: 'subtitle' };

/** @param video the element that describes a picture. */
function firstEyeOf(video: Uint8Array, where: Where): 'left' | 'right' {
  for (const field of children(video, where))
    if (field.id === ID.StereoMode) return unsigned(field.data) === LACED_VIEWS.right ? 'right' : 'left';
  return 'left';
}

/** The configuration of a second view, where a mapping of additions is one. */
function secondViewOf(mapping: Uint8Array, where: Where): Uint8Array | null {
  let isOne = false;
  let data: Uint8Array | null = null;
  for (const field of children(mapping, where)) {
    if (field.id === ID.BlockAddIDType) isOne = unsigned(field.data) === MVC_CONFIGURATION;
    else if (field.id === ID.BlockAddIDExtraData) data = field.data;
  }
  return isOne ? data : null;
}

function describedTrack(entry: Uint8Array, where: Where): DescribedTrack {
  let number = 0;
  let kind: DescribedTrack['kind'] = 'other';
  let picture: Uint8Array = new Uint8Array(0);
  let eye: 'left' | 'right' = 'left';
  let secondView: Uint8Array | null = null;
  let codecId = '';
  let defaultDurationNs: number | null = null;
  const elements: Uint8Array[] = [];
  let codecPrivate: Uint8Array = new Uint8Array(0);
  for (const field of children(entry, where)) {
    if (field.id === ID.TrackNumber) number = unsigned(field.data);
    else if (field.id === ID.TrackType) kind = KINDS[unsigned(field.data)] ?? 'other';
    else if (field.id === ID.Video) [picture, eye] = [field.whole, firstEyeOf(field.data, where)];
    else if (field.id === ID.BlockAdditionMapping) secondView ??= secondViewOf(field.data, where);
    else if (field.id === ID.CodecID) codecId = textOf(field.data);
    else if (field.id === ID.DefaultDuration) {
      const ns = unsigned(field.data);
      if (ns > 0 && ns < MAX_FRAME_NS) defaultDurationNs = ns;
    } else if (field.id === ID.ContentEncodings)
      throw new DiscError('unsupported', where, 'Frames are packed or encrypted by the container itself');
    if (field.id === ID.CodecPrivate) codecPrivate = field.data;
    if (KEPT.has(field.id)) elements.push(field.whole);
  }
  if (defaultDurationNs) elements.push(uint(ID.DefaultDuration, defaultDurationNs));
  const firstEye = secondView && eye;
  return { number, kind, codecId, elements: concatBytes(elements), defaultDurationNs, codecPrivate, picture, secondView, firstEye };
}

interface BlockPlace {
  readonly clusterTime: number;
  readonly msPerUnit: number;
}

function blockOf(data: Uint8Array, place: BlockPlace, where: Where): Omit<StreamBlock, 'durationMs'> & { readonly flags: number } {
  const first = data[0] ?? 0;
  if (data.byteLength < 4 || first < 0x80) throw new DiscError('bad-structure', where, 'A block has no head that can be read');
  const flags = data[3] as number;
  if (flags & 0x06) throw new DiscError('unsupported', where, 'Several frames stand in one block');
  const relative = new DataView(data.buffer, data.byteOffset + 1, 2).getInt16(0);
  return {
    track: first & 0x7f,
    timestampMs: (place.clusterTime + relative) * place.msPerUnit,
    key: (flags & 0x80) !== 0,
    discardable: (flags & 0x01) !== 0,
    data: data.subarray(4),
    flags,
  };
}

function clusterPart(data: Uint8Array, msPerUnit: number, where: Where, endOffset: number): StreamPart {
  const blocks: StreamBlock[] = [];
  let additions = 0;
  let clusterTime = 0;
  for (const child of children(data, where)) {
    if (child.id === ID.Timestamp) clusterTime = unsigned(child.data);
    else if (child.id === ID.SimpleBlock) blocks.push({ ...blockOf(child.data, { clusterTime, msPerUnit }, where), durationMs: null });
    else if (child.id === ID.BlockGroup) {
      let durationMs: number | null = null;
      let block: Omit<StreamBlock, 'durationMs'> | null = null;
      let refers = false;
      for (const inner of children(child.data, where)) {
        if (inner.id === ID.Block) block = blockOf(inner.data, { clusterTime, msPerUnit }, where);
        else if (inner.id === ID.BlockDuration) durationMs = unsigned(inner.data) * msPerUnit;
        else if (inner.id === ID.ReferenceBlock) refers = true;
        else if (inner.id === ID.BlockAdditions) additions++;
      }
      if (block) blocks.push({ ...block, durationMs, key: !refers });
    }
  }
  return { kind: 'cluster', blocks, additions, endOffset };
}

/**
 * Reads Matroska as it comes, without going back: what another program writes into a pipe. One cluster is held at a time.
 * Blocks are valid until the next part is asked for.
 * @throws DiscError `bad-signature`, `bad-structure`, `ended-early`, `out-of-range`, `unsupported`.
 */
export async function* readMatroskaStream(chunks: AsyncIterable<Uint8Array>, name: string): AsyncGenerator<StreamPart, void> {
  const reader = new ChunkReader(name, chunks);
  const at = (): Where => ({ source: name, byteOffset: reader.offset, structure: 'Matroska' });
  const head = async () => {
    const bytes = await reader.peek(HEAD_BYTES);
    if (bytes.byteLength === 0) return null;
    const element = readHeadOf(bytes, 0);
    if (!element) throw new DiscError('bad-structure', at(), 'No element starts here');
    await reader.take(element.headBytes);
    return element;
  };
  try {
    const header = await head();
    if (header?.id !== ID.EBML || header.size > 4096) throw new DiscError('bad-signature', at(), 'The stream does not start like Matroska');
    await reader.take(header.size);
    const segment = await head();
    if (segment?.id !== ID.Segment) throw new DiscError('bad-signature', at(), 'There is no Segment after the header');
    let msPerUnit = 1;
    for (let element = await head(); element; element = await head()) {
      if (element.size === UNKNOWN) throw new DiscError('unsupported', at(), 'An element does not say how long it is');
      if (element.size > MAX_ELEMENT_BYTES)
        throw new DiscError('out-of-range', at(), `An element says that it is ${element.size} bytes long`);
      const where = at();
      const data = await reader.take(element.size);
      if (element.id === ID.Info) {
        for (const child of children(data, where)) if (child.id === ID.TimestampScale) msPerUnit = unsigned(child.data) / 1e6;
      } else if (element.id === ID.Tracks) {
        const tracks: DescribedTrack[] = [];
        for (const entry of children(data, where)) if (entry.id === ID.TrackEntry) tracks.push(describedTrack(entry.data, where));
        yield { kind: 'tracks', tracks };
      } else if (element.id === ID.Cluster) yield clusterPart(data, msPerUnit, where, reader.offset);
    }
  } finally {
    await reader.close();
  }
}
