import { Bytes } from './bytes';
import type { ClipFacts } from './scan';

/**
 * Writes the structure files of a Blu-ray disc. Kept apart from the reader on purpose: nothing is shared with it, so that
 * both can be wrong in different ways, and other readers are asked as well.
 */

export interface AuthoredStream {
  readonly pid: number;
  readonly coding: number;
  /** video_format and frame_rate, or audio_presentation_type and sampling_frequency, as one byte. */
  readonly format?: number;
  readonly language?: string;
  /** dynamic_range_type. */
  readonly range?: number;
  /** In the clip and in no play item's own table: a second picture. */
  readonly beside?: boolean;
}

export type BesideKind = 'audio' | 'secondary audio' | 'secondary video';

/** Something that plays beside a title: a sub-path, and what it carries. */
export interface AuthoredBeside {
  /** SubPath_type: 5 in step with the title, 6 in none, 7 inside its clips. */
  readonly type: 5 | 6 | 7;
  readonly streams: readonly { readonly as: BesideKind; readonly stream: AuthoredStream }[];
  readonly items: readonly {
    readonly clip: string;
    readonly in45k: number;
    readonly out45k: number;
    readonly item: number;
    readonly sync45k: number;
  }[];
}

export interface AuthoredItem {
  readonly clips: readonly string[];
  readonly in45k: number;
  readonly out45k: number;
  /** 1 new clock, 5 and 6 seamless. */
  readonly connection: number;
  /** ref_to_STC_id. */
  readonly clock?: number;
  /** Its own table of streams; that of the playlist where none is given. */
  readonly streams?: readonly AuthoredStream[];
}

export interface AuthoredMark {
  readonly item: number;
  readonly time45k: number;
}

export interface AuthoredPlaylist {
  readonly items: readonly AuthoredItem[];
  readonly marks: readonly AuthoredMark[];
  readonly streams: readonly AuthoredStream[];
  /** Clip of the second view per item. */
  readonly secondView?: readonly string[];
  /** Text subtitles in clips of their own, laid beside the first item. */
  readonly text?: readonly { readonly clip: string; readonly language: string; readonly in45k: number; readonly out45k: number }[];
  readonly beside?: readonly AuthoredBeside[];
}

export const TEXT_PID = 0x1800;

export const isVideo = (s: AuthoredStream) => [0x01, 0x02, 0x1b, 0x20, 0x24, 0xea].includes(s.coding);
export const isAudio = (s: AuthoredStream) => (s.coding <= 0x04 ? s.coding >= 0x03 : s.coding >= 0x80 && s.coding <= 0x86);
const isGraphics = (s: AuthoredStream) => s.coding === 0x90;
const isText = (s: AuthoredStream) => s.coding === 0x92;

function head(letters: string, version: string): Bytes {
  return new Bytes().text(letters + version);
}

/** Attributes as playlists have them. */
function attributes(s: AuthoredStream): Bytes {
  const bytes = new Bytes().u8(s.coding);
  if (isText(s)) return bytes.u8(1).text((s.language ?? 'und').padEnd(3)); // 1: UTF-8
  if (isVideo(s)) return bytes.u8(s.format ?? 0x61, (s.range ?? 0) << 4, 0, 0);
  if (isAudio(s)) return bytes.u8(s.format ?? 0x31).text((s.language ?? 'und').padEnd(3));
  return bytes.text((s.language ?? 'und').padEnd(3)).u8(0);
}

/** The same as clips have them: longer, with an aspect ratio. */
function codingInfo(s: AuthoredStream): Bytes {
  const bytes = new Bytes().u8(s.coding);
  if (isVideo(s)) bytes.u8(s.format ?? 0x61, 0x30, (s.range ?? 0) << 4);
  else if (isAudio(s)) bytes.u8(s.format ?? 0x31).text((s.language ?? 'und').padEnd(3));
  else if (isText(s)) bytes.u8(1).text((s.language ?? 'und').padEnd(3));
  else bytes.text((s.language ?? 'und').padEnd(3));
  return bytes.zeros(21 - bytes.length);
}

