import { DiscError, readExactly, type ByteSource, type Where } from '../bytes';
import { CRC_ELEMENT_BYTES, ID, type Crc32 } from './ebml';
import { crc32 as plainCrc32 } from './crc32';
import { UNKNOWN, children, readHeadOf, textOf, unsigned, type Element } from './elements';

/** What a file says of one of its tracks. */
export interface ReadTrack {
  readonly number: number;
  readonly type: number;
  readonly codecId: string;
  readonly language: string;
  readonly name: string;
}

export interface ReadHead {
  readonly durationMs: number;
  readonly title: string;
  readonly tracks: readonly ReadTrack[];
  readonly chapters: readonly { readonly startNs: number; readonly name: string }[];
}

/** Receives the file's contents in order. `data` is valid during the call. */
export interface MatroskaVisitor {
  block?(track: number, timestampMs: number, key: boolean, data: Uint8Array): void;
  /** Every element of the top level but clusters, as it stands in the file, head and all. */
  part?(name: string, bytes: Uint8Array): void;
  /** Bytes read so far, now and then. */
  progress?(bytes: number): void;
}

export interface ReadSummary extends ReadHead {
  readonly clusters: number;
  readonly cues: number;
  /** Entries of the index that lead to no cluster. */
  readonly strayCues: number;
  readonly tags: ReadonlyMap<string, string>;
  /** Top-level elements that carry a checksum, and those of them whose checksum is wrong. */
  readonly checksums: number;
  readonly wrongChecksums: number;
  /** A Segment that was never finished has no size yet. */
  readonly finished: boolean;
}

const MAX_CLUSTER_BYTES = 512 * 1024 * 1024;
const MAX_DEPTH = 8;

function float(data: Uint8Array): number {
  const view = new DataView(data.buffer, data.byteOffset, data.byteLength);
  return data.byteLength === 8 ? view.getFloat64(0) : data.byteLength === 4 ? view.getFloat32(0) : Number.NaN;
}

/** All descendants with an identifier, to a limited depth. */
function* find(data: Uint8Array, wanted: number, masters: ReadonlySet<number>, where: Where, depth = 0): Generator<Uint8Array> {
  if (depth > MAX_DEPTH) return;
  for (const child of children(data, where)) {
    if (child.id === wanted) yield child.data;
    else if (masters.has(child.id)) yield* find(child.data, wanted, masters, where, depth + 1);
  }
}

function readTracks(data: Uint8Array, where: Where): ReadTrack[] {
  const tracks: ReadTrack[] = [];
  for (const entry of children(data, where)) {
    if (entry.id !== ID.TrackEntry) continue;
    const values = { number: 0, type: 0, codecId: '', language: 'eng', name: '' };
    for (const field of children(entry.data, where)) {
      if (field.id === ID.TrackNumber) values.number = unsigned(field.data);
      else if (field.id === ID.TrackType) values.type = unsigned(field.data);
      else if (field.id === ID.CodecID) values.codecId = textOf(field.data);
      else if (field.id === ID.LanguageBCP47) values.language = textOf(field.data);
      else if (field.id === ID.Name) values.name = textOf(field.data);
    }
    tracks.push(values);
  }
  return tracks;
}

function readChapters(data: Uint8Array, where: Where): { startNs: number; name: string }[] {
  const chapters: { startNs: number; name: string }[] = [];
  for (const atom of find(data, ID.ChapterAtom, new Set([ID.EditionEntry]), where)) {
    const [start] = find(atom, ID.ChapterTimeStart, new Set(), where);
    const [name] = find(atom, ID.ChapString, new Set([ID.ChapterDisplay]), where);
    chapters.push({ startNs: start ? unsigned(start) : 0, name: name ? textOf(name) : '' });
  }
  return chapters;
}

/**
 * Reads a Matroska file through: good enough to prove what our writer wrote, and bounded on anything else.
 * One cluster is held at a time; sizes are checked before they are believed.
 * @throws DiscError `bad-signature`, `bad-structure`, `ended-early`, `out-of-range`, `cancelled`.
 */
