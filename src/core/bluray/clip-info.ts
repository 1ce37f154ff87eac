import { DiscError, type Cursor } from '../bytes';
import { readAttributes, type StreamAttributes } from './coding';
import { lengthedPart, openStructure } from './head';

export const SOURCE_PACKET_BYTES = 192;

/** A place where decoding can begin: an I picture. */
export interface EntryPoint {
  /** Presentation time in 90 kHz; the lowest 9 bits are not stored and are zero here. */
  readonly pts90k: number;
  /** Number of the source packet (192 bytes) in which it begins. */
  readonly packet: number;
  readonly angleChange: boolean;
}

export interface ClipStream {
  readonly pid: number;
  readonly attributes: StreamAttributes;
}

/** A stretch of a clip with a clock of its own: an STC sequence. */
export interface ClockSequence {
  /** What play items name it by (ref_to_STC_id). */
  readonly id: number;
  /** Source packet that it begins with. */
  readonly firstPacket: number;
  readonly start45k: number;
  readonly end45k: number;
}

export interface ClipInfo {
  /** 1: movie; others are shows of stills, menus and sub-paths. */
  readonly applicationType: number;
  readonly packets: number;
  /** Presentation of the first and last clock sequence, in 45 kHz. */
  readonly start45k: number;
  readonly end45k: number;
  /** In the order of the file. Of more than one, times alone do not tell a place. */
  readonly clocks: readonly ClockSequence[];
  readonly streams: readonly ClipStream[];
  /** Entry points of the main stream, in order. */
  readonly entries: readonly EntryPoint[];
  /** Of every stream that has a map of its own, by its PID. */
  readonly maps: ReadonlyMap<number, readonly EntryPoint[]>;
}

const MAX_ENTRIES = 1_000_000;
const EP_MAP = 1;
/** Streams with maps of their own: a picture, a second one, sound of a clip of its own. */
const MOST_MAPS = 16;

/**
 * Reads clip information. Spec: BD-ROM part 3, xxxxx.clpi.
 * @throws DiscError `bad-signature`, `ended-early`, `out-of-range`. A bad entry-point map leaves `entries` empty: then
 * places in the clip are guessed by its rate.
 */
export function parseClipInfo(data: Uint8Array, source: string): ClipInfo {
  const { cursor } = openStructure(data, 'HDMV', source, 'clip information');
  const [sequencesAt, programsAt, cpiAt] = [cursor.u32(), cursor.u32(), cursor.u32()];
  const info = lengthedPart(cursor, 40, 'ClipInfo');
  info.skip(2 + 1);
  const applicationType = info.u8();
  info.skip(4 + 4);
  const packets = info.u32();
  const sequences = readSequences(lengthedPart(cursor, sequencesAt, 'SequenceInfo'));
  const begins = sequences.clocks.map((c) => c.firstPacket);
  const maps = cpiAt === 0 ? new Map<number, EntryPoint[]>() : readEntryPoints(lengthedPart(cursor, cpiAt, 'CPI'), begins);
  return {
    applicationType,
    packets,
    ...sequences,
    streams: readPrograms(lengthedPart(cursor, programsAt, 'ProgramInfo')),
    entries: [...maps.values()][0] ?? [],
    maps,
  };
}

function readSequences(cursor: Cursor): Pick<ClipInfo, 'start45k' | 'end45k' | 'clocks'> {
  cursor.skip(1);
  const arrivals = cursor.u8();
  let start45k = Number.POSITIVE_INFINITY;
  let end45k = 0;
  const clocks: ClockSequence[] = [];
  for (let a = 0; a < arrivals; a++) {
    cursor.skip(4);
    const count = cursor.u8();
    const firstId = cursor.u8();
    for (let i = 0; i < count; i++) {
      cursor.skip(2);
      const clock = { id: firstId + i, firstPacket: cursor.u32(), start45k: cursor.u32(), end45k: cursor.u32() };
      clocks.push(clock);
      start45k = Math.min(start45k, clock.start45k);
      end45k = Math.max(end45k, clock.end45k);
    }
  }
  clocks.sort((a, b) => a.firstPacket - b.firstPacket);
  return { start45k: Number.isFinite(start45k) ? start45k : 0, end45k, clocks };
}

