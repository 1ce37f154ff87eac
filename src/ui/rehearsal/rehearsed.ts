import type { Title } from '@/core/reading';
import type { Reel } from '@/core/reels';
import type { DiscRecord } from '@/store/db';
import type { ReadableSource } from '@/store/sources';

/** What a recipe is tried on. */
export interface Rehearsed {
  readonly disc: DiscRecord;
  readonly title: Title;
  readonly reel: Reel;
  /** Null where the disc is nowhere to be read. */
  readonly source: ReadableSource | null;
}