/** stream_entry and stream_attributes of something that a sub-path carries, and the empty lists of what it may be played with. */
function besideEntry(type: AuthoredBeside['type'], { as, stream }: AuthoredBeside['streams'][number], subPath: number): Bytes {
  const entry = type === 7 ? new Bytes().u8(3, subPath).u16(stream.pid).zeros(5) : new Bytes().u8(2, subPath, 0).u16(stream.pid).zeros(4);
  const bytes = new Bytes().behindLength(1, entry).behindLength(1, attributes(stream));
  const lists = as === 'audio' ? 0 : as === 'secondary audio' ? 1 : 2;
  return bytes.zeros(2 * lists);
}

function streamTable(all: readonly AuthoredStream[], text: AuthoredPlaylist['text'] = [], beside: AuthoredPlaylist['beside'] = []): Bytes {
  const streams = all.filter((s) => !s.beside);
  const kinds = [streams.filter((s) => isVideo(s) && s.coding !== 0x20), streams.filter(isAudio), streams.filter(isGraphics)] as const;
  const as = (kind: BesideKind) =>
    beside.flatMap(({ type, streams: carried }, i) =>
      carried.filter((c) => c.as === kind).map((c) => besideEntry(type, c, text.length + i)),
    );
  const [audio, secondAudio, secondVideo] = [as('audio'), as('secondary audio'), as('secondary video')];
  const table = new Bytes()
    .u16(0)
    .u8(kinds[0].length, kinds[1].length + audio.length, kinds[2].length + text.length, 0, secondAudio.length, secondVideo.length, 0, 0)
    .zeros(4);
  const own = (stream: AuthoredStream) => {
    table.behindLength(1, new Bytes().u8(1).u16(stream.pid).zeros(6));
    table.behindLength(1, attributes(stream));
  };
  [...kinds[0], ...kinds[1]].forEach(own);
  for (const entry of audio) table.add(entry);
  kinds[2].forEach(own);
  text.forEach(({ language }, subPath) => {
    table.behindLength(1, new Bytes().u8(2, subPath, 0).u16(TEXT_PID).zeros(4));
    table.behindLength(1, attributes({ pid: TEXT_PID, coding: 0x92, language }));
  });
  for (const entry of [...secondAudio, ...secondVideo]) table.add(entry);
  return table;
}

function playItem(item: AuthoredItem, streams: readonly AuthoredStream[], { text, beside }: AuthoredPlaylist): Bytes {
  const [first = '00000', ...others] = item.clips;
  const bytes = new Bytes()
    .text(`${first}M2TS`)
    .u16((others.length ? 0x10 : 0) | item.connection)
    .u8(item.clock ?? 0)
    .u32(item.in45k, item.out45k);
  bytes.zeros(8).u8(0, 0).u16(0);
  if (others.length) {
    bytes.u8(item.clips.length, 0);
    for (const clip of others) bytes.text(`${clip}M2TS`).u8(0);
  }
  return bytes.behindLength(2, streamTable(streams, text, beside));
}

/** A sub-path with the second view of a two-view title, which stands in the extension data. */
function secondViewExtension(playlist: AuthoredPlaylist, clips: readonly string[]): Bytes {
  const items = new Bytes().u8(0, 8).u16(0).u8(0, clips.length);
  clips.forEach((clip, i) => {
    const item = playlist.items[i];
    const sub = new Bytes()
      .text(`${clip}M2TS`)
      .u32(1 << 1)
      .u8(0)
      .u32(item?.in45k ?? 0, item?.out45k ?? 0)
      .u16(i)
      .u32(item?.in45k ?? 0);
    items.behindLength(2, sub);
  });
  const paths = new Bytes().u16(1).behindLength(4, items);
  const block = new Bytes().behindLength(4, paths);
  const start = 4 + 8 + 12;
  const rest = new Bytes().u32(start).zeros(3).u8(1).u16(2, 2).u32(start, block.length).add(block);
  return new Bytes().behindLength(4, rest);
}