export async function readMatroska(
  source: ByteSource,
  visitor: MatroskaVisitor,
  options: { readonly crc32?: Crc32; readonly signal?: AbortSignal } = {},
): Promise<ReadSummary> {
  const crc32 = options.crc32 ?? plainCrc32;
  const fail = (code: 'bad-signature' | 'bad-structure' | 'out-of-range', byteOffset: number, detail: string) =>
    new DiscError(code, { source: source.name, byteOffset, structure: 'Matroska' }, detail);
  const elementAt = async (offset: number): Promise<Element> => {
    const head = await readExactly(source, offset, Math.min(12, source.sizeBytes - offset), 'Matroska element');
    const element = readHeadOf(head, 0);
    if (!element) throw fail('bad-structure', offset, 'No element starts here');
    return element;
  };
  const header = await elementAt(0);
  if (header.id !== ID.EBML) throw fail('bad-signature', 0, 'The file does not start like Matroska');
  const segmentAt = header.headBytes + header.size;
  const segment = await elementAt(segmentAt);
  if (segment.id !== ID.Segment) throw fail('bad-signature', segmentAt, 'There is no Segment after the header');
  const contentAt = segmentAt + segment.headBytes;
  const end = segment.size === UNKNOWN ? source.sizeBytes : contentAt + segment.size;
  if (end > source.sizeBytes) throw fail('bad-structure', segmentAt, 'The Segment goes on beyond the end of the file');

  const state = {
    msPerUnit: 1,
    durationMs: 0,
    title: '',
    tracks: [] as ReadTrack[],
    chapters: [] as { startNs: number; name: string }[],
    clusters: 0,
    cues: 0,
    strayCues: 0,
    cuePositions: [] as number[],
    clusterPositions: new Set<number>(),
    tags: new Map<string, string>(),
    checksums: 0,
    wrongChecksums: 0,
  };
  let held = new Uint8Array(4 * 1024 * 1024);
  visitor.part?.('head', await readExactly(source, 0, contentAt, 'Matroska head'));
  for (let at = contentAt; at < end;) {
    if (options.signal?.aborted) throw new DiscError('cancelled', { source: source.name, byteOffset: at }, 'Stopped on request');
    const element = await elementAt(at);
    const dataAt = at + element.headBytes;
    if (element.size === UNKNOWN || dataAt + element.size > end) throw fail('bad-structure', at, 'An element leaves the Segment');
    if (element.size > MAX_CLUSTER_BYTES) throw fail('out-of-range', at, `An element says that it is ${element.size} bytes long`);
    const elementStart = at;
    at = dataAt + element.size;
    const whole = element.headBytes + element.size;
    if (held.byteLength < whole) held = new Uint8Array(whole);
    const bytes = held.subarray(0, whole);
    if ((await source.read(elementStart, bytes)) < whole)
      throw new DiscError('ended-early', { source: source.name, byteOffset: dataAt }, 'The file ends inside an element');
    if (element.id === ID.Cluster) state.clusterPositions.add(elementStart - contentAt);
    else visitor.part?.(PARTS.get(element.id) ?? 'other', bytes);
    if (element.id === ID.Void) continue;
    let data: Uint8Array = bytes.subarray(element.headBytes);
    const where = { source: source.name, byteOffset: dataAt, structure: 'Matroska' };
    if (data[0] === ID.CRC32 && data[1] === 0x84) {
      state.checksums++;
      const stored = new DataView(data.buffer, data.byteOffset + 2, 4).getUint32(0, true);
      data = data.subarray(CRC_ELEMENT_BYTES);
      if (crc32(data) !== stored) state.wrongChecksums++;
    }
    readTopLevel(element.id, data, where, state, visitor);
    visitor.progress?.(at);
  }
  const { clusterPositions, cuePositions, ...summary } = state;
  const strayCues = cuePositions.filter((position) => !clusterPositions.has(position)).length;
  return { ...summary, strayCues, finished: segment.size !== UNKNOWN };
}

/** Names of the top level's elements. RFC 9559 5.1. */
const PARTS: ReadonlyMap<number, string> = new Map([
  [ID.SeekHead, 'seek head'],
  [ID.Info, 'info'],
  [ID.Tracks, 'tracks'],
  [ID.Chapters, 'chapters'],
  [ID.Cues, 'cues'],
  [ID.Tags, 'tags'],
  [ID.Attachments, 'attachments'],
  [ID.Void, 'padding'],
]);

type State = { -readonly [K in keyof Omit<ReadSummary, 'finished' | 'tags' | 'tracks' | 'chapters'>]: ReadSummary[K] } & {
  tags: Map<string, string>;
  tracks: ReadTrack[];
  chapters: { startNs: number; name: string }[];
  /** Milliseconds in one unit of the file's timestamps. */
  msPerUnit: number;
  cuePositions: number[];
  clusterPositions: Set<number>;
};

