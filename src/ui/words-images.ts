import type { CellState, DiscImageState, ImageProgress } from '@/contract';
import type { State } from './parts/controls';
import { bytes } from './format';

/** What is said of disc images and of how they are taken. */

export const PASS: Readonly<Record<ImageProgress['pass'], string>> = {
  'large reads': 'reading in large pieces',
  'the other way': 'from the other side',
  'what was skipped': 'what was passed over',
  edges: 'finding the edges of bad places',
  'sector by sector': 'sector by sector',
  'once more': 'once more over what failed',
};

export const CELL: Readonly<Record<CellState, string>> = {
  read: 'read',
  'not tried': 'not tried yet',
  'looked for': 'holds bad places, still narrowed down',
  unreadable: 'holds sectors that can not be read',
};

export const IMAGE_STATE: Readonly<Record<DiscImageState['state'], { readonly mark: State; readonly text: string }>> = {
  taking: { mark: 'running', text: 'being taken' },
  finishing: { mark: 'running', text: 'hashed' },
  stopped: { mark: 'eyes', text: 'not finished' },
  whole: { mark: 'kept', text: 'whole' },
  'with gaps': { mark: 'damaged', text: 'with gaps' },
};

const sectors = (n: number) => {
  const count = Math.ceil(n / 2048);
  return `${count.toLocaleString('en-GB')} ${count === 1 ? 'sector' : 'sectors'}`;
};

/** How far an image is, in a line. */
export function imageLine({ state, sizeBytes, readBytes, lostBytes }: DiscImageState): string {
  if (state === 'whole') return `${bytes(sizeBytes)}, every sector read`;
  const missing = sizeBytes - readBytes;
  if (state === 'with gaps') return `${sectors(missing)} of ${bytes(sizeBytes)} not read`;
  return [`${bytes(readBytes)} of ${bytes(sizeBytes)}`, lostBytes > 0 ? `${sectors(lostBytes)} in bad places` : '']
    .filter(Boolean)
    .join(', ');
}
