import type { Cursor } from '../bytes';
import { readAttributes, type StreamAttributes } from './coding';
import { lengthedPart, openStructure, readExtensions } from './head';

/** How a play item follows the one before. Spec: BD-ROM part 3, connection_condition. */
export type Connection = 'new clock' | 'seamless' | 'seamless, same clock';

/** Kinds of sub-paths that matter here. Spec: BD-ROM part 3, SubPath_type. */
export const SUB_PATH = {
  /** Sound of a browsable show of stills. */
  slideSound: 2,
  text: 4,
  /** Streams in clips of their own, in step with the title. */
  apart: 5,
  /** A second picture in clips of its own, in no step with the title. */
  secondPictureFree: 6,
  /** A second picture inside the title's own clips. */
  secondPictureInside: 7,
  /** The dependent view of a two-view title. */
  secondView: 8,
} as const;

/** A stream of a playlist's table: where it comes from and what it is. */
export interface PlaylistStream {
  readonly pid: number;
  /** Sub-path that carries it; null for the main path. */
  readonly subPath: number | null;
  /** It stands in the play item's own clip, whatever path it belongs to. */
  readonly inMux: boolean;
  readonly attributes: StreamAttributes;
}

export interface StreamTable {
  readonly video: readonly PlaylistStream[];
  readonly audio: readonly PlaylistStream[];
  readonly graphics: readonly PlaylistStream[];
  readonly menuGraphics: readonly PlaylistStream[];
  readonly secondaryAudio: readonly PlaylistStream[];
  readonly secondaryVideo: readonly PlaylistStream[];
  readonly dolbyVision: readonly PlaylistStream[];
}

export interface PlayItem {
  /** Five digits. One clip per angle; the first is the main one. */
  readonly clips: readonly string[];
  /** Clock sequence of each clip that its times count in (ref_to_STC_id). */
  readonly clocks: readonly number[];
  readonly connection: Connection;
  /** Times in 45 kHz, as in the file. */
  readonly in45k: number;
  readonly out45k: number;
  /** Seconds waited on the last picture; null until the viewer goes on; 0 for none. */
  readonly stillSeconds: number | null;
  readonly streams: StreamTable;
}

export interface SubPlayItem {
  readonly clip: string;
  readonly in45k: number;
  readonly out45k: number;
  readonly playItem: number;
  /** Time of that play item's clock at which it begins. */
  readonly syncStart45k: number;
}

export interface SubPath {
  /** One of `SUB_PATH`, or another. */
  readonly type: number;
  readonly items: readonly SubPlayItem[];
}

export interface PlaylistMark {
  /** An entry mark begins a chapter; a link point does not. */
  readonly isEntry: boolean;
  readonly playItem: number;
  readonly time45k: number;
}

export interface Playlist {
  readonly version: number;
  /** Plays its items in a row; the other manners (random, shuffled) are for browsable shows. */
  readonly sequential: boolean;
  readonly items: readonly PlayItem[];
  readonly subPaths: readonly SubPath[];
  readonly marks: readonly PlaylistMark[];
  /** In a two-view title the base view is for the right eye. */
  readonly baseViewIsRight: boolean;
}

const CONNECTIONS: Readonly<Record<number, Connection>> = { 5: 'seamless', 6: 'seamless, same clock' };
const SUB_PATH_EXTENSION = '2.2';
const ENTRY_MARK = 1;

/**
 * Reads a playlist. Spec: BD-ROM part 3, xxxxx.mpls.
 * @throws DiscError `bad-signature`, `ended-early`, `out-of-range`. Marks that point nowhere are left out.
 */
export function parsePlaylist(data: Uint8Array, source: string): Playlist {
  const { cursor, version } = openStructure(data, 'MPLS', source, 'playlist');
  const [listAt, marksAt, extensionAt] = [cursor.u32(), cursor.u32(), cursor.u32()];
  const appInfo = lengthedPart(cursor, 40, 'AppInfoPlayList');
  appInfo.skip(1);
  const sequential = appInfo.u8() === 1;
  appInfo.skip(2 + 8);
  const flags = appInfo.left >= 2 ? appInfo.u16() : 0;
  const list = lengthedPart(cursor, listAt, 'PlayList');
  list.skip(2);
  const [itemCount, subPathCount] = [list.u16(), list.u16()];
  const tables = new LastTable();
  const items = Array.from({ length: itemCount }, () => readPlayItem(list.part(list.u16(), 'PlayItem'), tables));
  const subPaths = Array.from({ length: subPathCount }, () => readSubPath(list.part(list.u32(), 'SubPath')));
  const extension = readExtensions(cursor, extensionAt).get(SUB_PATH_EXTENSION);
  if (extension) {
    extension.skip(4);
    const count = extension.u16();
    for (let i = 0; i < count; i++) subPaths.push(readSubPath(extension.part(extension.u32(), 'SubPath')));
  }
  return {
    version,
    sequential,
    items,
    subPaths,
    marks: readMarks(lengthedPart(cursor, marksAt, 'PlayListMark'), items.length),
    baseViewIsRight: (flags & 0x1000) !== 0,
  };
}

