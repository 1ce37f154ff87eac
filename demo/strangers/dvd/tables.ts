import { concatBytes } from '@/core/bytes';
import { Block, SECTOR, toSectors } from '../block';
import { GROUP, type Look, type SoundCodec } from '../streams';
import type { ChainPlan, DvdPlan, SetPlan, TitlePlan } from './plan';
import type { UnitPlace } from './vob';

/** A set as it stands: where each VOB begins in its content, and its units. */
export interface WrittenSet {
  readonly vobs: readonly { readonly firstSector: number; readonly units: readonly UnitPlace[] }[];
  readonly sectors: number;
}

const bcd = (n: number): number => (Math.floor(n / 10) << 4) | (n % 10);

/** DVD-Video: playback time, seconds counted with 25 or 30 pictures. */
function time(look: Look, pictures: number): number {
  const rate = look.standard === 'PAL' ? 25 : 30;
  const seconds = Math.floor(pictures / rate);
  const [h, m, s] = [Math.floor(seconds / 3600), Math.floor(seconds / 60) % 60, seconds % 60];
  return ((bcd(h) << 24) | (bcd(m) << 16) | (bcd(s) << 8) | (look.standard === 'PAL' ? 0x40 : 0xc0) | bcd(pictures % rate)) >>> 0;
}

const ABSURD = 0x09595924;
const timeSaid = (look: Look, pictures: number, says: ChainPlan['times']): number =>
  says === 'true' ? time(look, pictures) : says === 'zero' ? 0 : (ABSURD | (look.standard === 'PAL' ? 0x40 : 0xc0)) >>> 0;

/** Link to a chain of the same title set. DVD-Video: LinkPGCN. */
const linkChain = (chain: number): number[] => [0x20, 0x04, 0, 0, 0, 0, 0, chain];
/** DVD-Video: JumpTT. */
const jumpTitle = (title: number): number[] => [0x30, 0x02, 0, 0, 0, title, 0, 0];
const EXIT = [0x30, 0x01, 0, 0, 0, 0, 0, 0];

interface CellPlace {
  readonly vobId: number;
  readonly cellId: number;
  readonly first: number;
  readonly lastUnit: number;
  readonly last: number;
  readonly pictures: number;
  /** Its clock does not go on from the cell before in the chain. */
  readonly restarts: boolean;
  readonly seamless: boolean;
  readonly still: number;
}

function cellPlaces(chain: ChainPlan, set: SetPlan, written: WrittenSet): CellPlace[] {
  return chain.cells.map(({ vob, cell, seamless, still = 0 }, i) => {
    const before = chain.cells[i - 1];
    const { firstSector, units } = written.vobs[vob] as WrittenSet['vobs'][number];
    const own = units.filter((u) => u.cell === cell);
    const [first, last] = [own[0] as UnitPlace, own.at(-1) as UnitPlace];
    return {
      vobId: vob + 1,
      cellId: cell + 1,
      first: firstSector + first.sector,
      lastUnit: firstSector + last.sector,
      last: firstSector + last.lastSector,
      pictures: (set.vobs[vob]?.cells[cell]?.groups ?? 0) * GROUP,
      restarts: before?.vob !== vob || before.cell + 1 !== cell,
      seamless,
      still,
    };
  });
}