/** A sub-path of type 4 with one item, which begins with the first play item. */
function textSubPath(text: NonNullable<AuthoredPlaylist['text']>[number], start45k: number): Bytes {
  const item = new Bytes()
    .text(`${text.clip}M2TS`)
    .u32(1 << 1)
    .u8(0)
    .u32(text.in45k, text.out45k)
    .u16(0)
    .u32(start45k);
  return new Bytes().u8(0, 4).u16(0).u8(0, 1).behindLength(2, item);
}

function besideSubPath({ type, items }: AuthoredBeside): Bytes {
  const path = new Bytes().u8(0, type).u16(0).u8(0, items.length);
  for (const { clip, in45k, out45k, item, sync45k } of items) {
    const sub = new Bytes()
      .text(`${clip}M2TS`)
      .u32(1 << 1)
      .u8(0)
      .u32(in45k, out45k)
      .u16(item)
      .u32(sync45k);
    path.behindLength(2, sub);
  }
  return path;
}

/** xxxxx.mpls */
export function playlistFile(playlist: AuthoredPlaylist, version = '0200'): Uint8Array {
  const appInfo = new Bytes().u8(0, 1).u16(0).zeros(8).u16(0);
  const list = new Bytes().u16(0, playlist.items.length, (playlist.text?.length ?? 0) + (playlist.beside?.length ?? 0));
  for (const item of playlist.items) list.behindLength(2, playItem(item, item.streams ?? playlist.streams, playlist));
  for (const text of playlist.text ?? []) list.behindLength(4, textSubPath(text, playlist.items[0]?.in45k ?? 0));
  for (const beside of playlist.beside ?? []) list.behindLength(4, besideSubPath(beside));
  const marks = new Bytes().u16(playlist.marks.length);
  for (const mark of playlist.marks) marks.u8(0, 1).u16(mark.item).u32(mark.time45k).u16(0xffff).u32(0);
  const listAt = 40 + 4 + appInfo.length;
  const marksAt = listAt + 4 + list.length;
  const extensionAt = marksAt + 4 + marks.length;
  const extension = playlist.secondView ? secondViewExtension(playlist, playlist.secondView) : null;
  const file = head('MPLS', version)
    .u32(listAt, marksAt, extension ? extensionAt : 0)
    .zeros(20);
  file.behindLength(4, appInfo).behindLength(4, list).behindLength(4, marks);
  if (extension) file.add(extension);
  return file.data();
}

/** The two-level map of entry points: time and place of each key picture. */
function entryPointMap(pid: number, facts: ClipFacts): Bytes {
  const coarse = new Bytes();
  const fine = new Bytes();
  let coarseCount = 0;
  let lastHigh = -1;
  let lastBlock = -1;
  facts.entries.forEach(({ pts90k, packet, bytes }, i) => {
    const high = Math.floor(pts90k / 2 ** 19);
    const block = Math.floor(packet / 2 ** 17);
    if (high !== lastHigh || block !== lastBlock) {
      coarse.u32(((i << 14) | (high & 0x3fff)) >>> 0, packet);
      coarseCount++;
      lastHigh = high;
      lastBlock = block;
    }
    const size = bytes < 131_072 ? 1 : bytes < 262_144 ? 2 : 4; // where the I picture ends, roughly
    fine.u32(((size << 28) | ((Math.floor(pts90k / 2 ** 9) & 0x7ff) << 17) | (packet & 0x1ffff)) >>> 0);
  });
  const own = new Bytes()
    .u32(4 + coarse.length)
    .add(coarse)
    .add(fine);
  const map = new Bytes().u8(0, 1).u16(pid);
  const count = facts.entries.length;
  // 10 bits reserved, 4 bits type of stream, 16 bits coarse entries, 18 bits fine entries.
  map
    .u16((1 << 2) | ((coarseCount >>> 14) & 3))
    .u32((((coarseCount & 0x3fff) << 18) | (count & 0x3ffff)) >>> 0)
    .u32(2 + 12);
  return new Bytes().u16(1).add(map).add(own);
}

