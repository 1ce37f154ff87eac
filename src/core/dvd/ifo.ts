import { parentalPlace, parseParentalTable, type ParentalFields, type ParentalPlace } from './parental';
import { DiscError, part, record, text, u16be, u32be, u8, type Where } from '../bytes';
import { SECTOR_BYTES } from '../volume';
import {
  attributeRecords,
  parseAudioAttributes,
  parseSubpictureAttributes,
  parseVideoAttributes,
  type AudioAttributes,
  type SubpictureAttributes,
  type VideoAttributes,
} from './attributes';
import { parsePgc, type DvdPgc } from './pgc';

/** Video Manager Information, its fixed part. DVD-Video: VMGI_MAT. Sectors count from the start of the file. */
const rawVmgi = record('VMGI_MAT', 0x100, {
  signature: text(0, 12),
  lastSector: u32be(0x0c),
  version: u16be(0x20),
  titleSets: u16be(0x3e),
  providerId: text(0x40, 32),
  firstPlayAt: u32be(0x84), // byte in the file
  menuVobs: u32be(0xc0),
  titleTable: u32be(0xc4),
  menuTable: u32be(0xc8),
  parentalTable: u32be(0xcc),
});

/** Video Title Set Information, its fixed part. DVD-Video: VTSI_MAT. */
const rawVtsi = record('VTSI_MAT', 0x316, {
  signature: text(0, 12),
  lastSector: u32be(0x0c),
  menuVobs: u32be(0xc0),
  titleVobs: u32be(0xc4),
  chapterTable: u32be(0xc8),
  pgcTable: u32be(0xcc),
  menuTable: u32be(0xd0),
});

/** One entry of the title table. DVD-Video: TT_SRPT entry. */
const rawTitle = record('Title Table entry', 12, {
  playbackType: u8(0),
  angles: u8(1),
  chapters: u16be(2),
  parentalMask: u16be(4),
  titleSet: u8(6),
  titleInSet: u8(7),
  sector: u32be(8),
});

export interface DvdTitleEntry {
  /** Number on the disc, from 1. */
  readonly number: number;
  readonly angles: number;
  readonly chapters: number;
  readonly titleSet: number;
  readonly titleInSet: number;
}

export interface MenuChain {
  readonly language: string;
  /** 2 title menu, 3 root, 4 subpicture, 5 audio, 6 angle, 7 chapter; 0 where it is no entry. */
  readonly menu: number;
  readonly number: number;
  readonly pgc: DvdPgc;
}

export interface VideoManager {
  readonly titleSetCount: number;
  readonly providerId: string;
  readonly titles: readonly DvdTitleEntry[];
  readonly firstPlay: DvdPgc | null;
  /** By title set; empty where the disc knows no parental levels. */
  readonly parental: ReadonlyMap<number, ParentalFields>;
  readonly menus: readonly MenuChain[];
  /** What could not be read of it; the rest is good. */
  readonly faults: readonly DiscError[];
}

export interface TitleSet {
  readonly number: number;
  readonly video: VideoAttributes;
  readonly audio: readonly AudioAttributes[];
  readonly subpictures: readonly SubpictureAttributes[];
  /** Chapters per title in the set: program chain and program, both from 1. */
  readonly chapters: readonly (readonly { readonly pgc: number; readonly program: number }[])[];
  /** Program chains by number from 1; null where one could not be read. */
  readonly pgcs: readonly (DvdPgc | null)[];
  /** By program chain: the title of the set that it belongs to, from 1. DVD-Video: VTS_PGC_CAT. */
  readonly titleOfChain: readonly number[];
  /** By program chain: its place in a parental block, or null. */
  readonly places: readonly (ParentalPlace | null)[];
  readonly menus: readonly MenuChain[];
  readonly faults: readonly DiscError[];
}

const MAX_TITLES = 99;
const MAX_PGCS = 1000;
const MAX_MENU_CHAINS = 2000;