/** DVD-Video: PGC. */
function chainBytes(plan: ChainPlan, cells: readonly CellPlace[], look: Look): Uint8Array {
  const head = new Block(236);
  const pictures = cells.reduce((sum, c) => sum + c.pictures, 0);
  head
    .u8(2, plan.programs.length)
    .u8(3, cells.length)
    .u32(4, timeSaid(look, pictures, plan.times));
  plan.audio.forEach((physical, i) => physical !== null && head.u16(12 + i * 2, 0x8000 | (physical << 8)));
  plan.subtitles.forEach(
    (s, i) => s && head.u32(28 + i * 4, (0x80000000 | (s.full << 24) | (s.wide << 16) | (s.letterbox << 8) | s.panScan) >>> 0),
  );
  head.u16(156, plan.next === null ? 0 : plan.next + 1);
  plan.palette.forEach((colour, i) => head.u32(164 + i * 4, colour));
  const post = plan.post === null ? (plan.next === null ? [EXIT] : []) : [linkChain(plan.post + 1)];
  const commands = new Block(8 + post.length * 8).u16(2, post.length).u16(6, 7 + post.length * 8);
  post.forEach((command, i) => commands.put(8 + i * 8, command));
  const programs = new Uint8Array((plan.programs.length + 1) & ~1);
  programs.set(plan.programs.map((cell) => cell + 1));
  const playback = new Block(cells.length * 24);
  const position = new Block(cells.length * 4);
  cells.forEach((c, i) => {
    playback
      .u8(i * 24, (c.seamless ? 8 : 0) | (c.restarts ? 2 : 0))
      .u8(i * 24 + 2, c.still)
      .u32(i * 24 + 4, timeSaid(look, c.pictures, plan.times))
      .u32(i * 24 + 8, c.first)
      .u32(i * 24 + 16, c.lastUnit)
      .u32(i * 24 + 20, c.last);
    position.u16(i * 4, c.vobId).u8(i * 4 + 3, c.cellId);
  });
  const parts = [head.bytes, commands.bytes, programs, playback.bytes, position.bytes];
  let at = 0;
  const places = parts.map((part) => (at += part.byteLength) - part.byteLength);
  head
    .u16(228, places[1] ?? 0)
    .u16(230, places[2] ?? 0)
    .u16(232, places[3] ?? 0)
    .u16(234, places[4] ?? 0);
  return concatBytes(parts);
}

/** A table with a count, its own end, and entries that point to what follows. */
function pointed(
  count: number,
  entryBytes: number,
  bodies: readonly Uint8Array[],
  entry: (block: Block, at: number, place: number, i: number) => void,
): Uint8Array {
  const headBytes = 8 + count * entryBytes;
  const head = new Block(headBytes).u16(0, count);
  let at = headBytes;
  bodies.forEach((body, i) => {
    entry(head, 8 + i * entryBytes, at, i);
    at += body.byteLength;
  });
  head.u32(4, at - 1);
  return concatBytes([head.bytes, ...bodies]);
}

const CODING: Readonly<Record<SoundCodec, number>> = { 'AC-3': 0, 'MPEG audio': 2, LPCM: 4, DTS: 6 };

/** DVD-Video: attributes of video, audio and subpictures. */
function putAttributes(block: Block, set: SetPlan): void {
  const { look } = set;
  const size = look.widthPixels === 720 ? 0 : look.heightPixels > 300 ? 2 : 3;
  block.u8(0x200, 0x40 | (look.standard === 'PAL' ? 0x10 : 0) | (look.aspect === '16:9' ? 0x0c : 0)).u8(0x201, size << 2);
  block.u16(0x202, set.audio.length);
  set.audio.forEach(({ codec, channels, language }, i) => {
    const at = 0x204 + i * 8;
    block
      .u8(at, (CODING[codec] << 5) | 4)
      .u8(at + 1, channels - 1)
      .text(at + 2, language);
  });
  block.u16(0x254, set.subtitles.length);
  set.subtitles.forEach(({ language }, i) => block.u8(0x256 + i * 6, 1).text(0x258 + i * 6, language));
}

/** DVD-Video: VTS_C_ADT and VTS_VOBU_ADMAP. */
function addressTables(written: WrittenSet): { cells: Uint8Array; units: Uint8Array } {
  const cells: number[][] = [];
  const units: number[] = [];
  written.vobs.forEach(({ firstSector, units: list }, v) => {
    units.push(...list.map((u) => firstSector + u.sector));
    for (const cell of new Set(list.map((u) => u.cell))) {
      const own = list.filter((u) => u.cell === cell);
      cells.push([v + 1, cell + 1, firstSector + (own[0]?.sector ?? 0), firstSector + (own.at(-1)?.lastSector ?? 0)]);
    }
  });
  const table = new Block(8 + cells.length * 12).u16(0, written.vobs.length).u32(4, 7 + cells.length * 12);
  cells.forEach(([vob = 0, cell = 0, first = 0, last = 0], i) =>
    table
      .u16(8 + i * 12, vob)
      .u8(10 + i * 12, cell)
      .u32(12 + i * 12, first)
      .u32(16 + i * 12, last),
  );
  const map = new Block(4 + units.length * 4).u32(0, 3 + units.length * 4);
  units.forEach((sector, i) => map.u32(4 + i * 4, sector));
  return { cells: table.bytes, units: map.bytes };
}

