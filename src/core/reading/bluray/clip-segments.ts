import { SOURCE_PACKET_BYTES, entryAfter, entryBefore, type ClipInfo } from '../../bluray';
import { SECTOR_BYTES } from '../../volume';
import type { ClipSegment } from '../model';

/** A clip as far as cutting it up needs it. */
export interface ClipPlace {
  readonly name: string;
  /** Null where its clip information is lost: places are then guessed from the times by its size. */
  readonly info: ClipInfo | null;
  readonly sizeBytes: number;
  /** Sector of its first byte on the disc. */
  readonly discSector: number;
}

/** The map of entry points leaves out the lowest 9 bits of a time. */
const UNSTORED_BITS = 2 ** 9;

const packetsOf = (clip: ClipPlace) => Math.floor(clip.sizeBytes / SOURCE_PACKET_BYTES);

/** Times at which a clip is cut: `at` exact in 90 kHz. */
export type Cuts = ReadonlyMap<string, readonly number[]>;

/**
 * The place near a chapter mark where decoding can begin: the mark itself where an entry point stands there, else the
 * entry point before it. @param in90k where the play item begins: never before that.
 */
export function safeCut(info: ClipInfo | null, mark90k: number, in90k: number): number {
  const entry = info ? entryBefore(info.entries, mark90k) : null;
  if (!entry) return mark90k;
  return Math.max(in90k, mark90k - entry.pts90k < UNSTORED_BITS ? mark90k : entry.pts90k);
}

/** First packet to be read for what is shown from a time on. */
function packetAt(clip: ClipPlace, pts90k: number): number {
  const entries = clip.info?.entries ?? [];
  if (entries.length === 0) return guessedPacket(clip, pts90k);
  const entry = entryBefore(entries, pts90k);
  return !entry || entry === entries[0] ? 0 : entry.packet;
}

/** Packet before which everything shown before a time has begun. */
function packetBy(clip: ClipPlace, pts90k: number): number {
  const entries = clip.info?.entries ?? [];
  if (entries.length === 0) return guessedPacket(clip, pts90k) || packetsOf(clip);
  return entryAfter(entries, pts90k - UNSTORED_BITS)?.packet ?? Math.max(clip.info?.packets ?? 0, packetsOf(clip));
}

function guessedPacket(clip: ClipPlace, pts90k: number): number {
  const { info } = clip;
  if (!info || info.end45k <= info.start45k) return 0;
  const share = (pts90k / 2 - info.start45k) / (info.end45k - info.start45k);
  return Math.floor(packetsOf(clip) * Math.min(1, Math.max(0, share)));
}

/**
 * The segments of a clip between two times, cut wherever any title of the disc begins, ends or has a chapter: so titles
 * that show the same material name the same segments.
 */
export function segmentsBetween(clip: ClipPlace, in90k: number, out90k: number, cuts: Cuts): ClipSegment[] {
  const inside = (cuts.get(clip.name) ?? []).filter((t) => t > in90k && t < out90k);
  const times = [in90k, ...inside, out90k];
  return times.slice(0, -1).map((from, i): ClipSegment => {
    const to = times[i + 1] as number;
    const firstPacket = packetAt(clip, from);
    const endPacket = Math.max(firstPacket + 1, packetBy(clip, to));
    const firstSector = Math.floor((firstPacket * SOURCE_PACKET_BYTES) / SECTOR_BYTES);
    return {
      kind: 'clip',
      id: `${clip.name}@${from}-${to}`,
      content: clip.name,
      firstSector,
      lastSector: Math.max(firstSector, Math.ceil((endPacket * SOURCE_PACKET_BYTES) / SECTOR_BYTES) - 1),
      discSector: clip.discSector + firstSector,
      durationMs: Math.round((to - from) / 90),
      stillSeconds: 0,
      in90k: from,
      out90k: to,
      firstPacket,
      endPacket,
    };
  });
}

/** Collects and orders the times at which clips are cut. */
export class CutList {
  private readonly times = new Map<string, Set<number>>();

  add(clip: string, ...at90k: readonly number[]): void {
    const set = this.times.get(clip) ?? new Set();
    for (const time of at90k) set.add(time);
    this.times.set(clip, set);
  }

  finish(): Cuts {
    return new Map([...this.times].map(([clip, set]) => [clip, [...set].sort((a, b) => a - b)]));
  }
}