/** Bytes of a table from its first sector to its own end, never beyond the file. */
function table(file: Uint8Array, sector: number, headBytes: 4 | 8, where: Where): { data: Uint8Array; at: Where } {
  const byteOffset = sector * SECTOR_BYTES;
  const at = { ...where, byteOffset: where.byteOffset + byteOffset };
  const head = part(file, byteOffset, 8, at);
  if (headBytes === 4) return { data: file.subarray(byteOffset), at };
  const lastByte = new DataView(head.buffer, head.byteOffset, 8).getUint32(4);
  // Some authors write a short end address: what the file still has is then used, and entries are bounded one by one.
  const end = lastByte + 1 < 8 ? file.byteLength - byteOffset : lastByte + 1;
  return { data: file.subarray(byteOffset, Math.min(byteOffset + end, file.byteLength)), at };
}

/** Runs one part of a parse; what is wrong with it is kept as a fault and hides nothing else. */
function attempt<T>(faults: DiscError[], fallback: T, read: () => T): T {
  try {
    return read();
  } catch (error) {
    if (!(error instanceof DiscError)) throw error;
    faults.push(error);
    return fallback;
  }
}

function checkSignature(signature: string, expected: string, where: Where): void {
  if (signature !== expected) throw new DiscError('bad-signature', where, `The file does not start with ${expected}`);
}

/** DVD-Video: VMGM_PGCI_UT and VTSM_PGCI_UT, language units of menu program chains. */
function parseMenus(file: Uint8Array, sector: number, where: Where, faults: DiscError[]): MenuChain[] {
  if (sector === 0) return [];
  const { data, at } = table(file, sector, 8, { ...where, structure: 'Menu Program Chain Table' });
  const view = new DataView(data.buffer, data.byteOffset, data.byteLength);
  const menus: MenuChain[] = [];
  const units = Math.min(view.getUint16(0), Math.floor((data.byteLength - 8) / 8));
  for (let u = 0; u < units; u++) {
    const language = String.fromCharCode(view.getUint8(8 + u * 8), view.getUint8(9 + u * 8));
    const unitAt = view.getUint32(12 + u * 8);
    attempt(faults, null, () => {
      const unit = part(data, unitAt, 8, at);
      const count = Math.min(new DataView(unit.buffer, unit.byteOffset, 8).getUint16(0), MAX_PGCS);
      for (let i = 0; i < count && menus.length < MAX_MENU_CHAINS; i++) {
        const entry = part(data, unitAt + 8 + i * 8, 8, at);
        const chainAt = unitAt + new DataView(entry.buffer, entry.byteOffset, 8).getUint32(4);
        const kind = entry[0] ?? 0;
        const pgc = attempt(faults, null, () => parsePgc(data.subarray(chainAt), { ...at, byteOffset: at.byteOffset + chainAt }));
        if (pgc) menus.push({ language, menu: kind & 0x80 ? kind & 0x0f : 0, number: i + 1, pgc });
      }
      return null;
    });
  }
  return menus;
}

/**
 * Reads VIDEO_TS.IFO (or its BUP).
 * @throws DiscError where its head is wrong; faults of single tables are returned in `faults`.
 */
export function parseVideoManager(file: Uint8Array, source: string): VideoManager {
  const where: Where = { source, byteOffset: 0, structure: 'VMGI_MAT' };
  const head = rawVmgi(file, where);
  checkSignature(head.signature, 'DVDVIDEO-VMG', where);
  const faults: DiscError[] = [];
  const { data, at } = table(file, head.titleTable, 8, { ...where, structure: 'Title Table' });
  const count = new DataView(data.buffer, data.byteOffset, 2).getUint16(0);
  if (count > MAX_TITLES) throw new DiscError('out-of-range', at, `The title table says that there are ${count} titles; 99 is the most`);
  const titles: DvdTitleEntry[] = [];
  for (let i = 0; i < count; i++) {
    attempt(faults, null, () => {
      const entryAt = 8 + i * 12;
      const raw = rawTitle(part(data, entryAt, 12, at), { ...at, byteOffset: at.byteOffset + entryAt });
      titles.push({
        number: i + 1,
        angles: Math.max(1, Math.min(9, raw.angles)),
        chapters: raw.chapters,
        titleSet: raw.titleSet,
        titleInSet: raw.titleInSet,
      });
      return null;
    });
  }
  const firstPlay = head.firstPlayAt
    ? attempt(faults, null, () =>
        parsePgc(part(file, head.firstPlayAt, Math.min(2048, file.byteLength - head.firstPlayAt), where), {
          ...where,
          byteOffset: head.firstPlayAt,
        }),
      )
    : null;
  const menus = attempt(faults, [], () => parseMenus(file, head.menuTable, where, faults));
  const parental = head.parentalTable
    ? attempt(faults, new Map<number, ParentalFields>(), () => {
        const found = table(file, head.parentalTable, 4, { ...where, structure: 'Parental Management Table' });
        return parseParentalTable(found.data, found.at);
      })
    : new Map<number, ParentalFields>();
  return { titleSetCount: Math.min(head.titleSets, MAX_TITLES), providerId: head.providerId, titles, firstPlay, parental, menus, faults };
}

