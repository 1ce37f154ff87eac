import { unlessDamaged, type ByteSource } from '../../bytes';
import type { CellSegment } from '../../reading';
import {
  NO_PTS,
  PackClock,
  SCR_STEP_90K,
  VIDEO_STREAM,
  isPack,
  readNavigationPack,
  readPack,
  readScr,
  type NavigationPack,
  type StreamKey,
} from '../../streams';
import { SECTOR_BYTES } from '../../volume';
import { ptsBetween } from '../timeline';

/** A unit of a VOB lasts a second at the most: at the highest rate, that is less than this. DVD-Video: VOBU. */
const MOST_UNIT_SECTORS = 1024;
const STEP_SECTORS = 64;
/** Every stream of a VOB has shown itself by then, or begins late. */
const LEAD_SECTORS = 512;

/** A medium fails by blocks of 16 sectors, ECMA-267; a copy of one by sectors. So many of them are tried by themselves: each may take seconds. */
const BLOCK_BYTES = 16 * SECTOR_BYTES;
const MOST_FAILED = 32;

/** Sectors of a content; what can not be read is empty. */
async function sectorsAt(source: ByteSource, first: number, count: number): Promise<Uint8Array> {
  const sectors = Math.min(count, Math.floor(source.sizeBytes / SECTOR_BYTES) - first);
  if (first < 0 || sectors <= 0) return new Uint8Array(0);
  const data = new Uint8Array(sectors * SECTOR_BYTES);
  const from = first * SECTOR_BYTES;
  if ((await unlessDamaged(source.read(from, data), 0)) === data.byteLength) return data;
  const reads = async (part: Uint8Array, at: number) => {
    if ((await unlessDamaged(source.read(from + at, part), 0)) === part.byteLength) return true;
    part.fill(0);
    return false;
  };
  let failed = 0;
  for (let at = 0; at < data.byteLength;) {
    const part = data.subarray(at, at + BLOCK_BYTES - ((from + at) % BLOCK_BYTES));
    if (!(await reads(part, at)))
      for (let s = 0; s < part.byteLength && failed < MOST_FAILED; s += SECTOR_BYTES)
        if (!(await reads(part.subarray(s, s + SECTOR_BYTES), at + s))) failed++;
    at += part.byteLength;
  }
  return data;
}

/** The VOB of the last unit that begins before a sector; null where none is found. */
async function vobBefore(source: ByteSource, sector: number): Promise<number | null> {
  for (let end = sector; end > Math.max(0, sector - MOST_UNIT_SECTORS); end -= STEP_SECTORS) {
    const data = await sectorsAt(source, Math.max(0, end - STEP_SECTORS), Math.min(end, STEP_SECTORS));
    for (let at = data.byteLength - SECTOR_BYTES; at >= 0; at -= SECTOR_BYTES) {
      const navigation = readNavigationPack(data, at);
      if (navigation) return navigation.vobId;
    }
  }
  return null;
}

/**
 * The last packs of a VOB before one of its units.
 * @returns those of them that lead to it, when it begins, and whether something is missing between; null where none begins there.
 */
export async function packsBefore(
  source: ByteSource,
  sector: number,
  most: number,
): Promise<{ readonly data: Uint8Array; readonly clock90k: number; readonly isHurt: boolean } | null> {
  const from = Math.max(0, sector - most);
  const data = await sectorsAt(source, from, sector - from + 1);
  const end = (sector - from) * SECTOR_BYTES;
  const unit = readNavigationPack(data, end);
  if (!unit) return null;
  let owner = await vobBefore(source, from);
  let start = 0;
  let isHurt = data.byteLength <= end;
  const clock = new PackClock();
  for (let at = 0; at < end; at += SECTOR_BYTES) {
    const navigation = readNavigationPack(data, at);
    owner = navigation?.vobId ?? owner;
    if (navigation) clock.pass(readScr(data, at));
    // What is not whole, or belongs elsewhere, leads nowhere.
    const isOwn = owner === unit.vobId;
    const isWrong = !isPack(data, at) || (!navigation && clock.isOutOfPlace(data, at, end));
    isHurt = isOwn && (isHurt || isWrong);
    if (!isOwn || isWrong) start = at + SECTOR_BYTES;
  }
  return { data: data.subarray(start, end), clock90k: unit.startPts90k, isHurt };
}

