import { seeded } from '@/test-support/random';
import { SECTOR } from './block';
import type { Draw } from './draw';
import type { FileToWrite } from './iso';

/** Sectors of a disc that hold something else than its author wrote. */
export interface Spoilt {
  /** Which of its files of content. */
  readonly content: number;
  /** Where in it they begin, 0 to 1. */
  readonly share: number;
  readonly sectors: number;
  /** What can not be read stands as noise in the image, and is refused by whoever reads it. */
  readonly how: 'zeros' | 'noise' | 'repeated' | 'unreadable';
}

const isContent = ({ name }: FileToWrite): boolean => /\.(VOB|m2ts)$/.test(name);

/** What goes wrong with a disc after its author is done with it. */
export function drawSpoilt(draw: Draw): Spoilt {
  return {
    content: draw.between(0, 100),
    share: draw.between(0, 999) / 1000,
    sectors: draw.oneOf([1, 1, 3, 12]),
    how: draw.kind('sectors', ['zeros', 'noise', 'repeated', 'unreadable']),
  };
}

/** The same files, some sectors of one of which hold something else. */
export function spoil(files: readonly FileToWrite[], spoilt: Spoilt | undefined): readonly FileToWrite[] {
  const contents = files.filter(isContent);
  const hurt = spoilt && contents[spoilt.content % contents.length];
  if (!hurt) return files;
  const { share, sectors, how } = spoilt;
  const bytes = hurt.bytes.slice();
  const from = Math.floor((bytes.byteLength / SECTOR) * share) * SECTOR;
  const place = bytes.subarray(from, from + sectors * SECTOR);
  const random = seeded(spoilt.content + 1);
  if (how === 'zeros') place.fill(0);
  else if (how === 'noise' || how === 'unreadable') place.forEach((_, i) => (place[i] = random.int(256)));
  else place.set(bytes.slice(Math.max(0, from - place.byteLength), from).subarray(0, place.byteLength));
  return files.map((file) => (file === hurt ? { ...file, bytes } : file));
}
