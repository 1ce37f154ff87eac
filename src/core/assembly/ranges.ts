import type { ByteSource } from '../bytes';
import { ENTRY_STEP_90K, SOURCE_PACKET_BYTES, entryAfter, entryBefore, parseClipInfo, type ClipInfo } from '../bluray';
import { clipInfoName, type CellSegment, type ClipSegment, type Reading, type Segment } from '../reading';
import type { Piece, Reel } from '../reels/model';
import { readNavigationPack } from '../streams';
import { SECTOR_BYTES } from '../volume';
import { planPiece, type PlannedPiece, type PlannedSegment } from './plan';
import type { OpenContent } from './walks/walk';

/** Sectors looked through for the next navigation pack: a VOBU is a second long at the most. */
const SEARCH_SECTORS = 1024;
const STEP_SECTORS = 64;
const MAX_INFO_BYTES = 16 * 1024 * 1024;
/**
 * Pictures at the beginning of a VOBU may need the one before it, and can then not be had: as long as three frames, so
 * that the VOBU is begun with which surely has all that is asked for.
 */
const LEADING_MS = 125;
/** A place this near to what was asked for is the place that was meant. */
const NEAR_MS = 2;

/** A place in a segment where decoding can begin. */
interface SafePlace {
  readonly segment: Segment;
  readonly ms: number;
}

interface Vobu {
  readonly sector: number;
  readonly pts90k: number;
}

/** The first VOBU of the cell at or after a sector; null where none is found before the cell's end. */
async function vobuFrom(source: ByteSource, cell: CellSegment, sector: number): Promise<Vobu | null> {
  const data = new Uint8Array(STEP_SECTORS * SECTOR_BYTES);
  const end = Math.min(cell.lastSector + 1, sector + SEARCH_SECTORS * (cell.interleaved ? 8 : 1));
  for (let at = sector; at < end; at += STEP_SECTORS) {
    const got = await source.read(at * SECTOR_BYTES, data.subarray(0, Math.min(STEP_SECTORS, end - at) * SECTOR_BYTES));
    for (let p = 0; p + SECTOR_BYTES <= got; p += SECTOR_BYTES) {
      const pack = readNavigationPack(data, p);
      const ours = pack && (cell.vobId === 0 || (pack.vobId === cell.vobId && pack.cellId === cell.cellId));
      if (pack && ours) return { sector: at + p / SECTOR_BYTES, pts90k: pack.startPts90k };
    }
  }
  return null;
}

/** The last VOBU that begins at or before a time of the cell, and the one after it. */
async function vobusAround(
  source: ByteSource,
  cell: CellSegment,
  ms: number,
): Promise<{ before: Vobu; after: Vobu | null; zero: number } | null> {
  const first = await vobuFrom(source, cell, cell.firstSector);
  if (!first) return null;
  const wanted = first.pts90k + (ms + NEAR_MS) * 90;
  let before = first;
  let low = first.sector + 1;
  let high = cell.lastSector;
  // Packs stand in order of time inside a cell: halving finds the place in a dozen reads.
  while (low <= high) {
    const middle = (low + high) >> 1;
    const found = await vobuFrom(source, cell, middle);
    if (found && found.pts90k <= wanted) {
      before = found;
      low = found.sector + 1;
    } else high = middle - 1;
  }
  return { before, after: await vobuFrom(source, cell, before.sector + 1), zero: first.pts90k };
}

async function cellPlaces(source: ByteSource, cell: CellSegment, ms: number, wanted: 'before' | 'after'): Promise<SafePlace | null> {
  const found = await vobusAround(source, cell, wanted === 'before' ? ms - LEADING_MS : ms);
  if (!found) return null;
  const exact = wanted === 'after' && Math.abs((found.before.pts90k - found.zero) / 90 - ms) <= NEAR_MS;
  const place = wanted === 'before' || exact ? found.before : found.after;
  if (!place) return null;
  const at = (place.pts90k - found.zero) / 90;
  const clockRestarts = cell.clockRestarts && at <= 0;
  return { segment: { ...cell, firstSector: place.sector, durationMs: Math.round(cell.durationMs - at), clockRestarts }, ms: at };
}

