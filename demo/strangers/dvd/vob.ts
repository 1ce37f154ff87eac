import { concatBytes } from '@/core/bytes';
import { Block, SECTOR } from '../block';
import type { Placed } from '../truth';
import { GROUP, groupsOf, soundOf, type Group, type Look, type SoundCodec } from '../streams';
import { subpicture } from './drawing';
import { frame90k, type SoundPlan, type VobPlan } from './plan';

/** What is true of a VOB before it is written. */
export interface VobTruth {
  /** In the order of decoding. */
  readonly pictures: readonly (Placed & { readonly cell: number })[];
  readonly sounds: ReadonlyMap<SoundPlan, readonly Placed[]>;
  /** By stream on the disc. */
  readonly drawings: ReadonlyMap<number, readonly Placed[]>;
  readonly cells: readonly { readonly from90k: number; readonly to90k: number }[];
}

export function truthOf(plan: VobPlan, look: Look): VobTruth {
  const frame = frame90k(look);
  const groups = groupsOf(look);
  const pictures: (Placed & { cell: number })[] = [];
  const cells: { from90k: number; to90k: number }[] = [];
  let group = plan.fromGroup;
  let shown = 0;
  plan.cells.forEach((cell, c) => {
    const from90k = shown * frame;
    for (let g = 0; g < cell.groups; g++, group++, shown += GROUP) {
      const { pictures: list } = groups[group % groups.length] as Group;
      for (const { bytes, shownAt } of list) pictures.push({ bytes, at90k: (shown + shownAt) * frame, length90k: frame, cell: c });
    }
    cells.push({ from90k, to90k: shown * frame });
  });
  const end = shown * frame;
  const sounds = new Map(
    plan.sounds.map((sound) => {
      const { frames, frame90k: length90k } = soundOf(sound.codec, sound.channels, sound.seed);
      const count = Math.max(1, Math.round((end + sound.tail90k - sound.delay90k) / length90k));
      const list = Array.from({ length: count }, (_, i) => ({
        bytes: frames[(sound.fromFrame + i) % frames.length] as Uint8Array,
        at90k: sound.delay90k + i * length90k,
        length90k,
      }));
      return [sound, list] as const;
    }),
  );
  const drawings = new Map(
    plan.drawings.map(({ physical, events }) => [
      physical,
      events.map(({ after90k, units, width, height }, i) => ({
        bytes: subpicture(width, height, units, physical * 16 + i + width),
        at90k: after90k,
        length90k: units * 1024,
      })),
    ]),
  );
  return { pictures, sounds, drawings, cells };
}

const WRAP = 2 ** 33;
/** A time on the clock of 33 bits. */
const onClock = (time90k: number): number => ((time90k % WRAP) + WRAP) % WRAP;
/** 2,048 bytes at 10.08 Mbit/s are 146.3 ticks. DVD-Video: the highest rate of a program stream. */
const STEP_90K = 147;
const MUX_RATE = 25_200;

/** ISO/IEC 13818-1 2.5.3.3: pack header. */
function packHeader(block: Block, scr90k: number): void {
  const scr = onClock(scr90k);
  const high = Math.floor(scr / 2 ** 30);
  const low = scr % 2 ** 30;
  block.u32(0, 0x1ba);
  block.u8(4, 0x44 | (high << 3) | (low >>> 28));
  block.u8(5, (low >>> 20) & 255);
  block.u8(6, (((low >>> 15) & 31) << 3) | 4 | ((low >>> 13) & 3));
  block.u8(7, (low >>> 5) & 255);
  block.u8(8, ((low & 31) << 3) | 4);
  block.u8(9, 1);
  block
    .u8(10, MUX_RATE >> 14)
    .u8(11, (MUX_RATE >> 6) & 255)
    .u8(12, ((MUX_RATE & 63) << 2) | 3)
    .u8(13, 0xf8);
}

function stamp(prefix: number, time90k: number): number[] {
  const time = onClock(time90k);
  const high = Math.floor(time / 2 ** 30);
  const low = time % 2 ** 30;
  return [(prefix << 4) | (high << 1) | 1, (low >>> 22) & 255, ((low >>> 14) & 254) | 1, (low >>> 7) & 255, ((low << 1) & 254) | 1];
}

