import { SOURCE_PACKET } from '../streams';
import { SECTOR_BYTES } from '../volume';
import { concatBytes, isDamage, type ByteSource } from '../bytes';
import { canBeTaken, type Segment, type Title } from './model';

/** Titles of one length are looked at for the same content under other addresses; more groups than this are not. */
const MOST_SAMPLED = 200;
const LEAST_MS = 500;
const LENGTH_SLACK_MS = 100;
const PLACES = [0.2, 0.5, 0.8] as const;
/** Heads of packs and packets carry times and addresses, which differ between copies of the same material. */
const PACK_HEAD = 64;
const PACKET_HEAD = 40;
const CLIP_PACKETS = 32;

/** Titles that might be the same: of equal length to a tenth of a second, equal size to a hundredth, and no segment in common. */
function lookAlikes(titles: readonly Title[]): Title[] {
  const usable = titles.filter((t) => canBeTaken(t) && t.durationMs >= LEAST_MS);
  const apart = (a: Title, b: Title) => {
    const own = new Set(a.parts.map((p) => p.segment));
    return !b.parts.some((p) => own.has(p.segment));
  };
  const alike = (a: Title, b: Title) =>
    Math.abs(a.durationMs - b.durationMs) <= LENGTH_SLACK_MS && Math.abs(a.sizeBytes - b.sizeBytes) <= a.sizeBytes / 100 && apart(a, b);
  const byLength = [...usable].sort((a, b) => a.durationMs - b.durationMs);
  // All within the length's slack are held against each other: between two copies may stand another of the same length.
  const found = new Set<Title>();
  byLength.forEach((t, i) => {
    for (let n = i + 1; n < byLength.length; n++) {
      const other = byLength[n] as Title;
      if (other.durationMs - t.durationMs > LENGTH_SLACK_MS) break;
      if (alike(t, other)) found.add(t).add(other);
    }
  });
  return byLength.filter((t) => found.has(t)).slice(0, MOST_SAMPLED);
}

async function payloadAt(source: ByteSource, segment: Segment, place: number): Promise<Uint8Array | null> {
  if (segment.kind === 'clip') {
    const packet = segment.firstPacket + Math.floor((segment.endPacket - segment.firstPacket) * place);
    const data = new Uint8Array(CLIP_PACKETS * SOURCE_PACKET);
    if ((await source.read(packet * SOURCE_PACKET, data)) < data.byteLength) return null;
    for (let at = 0; at < data.byteLength; at += SOURCE_PACKET) data.fill(0, at, at + PACKET_HEAD);
    return data;
  }
  const sector = segment.firstSector + Math.floor((segment.lastSector - segment.firstSector) * place);
  const data = new Uint8Array(2 * SECTOR_BYTES);
  if ((await source.read(sector * SECTOR_BYTES, data)) < data.byteLength) return null;
  for (let at = 0; at < data.byteLength; at += SECTOR_BYTES) {
    const isNavigation = data[at + 0x29] === 0xbf;
    data.fill(0, at, at + (isNavigation ? SECTOR_BYTES : PACK_HEAD));
  }
  return data;
}

/**
 * Samples titles of equal length that stand at different addresses: the same hash means the same content.
 * A few kilobytes are read for each; streams are not scanned.
 * @returns hashes by title number. A place that can not be read leaves its title without one.
 */
export async function sampleTitles(
  titles: readonly Title[],
  segments: ReadonlyMap<string, Segment>,
  open: (content: string) => Promise<ByteSource | null>,
): Promise<ReadonlyMap<number, string>> {
  const samples = new Map<number, string>();
  for (const title of lookAlikes(titles)) {
    const pieces: Uint8Array[] = [];
    const own = title.parts.map((p) => segments.get(p.segment)).filter((s) => s !== undefined);
    const longest = [...own].sort((a, b) => b.durationMs - a.durationMs).slice(0, 2);
    try {
      for (const segment of longest) {
        const source = await open(segment.content);
        for (const place of PLACES) {
          const piece = source && (await payloadAt(source, segment, place));
          if (piece) pieces.push(piece);
        }
      }
    } catch (error) {
      if (!isDamage(error)) throw error;
      continue; // a scratch here is met again, and said, when the title is taken
    }
    if (pieces.length !== longest.length * PLACES.length) continue;
    const digest = new Uint8Array(await crypto.subtle.digest('SHA-256', concatBytes(pieces)));
    samples.set(title.number, [...digest.subarray(0, 12)].map((b) => b.toString(16).padStart(2, '0')).join(''));
  }
  return samples;
}
