import type { ByteSource } from '../../bytes';
import type { DvdCell } from '../../dvd';
import { navigationAt } from './navigation-at';

/** What 2,048 bytes last at the highest rate of a DVD, 10.08 Mbit/s. */
const LEAST_SECTOR_MS = 1.625;
/** A unit lasts 1.2 s at the most, and has two sectors at the least. DVD-Video: VOBU. */
const MOST_SECTOR_MS = 600;
/** No disc has a cell as long as this: its table is asked no more. */
const MOST_CELL_MS = 3 * 3_600_000;
const WRAP_90K = 2 ** 33;

/** Whether so many sectors can last so long. */
function isPossible({ firstSector, lastSector, durationMs, interleaved }: DvdCell): boolean {
  const sectors = lastSector - firstSector + 1;
  if (durationMs > Math.min(MOST_CELL_MS, sectors * MOST_SECTOR_MS)) return false;
  return durationMs > 0 && (interleaved || durationMs >= (sectors * LEAST_SECTOR_MS) / 2);
}

/**
 * How long a cell lasts where its table says what can not be: by the clock of its first and last navigation packs.
 * @returns milliseconds; null where the table may be right, or nothing else is known.
 */
export async function cellTimeByClock(source: ByteSource, cell: DvdCell): Promise<number | null> {
  if (isPossible(cell)) return null;
  const [first, last] = [await navigationAt(source, cell.firstSector), await navigationAt(source, cell.lastUnitSector)];
  if (!first || last?.vobId !== first.vobId || last.cellId !== first.cellId) return null;
  const ticks = (last.endPts90k - first.startPts90k + WRAP_90K) % WRAP_90K;
  return ticks > MOST_CELL_MS * 90 ? null : Math.round(ticks / 90);
}