interface Packet {
  readonly id: number;
  /** Bytes between the head of the packet and its payload: numbers of sub-streams and where frames begin. */
  readonly head: readonly number[];
  readonly payload: Uint8Array;
  readonly pts: number | null;
  readonly dts: number | null;
}

/** Room for the payload of a packet in a pack of its own. */
const roomFor = (stamps: number, head: number): number => SECTOR - 14 - 9 - stamps * 5 - head;

/** One packet in a pack of its own, filled up. ISO/IEC 13818-1 2.4.3.6. */
function pack(packet: Packet, scr90k: number): Uint8Array {
  const block = new Block(SECTOR);
  packHeader(block, scr90k);
  const stamps = packet.pts === null ? [] : packet.dts === null ? stamp(2, packet.pts) : [...stamp(3, packet.pts), ...stamp(1, packet.dts)];
  const bare = 9 + stamps.length + packet.head.length + packet.payload.byteLength;
  const left = SECTOR - 14 - bare;
  const stuffing = left > 0 && left < 7 ? left : 0;
  const length = bare + stuffing;
  block.u32(14, 0x100 + packet.id).u16(18, length - 6);
  block
    .u8(20, 0x81)
    .u8(21, packet.pts === null ? 0 : packet.dts === null ? 0x80 : 0xc0)
    .u8(22, stamps.length + stuffing);
  block.put(23, stamps).put(23 + stamps.length, new Uint8Array(stuffing).fill(255));
  const at = 23 + stamps.length + stuffing;
  block.put(at, packet.head).put(at + packet.head.length, packet.payload);
  const rest = left - stuffing;
  if (rest > 0)
    block
      .u32(14 + length, 0x1be)
      .u16(18 + length, rest - 6)
      .put(20 + length, new Uint8Array(rest - 6).fill(255));
  return block.bytes;
}

/** A stream of bytes that is cut into packets, with what begins in it. */
interface Run {
  readonly starts: readonly { readonly at: number; readonly pts: number; readonly dts: number | null }[];
  readonly bytes: Uint8Array;
}

const PRIVATE = 0xbd;
const SOUND_ID: Readonly<Record<SoundCodec, number>> = { 'AC-3': 0x80, DTS: 0x88, LPCM: 0xa0, 'MPEG audio': 0xc0 };

/** What is still to be written of a stream of sound, whose frames lie over packs, units and cells as they come. */
class SoundWriter {
  private readonly run: Run;
  private at = 0;

  constructor(
    private readonly plan: SoundPlan,
    frames: readonly Placed[],
    first90k: number,
  ) {
    let at = 0;
    const starts = frames.map(({ bytes, at90k }) => {
      const start = { at, pts: first90k + at90k, dts: null };
      at += bytes.byteLength;
      return start;
    });
    this.run = { starts, bytes: concatBytes(frames.map((frame) => frame.bytes)) };
  }

  /** What share of it is written. */
  get share(): number {
    return this.at / this.run.bytes.byteLength;
  }

  get isOver(): boolean {
    return this.at >= this.run.bytes.byteLength;
  }

  /** Time of what would be written next. */
  get nextPts(): number {
    return this.run.starts.findLast((s) => s.at <= this.at)?.pts ?? 0;
  }

  take(): Packet {
    const { codec, physical, channels } = this.plan;
    const id = SOUND_ID[codec];
    const isPrivate = codec !== 'MPEG audio';
    const headBytes = codec === 'LPCM' ? 7 : isPrivate ? 4 : 0;
    const length = Math.min(roomFor(1, headBytes), this.run.bytes.byteLength - this.at);
    // LPCM of a pack is cut between samples.
    const whole = codec === 'LPCM' ? length - (length % (channels * 2)) : length;
    const from = this.at;
    this.at += whole;
    const begin = this.run.starts.filter((s) => s.at >= from && s.at < this.at);
    const pointer = begin[0] ? begin[0].at - from + (codec === 'LPCM' ? 4 : 1) : 0;
    const count = begin.length & 255;
    const frame = (this.run.starts.indexOf(begin[0] as never) % 20) & 31;
    const head =
      codec === 'LPCM'
        ? [id + physical, count, pointer >> 8, pointer & 255, frame, channels - 1, 0x80]
        : isPrivate
          ? [id + physical, count, pointer >> 8, pointer & 255]
          : [];
    return {
      id: isPrivate ? PRIVATE : id + physical,
      head,
      payload: this.run.bytes.subarray(from, this.at),
      pts: begin[0]?.pts ?? null,
      dts: null,
    };
  }
}