function readClip(cursor: Cursor): string {
  const name = cursor.text(5);
  if (!/^\d{5}$/.test(name)) throw cursor.wrong('out-of-range', 'A clip is not named by five digits');
  cursor.skip(4); // codec identifier, always M2TS
  return name;
}

/** Items of a playlist mostly have the same table of streams, byte for byte: it is taken apart once. */
class LastTable {
  private last: { readonly bytes: Cursor; readonly table: StreamTable } | null = null;
  read(cursor: Cursor): StreamTable {
    if (!this.last?.bytes.sameBytes(cursor)) this.last = { bytes: cursor, table: readStreamTable(cursor) };
    return this.last.table;
  }
}

function readPlayItem(cursor: Cursor, tables: LastTable): PlayItem {
  const first = readClip(cursor);
  const flags = cursor.u16();
  const clocks = [cursor.u8()];
  const [in45k, out45k] = [cursor.u32(), cursor.u32()];
  if (out45k <= in45k) throw cursor.wrong('out-of-range', 'A play item ends before it begins');
  cursor.skip(8 + 1);
  const stillMode = cursor.u8();
  const stillTime = cursor.u16();
  const clips = [first];
  if ((flags & 0x10) !== 0) {
    const angles = cursor.u8();
    cursor.skip(1);
    for (let i = 1; i < angles; i++) {
      clips.push(readClip(cursor));
      clocks.push(cursor.u8());
    }
  }
  return {
    clips,
    clocks,
    connection: CONNECTIONS[flags & 15] ?? 'new clock',
    in45k,
    out45k,
    stillSeconds: stillMode === 2 ? null : stillMode === 1 ? stillTime : 0,
    streams: tables.read(cursor.part(cursor.u16(), 'STN_table')),
  };
}

function readStreamTable(cursor: Cursor): StreamTable {
  cursor.skip(2);
  const [video, audio, graphics, menuGraphics, secondaryAudio, secondaryVideo] = Array.from({ length: 6 }, () => cursor.u8());
  const pipGraphics = cursor.u8();
  const dolbyVision = cursor.u8();
  cursor.skip(4);
  const plain = (count = 0) => Array.from({ length: count }, () => readStream(cursor));
  const references = () => {
    const count = cursor.u8();
    cursor.skip(1 + count + (count & 1));
  };
  const table = {
    video: plain(video),
    audio: plain(audio),
    graphics: plain((graphics ?? 0) + pipGraphics),
    menuGraphics: plain(menuGraphics),
  };
  const secondary = (count = 0, lists: number) =>
    Array.from({ length: count }, () => {
      const stream = readStream(cursor);
      for (let i = 0; i < lists; i++) references();
      return stream;
    });
  return {
    ...table,
    secondaryAudio: secondary(secondaryAudio, 1),
    secondaryVideo: secondary(secondaryVideo, 2),
    dolbyVision: plain(dolbyVision),
  };
}

function readStream(cursor: Cursor): PlaylistStream {
  const entry = cursor.part(cursor.u8(), 'stream_entry');
  const type = entry.u8();
  let subPath: number | null = null;
  if (type === 2 || type === 4) {
    subPath = entry.u8();
    entry.skip(1);
  } else if (type === 3) subPath = entry.u8();
  const pid = entry.u16();
  return { pid, subPath, inMux: type !== 2 && type !== 4, attributes: readAttributes(cursor.part(cursor.u8(), 'stream_attributes')) };
}

function readSubPath(cursor: Cursor): SubPath {
  cursor.skip(1);
  const type = cursor.u8();
  cursor.skip(2 + 1);
  const count = cursor.u8();
  const items = Array.from({ length: count }, () => {
    const item = cursor.part(cursor.u16(), 'SubPlayItem');
    const clip = readClip(item);
    item.skip(4 + 1);
    return { clip, in45k: item.u32(), out45k: item.u32(), playItem: item.u16(), syncStart45k: item.u32() };
  });
  return { type, items };
}

function readMarks(cursor: Cursor, items: number): PlaylistMark[] {
  const count = cursor.u16();
  const marks: PlaylistMark[] = [];
  for (let i = 0; i < count && cursor.left >= 14; i++) {
    const mark = cursor.part(14, 'PlayListMark');
    mark.skip(1);
    const type = mark.u8();
    const playItem = mark.u16();
    if (playItem < items) marks.push({ isEntry: type === ENTRY_MARK, playItem, time45k: mark.u32() });
  }
  return marks;
}