function readPrograms(cursor: Cursor): ClipStream[] {
  cursor.skip(1);
  const programs = cursor.u8();
  const streams: ClipStream[] = [];
  for (let p = 0; p < programs; p++) {
    cursor.skip(4 + 2);
    const count = cursor.u8();
    cursor.skip(1);
    for (let i = 0; i < count; i++) {
      const pid = cursor.u16();
      const attributes = readAttributes(cursor.part(cursor.u8(), 'StreamCodingInfo'));
      if (!streams.some((s) => s.pid === pid)) streams.push({ pid, attributes });
    }
  }
  return streams;
}

/**
 * The map has two levels: the coarse one gives the high bits of time and place, the fine one the low bits.
 * @param clocks packets at which another clock begins, where times may fall.
 */
function readEntryPoints(cpi: Cursor, clocks: readonly number[]): Map<number, EntryPoint[]> {
  const maps = new Map<number, EntryPoint[]>();
  if (cpi.left < 4 || (cpi.u16() & 15) !== EP_MAP) return maps;
  const map = cpi.part(cpi.left, 'EP_map');
  map.skip(1);
  const streams = Math.min(map.u8(), MOST_MAPS);
  for (let i = 0; i < streams; i++) {
    const pid = map.u16();
    try {
      const entries = readEntriesOf(map, clocks);
      if (!maps.has(pid)) maps.set(pid, entries);
    } catch (error) {
      // What is wrong with the map of another stream is no harm to the main one's.
      if (i === 0 || !(error instanceof DiscError)) throw error;
      break;
    }
  }
  return maps;
}

/** The entry of one stream in the table of maps, and what it points to. */
function readEntriesOf(map: Cursor, clocks: readonly number[]): EntryPoint[] {
  const packed = [map.u16(), map.u32()] as const;
  const coarseCount = ((packed[0] & 0x3) << 14) | (packed[1] >>> 18);
  const fineCount = packed[1] & 0x3ffff;
  const own = map.from(map.u32(), 'EP_map_for_one_stream_PID');
  const fineAt = own.u32();
  if (fineCount > MAX_ENTRIES) throw own.wrong('out-of-range', 'The entry-point map is longer than any clip');
  const coarse = own.part(coarseCount * 8, 'EP_coarse');
  const fine = own.from(fineAt, 'EP_fine').part(fineCount * 4, 'EP_fine');
  const steps = Array.from({ length: coarseCount }, () => {
    const word = coarse.u32();
    return { firstFine: word >>> 14, pts: word & 0x3fff, packet: coarse.u32() };
  });
  const entries: EntryPoint[] = [];
  let step = 0;
  // Clocks, in order, that begin behind the last entry: packets only rise.
  let clock = 0;
  for (let i = 0; i < fineCount; i++) {
    while (step + 1 < steps.length && (steps[step + 1]?.firstFine ?? 0) <= i) step++;
    const base = steps[step];
    if (!base) break;
    const word = fine.u32();
    // 33-bit time: the coarse part gives bits 32 to 19, of which the lowest is repeated by the fine part's bits 19 to 9.
    const pts90k = (base.pts & ~1) * 2 ** 19 + ((word >>> 17) & 0x7ff) * ENTRY_STEP_90K;
    const packet = Math.floor(base.packet / 2 ** 17) * 2 ** 17 + (word & 0x1ffff);
    const last = entries[entries.length - 1];
    const isNewClock = (clocks[clock] ?? Number.POSITIVE_INFINITY) <= packet;
    if (last && ((pts90k <= last.pts90k && !isNewClock) || packet <= last.packet)) continue; // out of order: not believed
    while ((clocks[clock] ?? Number.POSITIVE_INFINITY) <= packet) clock++;
    entries.push({ pts90k, packet, angleChange: word >>> 31 === 1 });
  }
  return entries;
}

/** How many entry points stand at or before a time. */
function entriesUpTo(entries: readonly EntryPoint[], pts90k: number): number {
  let low = 0;
  let high = entries.length;
  while (low < high) {
    const middle = (low + high) >> 1;
    if ((entries[middle]?.pts90k ?? 0) <= pts90k) low = middle + 1;
    else high = middle;
  }
  return low;
}

/** Times of entry points are known to this: their lowest 9 bits are not stored. BD-ROM part 3, EP_map. */
export const ENTRY_STEP_90K = 2 ** 9;

/** The last entry point at or before a time; null where there is none. */
export const entryBefore = (entries: readonly EntryPoint[], pts90k: number): EntryPoint | null =>
  entries[entriesUpTo(entries, pts90k) - 1] ?? null;

/** The first entry point after a time; null where there is none. */
export const entryAfter = (entries: readonly EntryPoint[], pts90k: number): EntryPoint | null =>
  entries[entriesUpTo(entries, pts90k)] ?? null;