/** A unit of a VOB as it stands: where, and what times it covers. */
export interface UnitPlace {
  readonly cell: number;
  /** Sectors from the VOB's first. */
  readonly sector: number;
  readonly lastSector: number;
  readonly start90k: number;
  readonly end90k: number;
}

export interface WrittenVob {
  readonly sectors: readonly Uint8Array[];
  readonly units: readonly UnitPlace[];
}

/** Sound is on the disc this long before it is heard at the least, pictures a little more. */
const PREROLL_90K = 63_000;

/** Time of the first picture that leaves room for what has to come before it. */
export const leastFirst90k = (plan: { readonly soundLag90k: number }): number => PREROLL_90K + plan.soundLag90k + 45_000;

/**
 * Multiplexes a VOB: units of one group of pictures each, that begin with a navigation pack.
 * @param vobId from 1. @param base sector of the title set's content at which it will stand.
 */
export function writeVob(plan: VobPlan, truth: VobTruth, look: Look, vobId: number, base: number): WrittenVob {
  const frame = frame90k(look);
  const sounds = plan.sounds.map((sound) => new SoundWriter(sound, truth.sounds.get(sound) ?? [], plan.first90k));
  const drawings = [...truth.drawings].flatMap(([physical, list]) => list.map((one) => ({ physical, ...one })));
  let lost = plan.lost ?? null;
  const sectors: Uint8Array[] = [];
  const units: UnitPlace[] = [];
  const unitCount = truth.pictures.length / GROUP;
  const preroll = PREROLL_90K + plan.soundLag90k;
  let scr = plan.first90k - preroll - STEP_90K;
  for (let u = 0; u < unitCount; u++) {
    const pictures = truth.pictures.slice(u * GROUP, (u + 1) * GROUP);
    const start90k = plan.first90k + u * GROUP * frame;
    const end90k = start90k + GROUP * frame;
    const [lateFrom, lateTo] = plan.fieldLate ?? [0, 0];
    const late = u >= lateFrom && u < lateTo ? Math.floor(frame / 2) : 0;
    const last = u === unitCount - 1;
    const packets: Packet[] = videoPackets(pictures, u * GROUP, plan, frame);
    const heard: Packet[] = [];
    // A decoder holds four kilobytes of a stream: each comes when it is about to be heard.
    const due = () =>
      sounds.filter((w) => !w.isOver && (last || w.nextPts < end90k - plan.soundLag90k)).sort((a, b) => a.nextPts - b.nextPts)[0];
    for (let writer = due(); writer; writer = due()) {
      const packet = writer.take();
      if (lost && writer === sounds[lost.sound] && writer.share >= lost.share) lost = null;
      else heard.push(packet);
    }
    const shown = drawings
      .filter(({ at90k }) => at90k >= start90k - plan.first90k && at90k < end90k - plan.first90k)
      .sort((a, b) => a.at90k - b.at90k)
      .flatMap((one) => drawingPackets(one, plan.first90k));
    const all = merged(packets, [...shown, ...heard]);
    scr = Math.max(scr + STEP_90K, start90k - preroll);
    const pace = Math.max(STEP_90K, Math.min(Math.floor((GROUP * frame) / (all.length + 2)), 900));
    const sector = sectors.length;
    const cell = pictures[0]?.cell ?? 0;
    units.push({ cell, sector, lastSector: sector + all.length, start90k, end90k });
    const says = { start90k: start90k + late, end90k: end90k + late };
    sectors.push(navigationPack({ scr, base: base + sector, lastOffset: all.length, ...says, vobId, cellId: cell + 1 }));
    all.forEach((packet, i) => {
      if (i > 0 || !plan.sameClock) scr += pace;
      sectors.push(pack(packet, scr));
    });
  }
  link(sectors, units);
  return { sectors, units };
}

function videoPackets(pictures: VobTruth['pictures'], before: number, plan: VobPlan, frame: number): Packet[] {
  let at = 0;
  const starts = pictures.map(({ bytes, at90k }, i) => {
    const start = { at, pts: plan.first90k + at90k, dts: plan.first90k + (before + i - 1) * frame };
    at += bytes.byteLength;
    return start;
  });
  const bytes = concatBytes(pictures.map((picture) => picture.bytes));
  const packets: Packet[] = [];
  for (let from = 0; from < bytes.byteLength;) {
    const room = roomFor(2, 0);
    const to = Math.min(from + room, bytes.byteLength);
    const begin = starts.find((s) => s.at >= from && s.at < to);
    const stamped = begin && (plan.stampsAll || begin === starts[0]) ? begin : null;
    const dts = stamped && stamped.dts !== stamped.pts ? stamped.dts : null;
    packets.push({ id: 0xe0, head: [], payload: bytes.subarray(from, to), pts: stamped?.pts ?? null, dts });
    from = to;
  }
  return packets;
}