/** DVD-Video: VTS_PTT_SRPT, chapters by title. */
const chapterTable = (titles: readonly TitlePlan[]): Uint8Array =>
  pointed(
    titles.length,
    4,
    titles.map(({ chapters }) => {
      const list = new Block(chapters.length * 4);
      chapters.forEach(({ chain, program }, i) => list.u16(i * 4, chain + 1).u16(i * 4 + 2, program + 1));
      return list.bytes;
    }),
    (block, at, place) => block.u32(at, place),
  );

/** Puts tables behind a head, and their sectors into it. @returns the file. */
function withTables(
  head: Block,
  tables: readonly { readonly pointer: number; readonly bytes: Uint8Array }[],
  lastSectorOf: (sectors: number) => number,
): Uint8Array {
  let sector = 1;
  for (const { pointer, bytes } of tables) {
    head.u32(pointer, sector);
    sector += toSectors(bytes).byteLength / SECTOR;
  }
  head.u32(0x0c, lastSectorOf(sector)).u32(0x1c, sector - 1);
  return concatBytes([toSectors(head.bytes), ...tables.map(({ bytes }) => toSectors(bytes))]);
}

/** VTS_nn_0.IFO. */
export function setFile(set: SetPlan, written: WrittenSet): Uint8Array {
  const chains = set.chains.map((chain) => chainBytes(chain, cellPlaces(chain, set, written), set.look));
  const titleOf = (chain: number) => set.titles.findIndex((t) => t.chains.includes(chain));
  const isFirst = (chain: number) => set.titles.some((t) => t.chains[0] === chain);
  const table = pointed(chains.length, 8, chains, (block, at, place, i) =>
    block.u32(at, ((isFirst(i) ? 0x80000000 : 0) | ((titleOf(i) + 1) << 24)) >>> 0).u32(at + 4, place),
  );
  const { cells, units } = addressTables(written);
  const head = new Block(0x3d8).text(0, 'DVDVIDEO-VTS').u16(0x20, 0x11).u32(0x80, 0x3d7);
  putAttributes(head, set);
  const tables = [
    { pointer: 0xc8, bytes: chapterTable(set.titles) },
    { pointer: 0xcc, bytes: table },
    { pointer: 0xe0, bytes: cells },
    { pointer: 0xe4, bytes: units },
  ];
  // The content stands right behind the table file.
  const sectors = 1 + tables.reduce((sum, { bytes }) => sum + toSectors(bytes).byteLength / SECTOR, 0);
  head.u32(0xc4, sectors);
  return withTables(head, tables, (own) => 2 * own + written.sectors - 1);
}

/** VIDEO_TS.IFO. @param setAt sector of each set on the disc. */
export function managerFile(plan: DvdPlan, setAt: readonly number[], files: readonly Uint8Array[]): Uint8Array {
  const titles = new Block(8 + plan.titles.length * 12).u16(0, plan.titles.length).u32(4, 7 + plan.titles.length * 12);
  plan.titles.forEach(({ set, title }, i) => {
    const of = plan.sets[set]?.titles[title] as TitlePlan;
    const isOne = of.chains.length === 1;
    titles
      .u8(8 + i * 12, isOne ? 0 : 0x40)
      .u8(9 + i * 12, 1)
      .u16(10 + i * 12, of.chapters.length)
      .u8(14 + i * 12, set + 1)
      .u8(15 + i * 12, title + 1)
      .u32(16 + i * 12, setAt[set] ?? 0);
  });
  // DVD-Video: VMG_VTS_ATRT, a copy of each set's attributes.
  const attributes = pointed(
    files.length,
    4,
    files.map((file) => {
      const block = new Block(0x308).u32(0, 0x307);
      return block.put(8, file.subarray(0x100, 0x400)).bytes;
    }),
    (block, at, place) => block.u32(at, place),
  );
  const first = new Block(236 + 16).u16(228, 236).u16(236, 1).u16(242, 15).put(244, jumpTitle(plan.plays));
  const head = new Block(0x500).text(0, 'DVDVIDEO-VMG').u16(0x20, 0x11).u16(0x26, 1).u16(0x28, 1).u8(0x2a, 1);
  head.u16(0x3e, plan.sets.length).text(0x40, 'SMALL HARBOUR MUSEUM', 32).u32(0x80, 0x4ff).u32(0x84, 0x400).put(0x400, first.bytes);
  return withTables(
    head,
    [
      { pointer: 0xc4, bytes: titles.bytes },
      { pointer: 0xd0, bytes: attributes },
    ],
    (own) => 2 * own - 1,
  );
}
