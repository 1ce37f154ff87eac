import type { Cursor } from '../bytes';
import { lengthedPart, openStructure } from './head';

/** What an entry of the index starts: a movie object by number, or a Java program by name. */
export type IndexObject = { readonly kind: 'movie object'; readonly id: number } | { readonly kind: 'java'; readonly name: string };

export interface IndexTable {
  readonly version: number;
  /** Entries that say nothing usable are null. */
  readonly firstPlay: IndexObject | null;
  readonly topMenu: IndexObject | null;
  /** Titles by number from 1. */
  readonly titles: readonly (IndexObject | null)[];
  /** The disc has two-view content. */
  readonly stereoscopic: boolean;
}

const NO_OBJECT = 0xffff;

/** 12 bytes: type of object in the top two bits, then what tells the object. */
function readEntry(cursor: Cursor): IndexObject | null {
  const entry = cursor.part(12, 'index entry');
  const type = entry.u32() >>> 30;
  if (type === 1) {
    entry.skip(2);
    const id = entry.u16();
    return id === NO_OBJECT ? null : { kind: 'movie object', id };
  }
  if (type === 2) {
    entry.skip(2);
    return { kind: 'java', name: entry.text(5) };
  }
  return null;
}

/**
 * Reads index.bdmv: what first play, the top menu and each title start.
 * Spec: BD-ROM part 3, index.bdmv. @throws DiscError `bad-signature`, `ended-early`.
 */
export function parseIndexTable(data: Uint8Array, source: string): IndexTable {
  const { cursor, version } = openStructure(data, 'INDX', source, 'index.bdmv');
  const indexesAt = cursor.u32();
  cursor.skip(4 + 24);
  const appInfo = cursor.part(cursor.u32(), 'AppInfoBDMV');
  const stereoscopic = (appInfo.u8() & 0x20) !== 0;
  const indexes = lengthedPart(cursor, indexesAt, 'Indexes');
  const firstPlay = readEntry(indexes);
  const topMenu = readEntry(indexes);
  const count = indexes.u16();
  const titles: (IndexObject | null)[] = [];
  for (let i = 0; i < count && indexes.left >= 12; i++) titles.push(readEntry(indexes));
  return { version, firstPlay, topMenu, titles, stereoscopic };
}