function drawingPackets(one: Placed & { readonly physical: number }, first90k: number): Packet[] {
  const packets: Packet[] = [];
  for (let from = 0; from < one.bytes.byteLength;) {
    const to = Math.min(from + roomFor(1, 1), one.bytes.byteLength);
    const pts = from === 0 ? first90k + one.at90k : null;
    packets.push({ id: PRIVATE, head: [0x20 + one.physical], payload: one.bytes.subarray(from, to), pts, dts: null });
    from = to;
  }
  return packets;
}

/** Two lists as one, evenly, each in its own order; the first of the first stays in front. */
function merged<T>(a: readonly T[], b: readonly T[]): T[] {
  const all: T[] = [];
  let i = 0;
  let j = 0;
  while (i < a.length || j < b.length)
    if (j >= b.length || (i < a.length && (i === 0 || i * b.length <= j * a.length))) all.push(a[i++] as T);
    else all.push(b[j++] as T);
  return all;
}

const PCI_AT = 45;
const DSI_AT = 1031;
const NO_UNIT = 0x3fffffff;

/** DVD-Video: navigation pack, with presentation control information and data search information. */
function navigationPack(o: {
  scr: number;
  base: number;
  lastOffset: number;
  start90k: number;
  end90k: number;
  vobId: number;
  cellId: number;
}): Uint8Array {
  const block = new Block(SECTOR);
  packHeader(block, o.scr);
  // System header: rate bound, one audio and one video bound, four kinds of stream.
  block.put(
    14,
    [0, 0, 1, 0xbb, 0, 0x12, 0x80, 0xc4, 0xe1, 0x04, 0xe1, 0x7f, 0xb9, 0xe0, 0xe8, 0xb8, 0xc0, 0x20, 0xbd, 0xe0, 0x3a, 0xbf, 0xe0, 0x02],
  );
  block.put(38, [0, 0, 1, 0xbf, 0x03, 0xd4, 0x00]);
  const low = (time90k: number) => onClock(time90k) % 2 ** 32;
  block
    .u32(PCI_AT, o.base)
    .u32(PCI_AT + 12, low(o.start90k))
    .u32(PCI_AT + 16, low(o.end90k));
  block.put(1024, [0, 0, 1, 0xbf, 0x03, 0xfa, 0x01]);
  block
    .u32(DSI_AT, low(o.scr))
    .u32(DSI_AT + 4, o.base)
    .u32(DSI_AT + 8, o.lastOffset);
  block
    .u32(DSI_AT + 12, Math.min(1, o.lastOffset))
    .u32(DSI_AT + 16, o.lastOffset)
    .u32(DSI_AT + 20, o.lastOffset);
  block.u16(DSI_AT + 24, o.vobId).u8(DSI_AT + 27, o.cellId);
  return block.bytes;
}

/** Where the next and the last unit stand, of the same cell. DVD-Video: VOBU_SRI. */
function link(sectors: readonly Uint8Array[], units: readonly UnitPlace[]): void {
  const SEARCH_AT = DSI_AT + 234;
  units.forEach((unit, i) => {
    const view = new DataView((sectors[unit.sector] as Uint8Array).buffer);
    for (let n = 0; n < 42; n++) view.setUint32(SEARCH_AT + n * 4, NO_UNIT);
    const next = units[i + 1];
    const last = units[i - 1];
    if (next && next.cell === unit.cell) {
      view.setUint32(SEARCH_AT, 0x80000000 + next.sector - unit.sector);
      view.setUint32(SEARCH_AT + 80, 0x80000000 + next.sector - unit.sector);
    }
    if (last && last.cell === unit.cell) {
      view.setUint32(SEARCH_AT + 84, 0x80000000 + unit.sector - last.sector);
      view.setUint32(SEARCH_AT + 164, 0x80000000 + unit.sector - last.sector);
    }
  });
}