/** Whether the clock of packs runs on from the sector before one to a unit that begins there, in the same VOB. */
async function runsOn(source: ByteSource, sector: number, vobId: number | null): Promise<boolean> {
  const from = Math.max(0, sector - STEP_SECTORS);
  const data = await sectorsAt(source, from, sector + 1 - from);
  const unit = (sector - from) * SECTOR_BYTES;
  const navigation = data.byteLength > unit ? readNavigationPack(data, unit) : null;
  if (!navigation || (vobId !== null && navigation.vobId !== vobId)) return false;
  // What stands right before it may be damaged.
  let before = unit - SECTOR_BYTES;
  while (before >= 0 && !isPack(data, before)) before -= SECTOR_BYTES;
  if (before < 0) return false;
  const step = ptsBetween(readScr(data, before), readScr(data, unit));
  if (step <= 0 || step > SCR_STEP_90K) return false;
  // Where damage leaves nobody to say so, the clock does.
  const owner = await vobBefore(source, sector);
  return owner === null || owner === navigation.vobId;
}

/**
 * Whether a VOB begins with a cell: else the cell begins inside one, and the rest of a frame and pictures that need others may stand
 * first in it. What the tables say of the clock belongs to a use of the cell, and says nothing of this.
 */
export const vobBeginsWith = async (source: ByteSource, cell: CellSegment): Promise<boolean> =>
  cell.firstSector === 0 || !(await runsOn(source, cell.firstSector, null));

/** Whether a VOB ends with a cell: else sound for its last pictures may stand behind it. */
export const vobEndsWith = async (source: ByteSource, cell: CellSegment): Promise<boolean> =>
  !(await runsOn(source, cell.lastSector + 1, cell.vobId || null));

/** Cells between which the disc's clock goes on: one stands behind the other in a VOB, or they share interleaved units. */
export function goesOn(from: CellSegment, to: CellSegment): boolean {
  if (from.content !== to.content || from.vobId !== to.vobId) return false;
  return from.lastSector + 1 === to.firstSector || ((from.interleaved || to.interleaved) && !to.clockRestarts);
}

/**
 * How much earlier than its first picture the sound of each stream of a VOB begins, 90 kHz; negative where it begins later.
 * @param cell that the VOB begins with.
 */
export async function soundLeads(source: ByteSource, cell: CellSegment): Promise<ReadonlyMap<StreamKey, number>> {
  const leads = new Map<StreamKey, number>();
  const data = await sectorsAt(source, cell.firstSector, Math.min(LEAD_SECTORS, cell.lastSector + 1 - cell.firstSector));
  let first: NavigationPack | null = null;
  let ours = true;
  const receiver = {
    payload: (stream: StreamKey, _data: Uint8Array, _from: number, _to: number, pts90k: number) => {
      if (first && pts90k !== NO_PTS && stream !== VIDEO_STREAM && !leads.has(stream))
        leads.set(stream, ptsBetween(pts90k, first.startPts90k));
    },
    scrambled: () => undefined, // refused where it is taken
  };
  for (let at = 0; at + SECTOR_BYTES <= data.byteLength; at += SECTOR_BYTES) {
    const navigation = readNavigationPack(data, at);
    if (navigation) {
      ours = !cell.interleaved || (navigation.vobId === cell.vobId && navigation.cellId === cell.cellId);
      if (ours) first ??= navigation;
    } else if (ours) readPack(data, at, at + SECTOR_BYTES, receiver);
  }
  return leads;
}
