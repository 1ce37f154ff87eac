import { readNavigationPack } from '../streams';
import type { DvdPgc } from '../dvd';
import { unlessDamaged, type ByteSource } from '../bytes';
import { SECTOR_BYTES } from '../volume';
import { type LooseStretch, type Segment } from './model';
import { titleSetName } from './title-set-name';

/** Less than this between two cells is padding of the author's, not content. */
const LEAST_SECTORS = 32;
/** A stretch longer than this by its own stamps is not believed. */
const MOST_MS = 6 * 3600 * 1000;
const TAIL_SECTORS = 1024;

interface Run {
  readonly first: number;
  /** The last sector is included. */
  readonly last: number;
}

/** The parts of `0..sectors` that no run covers, in order. */
export function gapsBetween(runs: readonly Run[], sectors: number): Run[] {
  const gaps: Run[] = [];
  let next = 0;
  for (const run of [...runs].sort((a, b) => a.first - b.first)) {
    if (run.first > next) gaps.push({ first: next, last: Math.min(run.first, sectors) - 1 });
    next = Math.max(next, run.last + 1);
  }
  if (next < sectors) gaps.push({ first: next, last: sectors - 1 });
  return gaps.filter((gap) => gap.last - gap.first + 1 >= LEAST_SECTORS);
}

/** How long a stretch plays, by its first and last navigation packs; null where they do not say. */
async function durationOf(content: ByteSource, gap: Run): Promise<number | null> {
  const sectors = Math.min(TAIL_SECTORS, gap.last - gap.first + 1);
  const data = new Uint8Array(sectors * SECTOR_BYTES);
  const head =
    (await content.read(gap.first * SECTOR_BYTES, data.subarray(0, SECTOR_BYTES))) === SECTOR_BYTES ? readNavigationPack(data, 0) : null;
  if (!head) return null;
  const got = await content.read((gap.last - sectors + 1) * SECTOR_BYTES, data);
  for (let at = Math.floor(got / SECTOR_BYTES - 1) * SECTOR_BYTES; at >= 0; at -= SECTOR_BYTES) {
    const tail = readNavigationPack(data, at);
    if (!tail) continue;
    const ms = Math.round((tail.endPts90k - head.startPts90k) / 90);
    return tail.vobId === head.vobId && ms > 0 && ms < MOST_MS ? ms : null;
  }
  return null;
}

/**
 * Finds what is on a disc and no title leads to: material left by the author, or hidden on purpose.
 * @param used segments of the set's titles; @param chains all its program chains, whether a title names them or not.
 * @param discSector where the set's content begins on the disc.
 */
export async function findLoose(
  titleSet: number,
  content: ByteSource,
  used: readonly Segment[],
  chains: readonly (DvdPgc | null)[],
  discSector: number,
): Promise<LooseStretch[]> {
  const sectors = Math.floor(content.sizeBytes / SECTOR_BYTES);
  const gaps = gapsBetween(
    used.map((s) => ({ first: s.firstSector, last: s.lastSector })),
    sectors,
  );
  const found: LooseStretch[] = [];
  for (const gap of gaps) {
    const chain = chains.findIndex((pgc) => pgc?.cells.some((c) => c.firstSector <= gap.last && c.lastSector >= gap.first));
    found.push({
      id: `${titleSet}/loose@${gap.first}-${gap.last}`,
      content: titleSetName(titleSet),
      firstSector: gap.first,
      lastSector: gap.last,
      discSector: discSector + gap.first,
      durationMs: await unlessDamaged(durationOf(content, gap), null), // a scratch here says nothing about the titles
      chain: chain < 0 ? null : chain + 1,
    });
  }
  return found;
}