function clipPlaces(info: ClipInfo, clip: ClipSegment, ms: number, wanted: 'before' | 'after'): SafePlace | null {
  const time = clip.in90k + ms * 90;
  const near = entryBefore(info.entries, time + NEAR_MS * 90);
  // Entry points leave out the lowest bits of their time.
  const exact = near !== null && time - near.pts90k < ENTRY_STEP_90K + NEAR_MS * 90;
  const entry = wanted === 'before' || exact ? near : entryAfter(info.entries, time);
  if (!entry || entry.pts90k >= clip.out90k) return null;
  if (entry.pts90k <= clip.in90k) return wanted === 'before' || exact ? { segment: clip, ms: 0 } : null;
  const at = (entry.pts90k - clip.in90k) / 90;
  const segment = { ...clip, in90k: entry.pts90k, firstPacket: entry.packet, durationMs: Math.round((clip.out90k - entry.pts90k) / 90) };
  return { segment, ms: at };
}

/** Cuts pieces at the places nearest to their ranges where decoding can begin: outwards, so that nothing asked for is lost. */
class Cutter {
  private readonly infos = new Map<string, Promise<ClipInfo>>();
  constructor(private readonly openContent: OpenContent) {}

  private info(clip: string): Promise<ClipInfo> {
    let known = this.infos.get(clip);
    known ??= this.openContent(clipInfoName(clip)).then(async (file) => {
      const data = new Uint8Array(Math.min(file.sizeBytes, MAX_INFO_BYTES));
      await file.read(0, data);
      return parseClipInfo(data, file.name);
    });
    this.infos.set(clip, known);
    return known;
  }

  /** @returns the rest of the segment from the place on; null where the segment has none after its beginning. */
  private async place(segment: Segment, ms: number, wanted: 'before' | 'after'): Promise<SafePlace | null> {
    if (segment.kind === 'cell') return cellPlaces(await this.openContent(segment.content), segment, ms, wanted);
    if (segment.kind === 'clip') return clipPlaces(await this.info(segment.content), segment, ms, wanted);
    return null; // a plain file is cut while it is read
  }

  async cut(piece: PlannedPiece, fromMs: number, toMs: number): Promise<PlannedPiece> {
    let segments = [...piece.segments];
    let { naturalStart, naturalEnd, goesOnSeamlessly, goesOnIn, preceding } = piece;
    const last = segments.at(-1);
    if (last && toMs < endOf(last) - NEAR_MS) {
      const rest = await this.place(last.segment, toMs - last.titleMs, 'after');
      if (rest && rest.ms > 0) {
        segments = [...segments.slice(0, -1), { ...last, segment: until(last.segment, rest), stillMs: 0 }];
        naturalEnd = false;
        goesOnSeamlessly = false;
        goesOnIn = null;
      }
    }
    const [first] = segments;
    if (first && fromMs > first.titleMs + NEAR_MS) {
      const begin = await this.place(first.segment, fromMs - first.titleMs, 'before');
      if (begin && begin.ms > 0) {
        preceding = [...preceding, until(first.segment, begin)];
        segments = [{ ...first, segment: begin.segment, titleMs: first.titleMs + begin.ms, chapter: null }, ...segments.slice(1)];
        naturalStart = false;
      }
    }
    return { ...piece, segments, naturalStart, naturalEnd, goesOnSeamlessly, goesOnIn, preceding };
  }
}

const endOf = ({ segment, titleMs }: PlannedSegment) => titleMs + segment.durationMs;

/** A segment up to the place where its rest begins. */
function until(segment: Segment, rest: SafePlace): Segment {
  const durationMs = Math.round(rest.ms);
  if (segment.kind === 'clip' && rest.segment.kind === 'clip')
    return {
      ...segment,
      out90k: rest.segment.in90k,
      endPacket: Math.max(segment.firstPacket + 1, rest.segment.firstPacket),
      lastSector: Math.floor((rest.segment.firstPacket * SOURCE_PACKET_BYTES) / SECTOR_BYTES),
      durationMs,
    };
  return { ...segment, lastSector: rest.segment.firstSector - 1, durationMs };
}

/**
 * Resolves a reel to what is read for it. Ranges are widened to the places where decoding can begin, which are looked up
 * in the disc's own navigation: a few reads, never a scan.
 * @throws DiscError as `planPiece` does, and `read-failed`.
 */
export async function planReel(reading: Reading, reel: Pick<Reel, 'pieces' | 'damage'>, openContent: OpenContent): Promise<PlannedPiece[]> {
  const cutter = new Cutter(openContent);
  const plan = async (piece: Piece) => {
    const planned = planPiece(reading, piece, reel.damage === 'around');
    return piece.range ? cutter.cut(planned, piece.range.fromMs, piece.range.toMs) : planned;
  };
  const pieces: PlannedPiece[] = [];
  for (const piece of reel.pieces) pieces.push(await plan(piece));
  return pieces;
}
