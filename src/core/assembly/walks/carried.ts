import { isDamage, throwIfCancelled, type ByteSource } from '../../bytes';
import { type EntryPoint } from '../../bluray';
import type { CellSegment, ClipSegment, Segment } from '../../reading';
import { PackClock, SOURCE_PACKET, TransportDemux, isPack, readNavigationPack, readPack, readScr, type StreamKey } from '../../streams';
import { SECTOR_BYTES } from '../../volume';
import type { CarriedPart } from '../framers/carried-part';
import { PACKETS, ReadAhead } from './read-ahead';

/**
 * Subtitles at a cut. One that is on the screen there stands before it on the disc, and so may one that appears right behind it:
 * what a part needs of them is looked for as far back as anybody leaves a line on the screen.
 */

/** 16 MiB: thirteen seconds of a DVD at its highest rate, and more at any other. */
const LOOK_BACK_SECTORS = 8192;
const LOOK_BACK_90K = 12 * 90_000;
/** 72 MiB: as long at the highest rate of a Blu-ray. */
const LOOK_BACK_PACKETS = 393_216;
const STEP_SECTORS = 256;

/** What stands before a cut. */
export interface CarriedParts {
  /** By stream, in order. */
  readonly parts: ReadonlyMap<number, readonly CarriedPart[]>;
  /** Streams of which nothing came behind damage: what of them is on the screen at the cut is not known. */
  readonly unknown: readonly number[];
}

class Collector implements CarriedParts {
  readonly parts = new Map<number, CarriedPart[]>();
  private isHurt = false;

  constructor(private readonly streams: readonly number[]) {}

  add(stream: number, data: Uint8Array, from: number, to: number, pts90k: number): void {
    if (!this.streams.includes(stream)) return;
    const list = this.parts.get(stream) ?? [];
    list.push({ data: data.slice(from, to), pts90k });
    this.parts.set(stream, list);
  }

  get unknown(): number[] {
    return this.isHurt ? this.streams.filter((stream) => !this.parts.has(stream)) : [];
  }

  /** Something is missing: what came before it can not be trusted to go on behind it. */
  clear(): void {
    this.isHurt = true;
    this.parts.clear();
  }
}

const nobody = () => undefined; // what is protected was refused before; here it is nobody's

/**
 * Reads what stands of subtitle streams before a cut between two cells, while the disc's clock goes on over it.
 * @param preceding the segments before `first`, in order. Damage leaves out what stands before it. @throws DiscError `cancelled`.
 */
export async function partsBeforeCell(
  openContent: (content: string) => Promise<ByteSource>,
  preceding: readonly Segment[],
  first: CellSegment,
  streams: readonly StreamKey[],
  signal: AbortSignal | undefined,
): Promise<CarriedParts> {
  const runs: { cell: CellSegment; from: number }[] = [];
  let after = first;
  let budget = LOOK_BACK_SECTORS;
  for (const cell of preceding.toReversed()) {
    if (cell.kind !== 'cell' || after.clockRestarts || cell.content !== after.content || cell.vobId !== after.vobId || budget <= 0) break;
    const from = Math.max(cell.firstSector, cell.lastSector + 1 - budget);
    budget -= cell.lastSector + 1 - from;
    runs.unshift({ cell, from });
    after = cell;
  }
  const found = new Collector(streams);
  const receiver = {
    payload: (stream: StreamKey, data: Uint8Array, from: number, to: number, pts90k: number) => {
      found.add(stream, data, from, to, pts90k);
    },
    scrambled: nobody,
  };
  const data = new Uint8Array(STEP_SECTORS * SECTOR_BYTES);
  for (const { cell, from } of runs) {
    const source = await openContent(cell.content);
    let ours = !cell.interleaved;
    const clock = new PackClock();
    for (let sector = from; sector <= cell.lastSector; sector += STEP_SECTORS) {
      throwIfCancelled(signal, cell.content);
      const target = data.subarray(0, Math.min(STEP_SECTORS, cell.lastSector + 1 - sector) * SECTOR_BYTES);
      const got = await readOrNothing(source, sector * SECTOR_BYTES, target);
      if (got < target.byteLength) found.clear();
      clock.forgetNext();
      for (let at = 0; at + SECTOR_BYTES <= got; at += SECTOR_BYTES) {
        const navigation = readNavigationPack(data, at);
        if (navigation && cell.interleaved) ours = navigation.vobId === cell.vobId && navigation.cellId === cell.cellId;
        if (navigation && ours) clock.pass(readScr(data, at));
        else if (!ours) clock.forget();
        else if (!isPack(data, at) || clock.isOutOfPlace(data, at, got)) found.clear();
        else readPack(data, at, at + SECTOR_BYTES, receiver);
      }
    }
  }
  return found;
}

/** Reads what stands of subtitle streams before a cut inside a clip. As `partsBeforeCell`. */
export async function partsBeforeClip(
  source: ByteSource,
  first: ClipSegment,
  entries: readonly EntryPoint[],
  pids: readonly number[],
  signal: AbortSignal | undefined,
): Promise<CarriedParts> {
  const entry = entries.findLast((e) => e.packet <= first.firstPacket && e.pts90k <= first.in90k - LOOK_BACK_90K);
  const from = Math.max(entry?.packet ?? 0, first.firstPacket - LOOK_BACK_PACKETS);
  const found = new Collector(pids);
  const demux = new TransportDemux({
    transport: (pid, data, at, to, pts90k, _dts, starts) => {
      found.add(pid, data, at, to, starts ? pts90k : -1);
    },
    fault: () => {
      found.clear();
    },
    scrambled: nobody,
  });
  for (const pid of pids) demux.want(pid);
  const reader = new ReadAhead(source, PACKETS, from, first.firstPacket, {
    unreadable: () => {
      found.clear();
    },
  });
  for (let chunk = await reader.next(); chunk; chunk = await reader.next()) {
    throwIfCancelled(signal, source.name);
    demux.feed(chunk, 0, chunk.byteLength, reader.record - chunk.byteLength / SOURCE_PACKET);
  }
  return found;
}

async function readOrNothing(source: ByteSource, byteOffset: number, target: Uint8Array): Promise<number> {
  try {
    return await source.read(byteOffset, target);
  } catch (error) {
    if (isDamage(error)) return 0;
    throw error;
  }
}
