import { DiscError, part, record, u16be, u32be, u8, type Where } from '../bytes';
import { dvdTimeMs, parseDvdTime } from './time';

/** Fixed head of a Program Chain. DVD-Video: PGC_GI. */
const rawHead = record('Program Chain', 236, {
  programs: u8(2),
  cells: u8(3),
  playbackTime: u32be(4),
  nextPgc: u16be(156),
  previousPgc: u16be(158),
  goUpPgc: u16be(160),
  stillTime: u8(162),
  playbackMode: u8(163),
  commandsAt: u16be(228),
  programMapAt: u16be(230),
  cellPlaybackAt: u16be(232),
  cellPositionAt: u16be(234),
});

/** Cell playback information, 24 bytes. DVD-Video: C_PBI. */
const rawCell = record('Cell Playback Information', 24, {
  flags: u8(0), //          block mode 7-6, block type 5-4, seamless 3, interleaved 2, clock discontinuity 1, seamless angle 0
  restrictions: u8(1),
  stillTime: u8(2),
  command: u8(3),
  playbackTime: u32be(4),
  firstSector: u32be(8),
  firstIlvuEndSector: u32be(12),
  lastVobuStartSector: u32be(16),
  lastSector: u32be(20),
});

const STILL_FOR_EVER = 255;
export const COMMAND_BYTES = 8;
const MAX_COMMANDS = 128;

/** One cell of a program chain. Sectors count from the start of the domain's VOBs. */
export interface DvdCell {
  /** Number in the program chain, from 1. */
  readonly number: number;
  readonly vobId: number;
  readonly cellId: number;
  readonly firstSector: number;
  readonly lastSector: number;
  /** First sector of its last unit. */
  readonly lastUnitSector: number;
  readonly durationMs: number;
  /** Number of the angle, from 1; null outside an angle block. */
  readonly angle: number | null;
  readonly seamless: boolean;
  readonly interleaved: boolean;
  readonly clockRestarts: boolean;
  /** Seconds of still after the cell; `Infinity` for one that waits for the viewer. */
  readonly stillSeconds: number;
  readonly command: number;
}

export interface DvdPgc {
  readonly durationMs: number;
  readonly cells: readonly DvdCell[];
  /** First cell (number from 1) of each program. */
  readonly programs: readonly number[];
  /** Physical stream number per logical audio stream (0 to 7), null where the chain does not use it. */
  readonly audioStreams: readonly (number | null)[];
  /** Physical stream numbers per logical subpicture stream (0 to 31), by display mode. */
  readonly subpictureStreams: readonly (SubpictureStreams | null)[];
  /** 16 entries of 0x00YYCrCb. */
  readonly palette: readonly number[];
  readonly preCommands: readonly Uint8Array[];
  readonly postCommands: readonly Uint8Array[];
  readonly cellCommands: readonly Uint8Array[];
  readonly nextPgc: number;
}

export interface SubpictureStreams {
  readonly fullScreen: number;
  readonly wide: number;
  readonly letterbox: number;
  readonly panScan: number;
}

function parseCommands(data: Uint8Array, at: number, where: Where): Pick<DvdPgc, 'preCommands' | 'postCommands' | 'cellCommands'> {
  if (at === 0) return { preCommands: [], postCommands: [], cellCommands: [] };
  const head = part(data, at, 8, where);
  const view = new DataView(head.buffer, head.byteOffset, 8);
  const [pre, post, cell] = [view.getUint16(0), view.getUint16(2), view.getUint16(4)];
  if (pre + post + cell > MAX_COMMANDS) {
    throw new DiscError('out-of-range', where, `A program chain says that it has ${pre + post + cell} commands`);
  }
  let next = at + 8;
  const take = (count: number) =>
    Array.from({ length: count }, () => {
      const command = part(data, next, COMMAND_BYTES, where).slice();
      next += COMMAND_BYTES;
      return command;
    });
  return { preCommands: take(pre), postCommands: take(post), cellCommands: take(cell) };
}

function parseCells(data: Uint8Array, count: number, playbackAt: number, positionAt: number, where: Where): DvdCell[] {
  if (count === 0 || playbackAt === 0) return [];
  const playback = part(data, playbackAt, count * 24, where);
  const position = positionAt ? part(data, positionAt, count * 4, where) : new Uint8Array(count * 4);
  let angle = 0;
  return Array.from({ length: count }, (_, i) => {
    const at = { ...where, byteOffset: where.byteOffset + playbackAt + i * 24 };
    const raw = rawCell(playback.subarray(i * 24, i * 24 + 24), at);
    const blockMode = raw.flags >> 6;
    const inAngleBlock = ((raw.flags >> 4) & 3) === 1 && blockMode !== 0;
    angle = inAngleBlock ? (blockMode === 1 ? 1 : angle + 1) : 0;
    return {
      number: i + 1,
      vobId: ((position[i * 4] ?? 0) << 8) | (position[i * 4 + 1] ?? 0),
      cellId: position[i * 4 + 3] ?? 0,
      firstSector: raw.firstSector,
      lastSector: raw.lastSector,
      lastUnitSector: raw.lastVobuStartSector,
      durationMs: dvdTimeMs(parseDvdTime(raw.playbackTime)),
      angle: inAngleBlock ? angle : null,
      seamless: (raw.flags & 8) !== 0,
      interleaved: (raw.flags & 4) !== 0,
      clockRestarts: (raw.flags & 2) !== 0,
      stillSeconds: raw.stillTime === STILL_FOR_EVER ? Number.POSITIVE_INFINITY : raw.stillTime,
      command: raw.command,
    };
  });
}

/**
 * Reads one Program Chain.
 * @param data from the chain's first byte to the end of the table that holds it.
 * @param where place of `data[0]`.
 * @throws DiscError `ended-early`, `out-of-range`.
 */
export function parsePgc(data: Uint8Array, where: Where): DvdPgc {
  const at = { ...where, structure: 'Program Chain' };
  const head = rawHead(data, at);
  const view = new DataView(data.buffer, data.byteOffset, data.byteLength);
  const audioStreams = Array.from({ length: 8 }, (_, i) => {
    const control = view.getUint16(12 + i * 2);
    return control & 0x8000 ? (control >> 8) & 7 : null;
  });
  const subpictureStreams = Array.from({ length: 32 }, (_, i) => {
    const control = view.getUint32(28 + i * 4);
    if (control < 0x80000000) return null;
    return { fullScreen: (control >>> 24) & 31, wide: (control >>> 16) & 31, letterbox: (control >>> 8) & 31, panScan: control & 31 };
  });
  const cells = parseCells(data, head.cells, head.cellPlaybackAt, head.cellPositionAt, at);
  const programs = head.programs && head.programMapAt ? [...part(data, head.programMapAt, head.programs, at)] : [];
  return {
    durationMs: dvdTimeMs(parseDvdTime(head.playbackTime)),
    cells,
    programs: programs.filter((cell) => cell >= 1 && cell <= cells.length),
    audioStreams,
    subpictureStreams,
    palette: Array.from({ length: 16 }, (_, i) => view.getUint32(164 + i * 4) & 0xffffff),
    ...parseCommands(data, head.commandsAt, at),
    nextPgc: head.nextPgc,
  };
}
