import { ENTRY_STEP_90K, SOURCE_PACKET_BYTES, entryAfter, entryBefore, type ClipInfo } from '../../bluray';
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
  /** Of a clip with several clocks: the one that times count in, and the packets that it has. */
  readonly clock?: { readonly id: number; readonly firstPacket: number; readonly endPacket: number };
}

/** Clips as they were asked for by a clock: each item and each mark asks. */
const clocked = new WeakMap<ClipPlace, Map<number, ClipPlace>>();

/** A clip as a play item's times count in it. @param id of the clock; the whole clip where it has one only, or none of that number. */
export function inClock(clip: ClipPlace, id: number): ClipPlace {
  const { info } = clip;
  if (!info || info.clocks.length < 2) return clip;
  const known = clocked.get(clip) ?? new Map<number, ClipPlace>();
  clocked.set(clip, known);
  const place = known.get(id) ?? placeInClock(clip, info, id);
  known.set(id, place);
  return place;
}

function placeInClock(clip: ClipPlace, info: ClipInfo, id: number): ClipPlace {
  const at = info.clocks.findIndex((c) => c.id === id);
  const clock = info.clocks[at];
  if (!clock) return clip;
  const { firstPacket, start45k, end45k } = clock;
  const endPacket = info.clocks[at + 1]?.firstPacket ?? Math.max(info.packets, packetsOf(clip));
  const entries = info.entries.filter((e) => e.packet >= firstPacket && e.packet < endPacket);
  return { ...clip, clock: { id, firstPacket, endPacket }, info: { ...info, entries, start45k, end45k } };
}

/** What its cuts go by. */
export const clockKey = ({ name, clock }: ClipPlace): string => (clock ? `${name}#${clock.id}` : name);

const packetsOf = (clip: ClipPlace) => Math.floor(clip.sizeBytes / SOURCE_PACKET_BYTES);

/** Times at which a clip is cut: `at` exact in 90 kHz. */
export type Cuts = ReadonlyMap<string, readonly number[]>;

/**
 * The place near a chapter mark where decoding can begin: the entry point at or before it, as its map has it. A mark may point a little
 * behind the beginning of its picture, which then belongs to the chapter all the same. @param in90k where the play item begins: never
 * before that.
 */
export function safeCut(info: ClipInfo | null, mark90k: number, in90k: number): number {
  const entry = info ? entryBefore(info.entries, mark90k) : null;
  if (!entry) return mark90k;
  return Math.max(in90k, entry.pts90k);
}

/** First packet to be read for what is shown from a time on. */
function packetAt(clip: ClipPlace, pts90k: number): number {
  const entries = clip.info?.entries ?? [];
  if (entries.length === 0) return guessedPacket(clip, pts90k);
  const entry = entryBefore(entries, pts90k);
  return !entry || entry === entries[0] ? (clip.clock?.firstPacket ?? 0) : entry.packet;
}

/** Packet before which everything shown before a time has begun. */
function packetBy(clip: ClipPlace, pts90k: number): number {
  const entries = clip.info?.entries ?? [];
  if (entries.length === 0) return guessedPacket(clip, pts90k) || packetsOf(clip);
  const next = entryAfter(entries, pts90k - ENTRY_STEP_90K)?.packet;
  return next ?? clip.clock?.endPacket ?? Math.max(clip.info?.packets ?? 0, packetsOf(clip));
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
  // Times nearer to each other than an entry point's are the same picture's.
  const inside: number[] = [];
  for (const t of cuts.get(clockKey(clip)) ?? [])
    if (t >= Math.max(in90k, inside.at(-1) ?? 0) + ENTRY_STEP_90K && t <= out90k - ENTRY_STEP_90K) inside.push(t);
  const times = [in90k, ...inside, out90k];
  return times.slice(0, -1).map((from, i): ClipSegment => {
    const to = times[i + 1] as number;
    const firstPacket = packetAt(clip, from);
    const endPacket = Math.max(firstPacket + 1, packetBy(clip, to));
    const firstSector = Math.floor((firstPacket * SOURCE_PACKET_BYTES) / SECTOR_BYTES);
    return {
      kind: 'clip',
      id: `${clockKey(clip)}@${from}-${to}`,
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
      ...(clip.clock ? { clock: { firstPacket: clip.clock.firstPacket, endPacket: clip.clock.endPacket } } : {}),
    };
  });
}

/** Collects and orders the times at which clips are cut. */
export class CutList {
  private readonly exact = new Map<string, Set<number>>();
  private readonly near = new Map<string, Set<number>>();

  /** Where an item begins or ends: to the tick. */
  add(clip: string, ...at90k: readonly number[]): void {
    addTo(this.exact, clip, at90k);
  }

  /** Where decoding can begin for a chapter: of what the map of entry points knows, up to its unstored bits. */
  addNear(clip: string, at90k: number): void {
    addTo(this.near, clip, [at90k]);
  }

  finish(): Cuts {
    const clips = new Set([...this.exact.keys(), ...this.near.keys()]);
    return new Map(
      Array.from(clips, (clip) => {
        const exact = sorted(this.exact.get(clip));
        let next = 0;
        const near = sorted(this.near.get(clip)).filter((t) => {
          while ((exact[next] ?? Number.POSITIVE_INFINITY) <= t - ENTRY_STEP_90K) next++;
          return !isSameCut(exact[next] ?? Number.POSITIVE_INFINITY, t);
        });
        return [clip, [...exact, ...near].sort((a, b) => a - b)];
      }),
    );
  }
}

/** Two times that the map of entry points does not tell apart. */
export const isSameCut = (a90k: number, b90k: number): boolean => Math.abs(a90k - b90k) < ENTRY_STEP_90K;

const sorted = (times: ReadonlySet<number> | undefined): number[] => [...(times ?? [])].sort((a, b) => a - b);

function addTo(times: Map<string, Set<number>>, clip: string, at90k: readonly number[]): void {
  const set = times.get(clip) ?? new Set();
  for (const time of at90k) set.add(time);
  times.set(clip, set);
}
