import { Assembly } from '@/core/assembly';
import { concatBytes } from '@/core/bytes';
import type { Fault, Reading, Title } from '@/core/reading';
import { takeAudio, wholeTitleReel, type Reel } from '@/core/reels';
import type { Came } from './judge-track';

export const shown = (ms: number): string => `${(ms / 1000).toFixed(3)} s`;

export const saidOf = ({ kind, atMs, track, firstSector }: Fault) =>
  `${kind} at ${shown(atMs)}, track ${track ?? '-'}, sector ${firstSector}`;

/** Opens content of a disc by its name. */
export type Open = ConstructorParameters<typeof Assembly>[2];

/** A title whole, with all its sound. */
export const reelOf = (title: Title): Reel => ({ ...wholeTitleReel(title, ''), audio: title.audio.map((t, i) => takeAudio(t, i === 0)) });

export const bytesOf = (came: readonly Came[] | undefined): Uint8Array => concatBytes((came ?? []).map((c) => c.bytes));

/** All packets of a reel, by track. */
export async function taken(reading: Reading, reel: Reel, open: Open): Promise<{ assembly: Assembly; came: Came[][] }> {
  const assembly = new Assembly(reading, reel, open);
  const came: Came[][] = assembly.tracks.map(() => []);
  while (await assembly.fill())
    for (let packet = assembly.take(); packet; packet = assembly.take())
      came[packet.track]?.push({ ticks: packet.ticks, bytes: packet.data.slice() });
  return { assembly, came };
}