function parseChapters(file: Uint8Array, sector: number, where: Where): { pgc: number; program: number }[][] {
  const { data, at } = table(file, sector, 8, { ...where, structure: 'Chapter Table' });
  const view = new DataView(data.buffer, data.byteOffset, data.byteLength);
  const count = view.getUint16(0);
  if (count > MAX_TITLES) throw new DiscError('out-of-range', at, `The chapter table says that there are ${count} titles`);
  const starts = Array.from({ length: count }, (_, i) => new DataView(part(data, 8 + i * 4, 4, at).slice().buffer).getUint32(0));
  return starts.map((start, i) => {
    const end = Math.min(starts[i + 1] ?? data.byteLength, data.byteLength);
    const chapters: { pgc: number; program: number }[] = [];
    for (let entry = start; entry + 4 <= end && chapters.length < 999; entry += 4) {
      const pgc = view.getUint16(entry);
      const program = view.getUint16(entry + 2);
      if (pgc > 0 && program > 0) chapters.push({ pgc, program });
    }
    return chapters;
  });
}

interface Chains {
  readonly pgcs: (DvdPgc | null)[];
  readonly places: (ParentalPlace | null)[];
  readonly titleOfChain: number[];
}

function parsePgcTable(file: Uint8Array, sector: number, where: Where, faults: DiscError[]): Chains {
  const { data, at } = table(file, sector, 8, { ...where, structure: 'Program Chain Table' });
  const view = new DataView(data.buffer, data.byteOffset, data.byteLength);
  const count = view.getUint16(0);
  if (count > MAX_PGCS) throw new DiscError('out-of-range', at, `The table says that there are ${count} program chains`);
  const places: (ParentalPlace | null)[] = [];
  const titleOfChain: number[] = [];
  const pgcs = Array.from({ length: count }, (_, i) =>
    attempt(faults, null, () => {
      const entry = part(data, 8 + i * 8, 8, at);
      const entryView = new DataView(entry.buffer, entry.byteOffset, 8);
      places[i] = parentalPlace(entryView.getUint32(0));
      titleOfChain[i] = (entryView.getUint32(0) >>> 24) & 0x7f;
      const chainAt = entryView.getUint32(4);
      if (chainAt >= data.byteLength) throw new DiscError('out-of-range', at, `Program chain ${i + 1} stands beyond the end of its table`);
      return parsePgc(data.subarray(chainAt), { ...at, byteOffset: at.byteOffset + chainAt });
    }),
  );
  return { pgcs, places, titleOfChain };
}

/**
 * Reads VTS_nn_0.IFO (or its BUP).
 * @param number of the title set, from 1.
 * @throws DiscError where its head or its program chain table is wrong; other faults are returned in `faults`.
 */
export function parseTitleSet(file: Uint8Array, number: number, source: string): TitleSet {
  const where: Where = { source, byteOffset: 0, structure: 'VTSI_MAT' };
  const head = rawVtsi(file, where);
  checkSignature(head.signature, 'DVDVIDEO-VTS', where);
  const faults: DiscError[] = [];
  return {
    number,
    video: parseVideoAttributes(file.subarray(0x200)),
    audio: attributeRecords(file, 0x202, 8, 8, parseAudioAttributes),
    subpictures: attributeRecords(file, 0x254, 6, 32, parseSubpictureAttributes),
    ...parsePgcTable(file, head.pgcTable, where, faults),
    chapters: attempt(faults, [], () => parseChapters(file, head.chapterTable, where)),
    menus: attempt(faults, [], () => parseMenus(file, head.menuTable, where, faults)),
    faults,
  };
}