/** xxxxx.clpi */
export function clipFile(streams: readonly AuthoredStream[], facts: ClipFacts, version = '0200'): Uint8Array {
  const info = new Bytes().u16(0).u8(1, 1).u32(0, 6_000_000, facts.packets).zeros(128);
  info.behindLength(2, new Bytes().u8(0x80).text('HDMV').u8(0).zeros(24));
  const clocks = facts.clocks ?? [{ packet: 0, start90k: facts.start90k, end90k: facts.end90k }];
  const sequence = new Bytes().u8(0, 1).u32(0).u8(clocks.length, 0);
  for (const { packet, start90k, end90k } of clocks) sequence.u16(0x1001).u32(packet, Math.floor(start90k / 2), Math.ceil(end90k / 2));
  const program = new Bytes().u8(0, 1).u32(0).u16(0x0100).u8(streams.length, 0);
  for (const stream of streams) program.u16(stream.pid).behindLength(1, codingInfo(stream));
  const map = entryPointMap(streams.find(isVideo)?.pid ?? 0x1011, facts);
  const sequenceAt = 40 + 4 + info.length;
  const programAt = sequenceAt + 4 + sequence.length;
  const mapAt = programAt + 4 + program.length;
  const marksAt = mapAt + 4 + map.length;
  return head('HDMV', version)
    .u32(sequenceAt, programAt, mapAt, marksAt, 0)
    .zeros(12)
    .behindLength(4, info)
    .behindLength(4, sequence)
    .behindLength(4, program)
    .behindLength(4, map)
    .u32(0)
    .data();
}

/** index.bdmv. Movie objects by number; null for none. */
export function indexFile(
  objects: { firstPlay: number; topMenu: number | null; titles: readonly number[] },
  options: { version?: string; twoViews?: boolean } = {},
): Uint8Array {
  const appInfo = new Bytes().u8(options.twoViews ? 0x20 : 0, 0x61).text('Harbour Museum media room'.padEnd(32, '\0'));
  const entry = (id: number | null) =>
    id === null ? new Bytes().u32(0x40000000).u16(0, 0xffff).u32(0) : new Bytes().u32(0x40000000).u16(0, id).u32(0);
  const table = new Bytes().add(entry(objects.firstPlay)).add(entry(objects.topMenu)).u16(objects.titles.length);
  for (const id of objects.titles) table.add(entry(id));
  return head('INDX', options.version ?? '0200')
    .u32(40 + 4 + appInfo.length, 0)
    .zeros(24)
    .behindLength(4, appInfo)
    .behindLength(4, table)
    .data();
}

export type Command = readonly [operation: number, first: number, second: number];

/** Navigation commands, as far as the demo discs need them. */
export const command = {
  playPlaylist: (number: number): Command => [0x22800000, number, 0],
  playPlaylistIn: (register: number): Command => [0x22000000, register, 0],
  jumpTitle: (number: number): Command => [0x21810000, number, 0],
  jumpObject: (number: number): Command => [0x21800000, number, 0],
  move: (register: number, value: number): Command => [0x50400001, register, value],
  add: (register: number, value: number): Command => [0x50400003, register, value],
  ifEqual: (register: number, value: number): Command => [0x48400200, register, value],
  goTo: (line: number): Command => [0x20810000, line, 0],
};

/** MovieObject.bdmv */
export function movieObjectFile(objects: readonly (readonly Command[])[], version = '0200'): Uint8Array {
  const table = new Bytes().u32(0).u16(objects.length);
  for (const commands of objects) {
    table.u16(0x8000, commands.length);
    for (const c of commands) table.u32(...c);
  }
  return head('MOBJ', version).u32(0).zeros(28).behindLength(4, table).data();
}

const escaped = (text: string) => text.replaceAll('&', '&amp;').replaceAll('<', '&lt;');

/** META/DL/bdmt_xxx.xml */
export const metadataFile = (title: string): Uint8Array =>
  new TextEncoder().encode(
    `<?xml version="1.0" encoding="utf-8"?>\n<disclib xmlns="urn:BDA:bdmv;disclib"><di:discinfo xmlns:di="urn:BDA:bdmv;discinfo"><di:title><di:name>${escaped(title)}</di:name></di:title></di:discinfo></disclib>\n`,
  );
