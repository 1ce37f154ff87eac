import type { Random } from '@/test-support/random';
import type { Reading, Segment, Title } from '@/core/reading';
import { SOURCE_PACKET, VIDEO_STREAM, privateStream, readNavigationPack, readPack, type StreamKey } from '@/core/streams';
import { SECTOR_BYTES } from '@/core/volume';

/** A change to an image, and what is known of it beforehand. */
export interface Mutation {
  readonly what: string;
  /** Content and sectors (of 2,048 bytes) that it touches; null for an index. */
  readonly place: { readonly content: string; readonly firstSector: number; readonly lastSector: number } | null;
  /** The stream whose payload was changed where it carries no check of its own; null where none was. */
  readonly unknowable: string | null;
  /** @param unknowableOnly only what no check knows of. */
  apply(image: Uint8Array, unknowableOnly?: boolean): void;
}

/** Where a segment stands in the image. */
interface Ground {
  readonly segment: Segment;
  /** Bytes of the unit that content comes in: a sector, or a source packet. */
  readonly unit: number;
  readonly startByte: number;
  readonly units: number;
}

export function groundsOf(reading: Reading, title: Title): Ground[] {
  const wanted = new Set(title.parts.map((p) => p.segment));
  return reading.segments
    .filter((s) => wanted.has(s.id))
    .map((segment) => {
      if (segment.kind === 'clip') {
        const contentByte = (segment.discSector - segment.firstSector) * SECTOR_BYTES;
        return {
          segment,
          unit: SOURCE_PACKET,
          startByte: contentByte + segment.firstPacket * SOURCE_PACKET,
          units: segment.endPacket - segment.firstPacket,
        };
      }
      return {
        segment,
        unit: SECTOR_BYTES,
        startByte: segment.discSector * SECTOR_BYTES,
        units: segment.lastSector - segment.firstSector + 1,
      };
    });
}

const STREAMS: readonly (readonly [least: StreamKey, name: string])[] = [
  [privateStream(0xa0), 'LPCM'],
  [privateStream(0x88), 'DTS'],
  [privateStream(0x80), 'AC-3'],
  [privateStream(0x20), 'subtitles'],
  [VIDEO_STREAM, 'video'],
  [0xc0, 'MPEG audio'],
];
/** Streams whose frames carry check words over all their bytes. */
const CHECKED = new Set<string>(['AC-3', 'E-AC-3', 'TrueHD']);

/** The stream that a byte of a sector is payload of; null where it belongs to the structure round it. */
function payloadAt(data: Uint8Array, at: number, byte: number): string | null {
  let found: string | null = null;
  if (readNavigationPack(data, at)) return null;
  readPack(data, at, at + SECTOR_BYTES, {
    payload: (stream, _d, from, to) => {
      if (byte >= from && byte < to) found = STREAMS.find(([least]) => stream >= least)?.[1] ?? null;
    },
    scrambled: () => undefined,
  });
  return found;
}

const TS_HEAD = 4 + 4;

/** The stream that a byte of a source packet is payload of; null where it belongs to a head. */
function packetPayloadAt(data: Uint8Array, at: number, byte: number, title: Title): string | null {
  const starts = ((data[at + 5] ?? 0) & 0x40) !== 0;
  const field = ((data[at + 7] ?? 0) & 0x20) !== 0 ? 1 + (data[at + 8] ?? 0) : 0;
  const pes = at + TS_HEAD + field;
  // What LPCM packets say of their layout stands before their samples.
  const head = starts ? 9 + (data[pes + 8] ?? 0) + 4 : 0;
  if (byte < pes + head) return null;
  const pid = (((data[at + 5] ?? 0) & 0x1f) << 8) | (data[at + 6] ?? 0);
  const sound = title.audio.find((t) => t.stream === pid);
  return sound?.codec ?? (pid >> 8 === 0x10 ? 'video' : pid >> 8 === 0x12 ? 'subtitles' : null);
}

const KINDS = ['zero', 'garbage', 'repeat', 'swap', 'swap far', 'remove', 'insert', 'run of zeros', 'flip', 'flip head', 'flip'] as const;

/** A random change of one of the title's segments. */
export function mutationOf(grounds: readonly Ground[], title: Title, image: Uint8Array, random: Random): Mutation {
  const ground = grounds[random.int(grounds.length)] as Ground;
  const { unit, startByte, segment } = ground;
  const kind = KINDS[random.int(KINDS.length)] as (typeof KINDS)[number];
  const index = random.int(ground.units);
  const at = startByte + index * unit;
  const end = startByte + ground.units * unit;
  const count = kind === 'run of zeros' ? 1 + random.int(Math.min(400, ground.units - index)) : 1;
  const contentByte =
    segment.kind === 'clip' ? (segment.firstPacket + index) * SOURCE_PACKET : (segment.firstSector + index) * SECTOR_BYTES;
  const place = {
    content: segment.content,
    firstSector: Math.floor(contentByte / SECTOR_BYTES),
    lastSector: Math.floor((contentByte + count * unit - 1) / SECTOR_BYTES),
  };
  const other = kind === 'swap' ? Math.min(ground.units - 1, index + 1) : random.int(ground.units);
  const otherAt = startByte + other * unit;
  const payload = unit === SECTOR_BYTES ? payloadAt : packetPayloadAt;
  const flipAt = kind === 'flip head' ? at + random.int(Math.min(40, unit)) : at + random.int(unit);
  const flips = Array.from({ length: 1 + random.int(4) }, (_, i) => Math.min(at + unit - 1, flipAt + i));
  const bits = flips.map(() => 1 << random.int(8));
  const noise = random.bytes(unit);
  const touched = kind.startsWith('flip') ? flips.map((byte) => payload(image, at, byte, title)) : [null];
  const isUnchecked = (name: string | null | undefined) => name !== null && name !== undefined && !CHECKED.has(name);
  const unchecked = touched.find(isUnchecked) ?? null;
  return {
    what: `${kind} ${segment.id} unit ${index}${count > 1 ? ` x${count}` : ''}${kind.startsWith('swap') ? ` with ${other}` : ''}`,
    place,
    unknowable: unchecked,
    apply: (copy, unknowableOnly = false) => {
      const one = copy.slice(at, at + unit);
      if (kind === 'zero' || kind === 'run of zeros') copy.fill(0, at, at + count * unit);
      else if (kind === 'garbage') copy.set(noise, at);
      else if (kind === 'repeat') {
        if (index > 0) copy.copyWithin(at, at - unit, at);
      } else if (kind.startsWith('swap')) {
        copy.copyWithin(at, otherAt, otherAt + unit);
        copy.set(one, otherAt);
      } else if (kind === 'remove') {
        copy.copyWithin(at, at + unit, end);
        copy.fill(0, end - unit, end);
      } else if (kind === 'insert') copy.copyWithin(at + unit, at, end - unit);
      else
        flips.forEach((byte, i) => {
          if (!unknowableOnly || isUnchecked(touched[i])) copy[byte] = (copy[byte] ?? 0) ^ (bits[i] ?? 1);
        });
    },
  };
}

/** A byte of the structures: what stands in the image before the first content, as often as not in a table. */
export function indexMutation(image: Uint8Array, structures: readonly (readonly [from: number, to: number])[], random: Random): Mutation {
  const [from, to] = structures[random.int(structures.length)] as readonly [number, number];
  const at = from + random.int(to - from);
  const bit = 1 << random.int(8);
  return {
    what: `index byte ${at}`,
    place: null,
    unknowable: null,
    apply: (copy) => {
      copy[at] = (image[at] ?? 0) ^ bit;
    },
  };
}