function readTopLevel(id: number, data: Uint8Array, where: Where, state: State, visitor: MatroskaVisitor): void {
  switch (id) {
    case ID.Info: {
      let scale = 1_000_000;
      let duration = 0;
      for (const child of children(data, where)) {
        if (child.id === ID.TimestampScale) scale = unsigned(child.data);
        else if (child.id === ID.Duration) duration = float(child.data);
        else if (child.id === ID.Title) state.title = textOf(child.data);
      }
      state.durationMs = (duration * scale) / 1e6;
      state.msPerUnit = scale / 1e6;
      return;
    }
    case ID.Tracks:
      state.tracks = readTracks(data, where);
      return;
    case ID.Chapters:
      state.chapters = readChapters(data, where);
      return;
    case ID.Cues:
      for (const child of children(data, where)) {
        if (child.id !== ID.CuePoint) continue;
        state.cues++;
        for (const position of find(child.data, ID.CueClusterPosition, new Set([ID.CueTrackPositions]), where))
          state.cuePositions.push(unsigned(position));
      }
      return;
    case ID.Tags:
      for (const tag of find(data, ID.SimpleTag, new Set([ID.Tag]), where)) {
        const [name] = find(tag, ID.TagName, new Set(), where);
        const [value] = find(tag, ID.TagString, new Set(), where);
        if (name && value) state.tags.set(textOf(name), textOf(value));
      }
      return;
    case ID.Cluster:
      state.clusters++;
      readCluster(data, where, state.msPerUnit, visitor);
      return;
    default:
  }
}

/**
 * Walks the elements of a master in memory, block by block of a file of hours: nothing is made for each.
 * @throws DiscError `bad-structure` where one leaves its parent.
 */
function eachElement(
  data: Uint8Array,
  from: number,
  end: number,
  where: Where,
  see: (id: number, dataFrom: number, dataTo: number) => void,
): void {
  for (let at = from; at < end;) {
    const first = data[at] ?? 0;
    const sizeFirst = data[at + 1] ?? 0;
    let id = first;
    let size: number;
    let dataAt: number;
    // Blocks and timestamps: an identifier of one byte, a size of one, two or four.
    if (first >= 0x80 && sizeFirst >= 0x80 && sizeFirst < 0xff && at + 2 <= end) {
      size = sizeFirst & 0x7f;
      dataAt = at + 2;
    } else if (first >= 0x80 && sizeFirst >> 4 === 1 && at + 5 <= end && sizeFirst !== 0x1f) {
      size = ((sizeFirst & 0x0f) << 24) | ((data[at + 2] ?? 0) << 16) | ((data[at + 3] ?? 0) << 8) | (data[at + 4] ?? 0);
      dataAt = at + 5;
    } else {
      const element = readHeadOf(data, at);
      if (!element || element.size === UNKNOWN) throw leaves(where, at);
      ({ id, size } = element);
      dataAt = at + element.headBytes;
    }
    if (dataAt + size > end) throw leaves(where, at);
    see(id, dataAt, dataAt + size);
    at = dataAt + size;
  }
}

const leaves = (where: Where, at: number) =>
  new DiscError('bad-structure', { ...where, byteOffset: where.byteOffset + at }, 'An element leaves the element that holds it');

function readCluster(data: Uint8Array, where: Where, msPerUnit: number, visitor: MatroskaVisitor): void {
  let timestamp = 0;
  const block = (from: number, to: number, simple: boolean) => {
    const first = data[from] ?? 0;
    if (to - from < 4 || first < 0x80) throw new DiscError('bad-structure', where, 'A block has no head that can be read');
    const relative = ((((data[from + 1] as number) << 8) | (data[from + 2] as number)) << 16) >> 16;
    const flags = data[from + 3] as number;
    if (flags & 0x06) throw new DiscError('unsupported', where, 'Laced blocks are not written here, and not read');
    visitor.block?.(first & 0x7f, (timestamp + relative) * msPerUnit, simple ? (flags & 0x80) !== 0 : true, data.subarray(from + 4, to));
  };
  const inGroup = (id: number, from: number, to: number) => {
    if (id === ID.Block) block(from, to, false);
  };
  eachElement(data, 0, data.byteLength, where, (id, from, to) => {
    if (id === ID.SimpleBlock) block(from, to, true);
    else if (id === ID.BlockGroup) eachElement(data, from, to, where, inGroup);
    else if (id === ID.Timestamp) timestamp = unsigned(data.subarray(from, to));
  });
}
