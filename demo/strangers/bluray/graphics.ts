import { concatBytes } from '@/core/bytes';
import type { GraphicsPlan, Picture } from './plan';

/** A display set, and the time at which it stands. */
export interface DisplaySet {
  readonly segments: readonly Uint8Array[];
  readonly at90k: number;
  readonly length90k: number;
}

const [PALETTE, OBJECT, COMPOSITION, WINDOW, END] = [0x14, 0x15, 0x16, 0x17, 0x80];
const [WIDTH, HEIGHT] = [64, 16];
const CLEARED_90K = 1;

const word = (value: number): number[] => [(value >> 8) & 255, value & 255];

/** BD-ROM part 3, segments of presentation graphics: kind, length, content. */
const segment = (kind: number, content: readonly number[]): Uint8Array => Uint8Array.from([kind, ...word(content.length), ...content]);

/** Lines of one colour each, run-length coded. */
const runs = (shade: number): number[] =>
  Array.from({ length: HEIGHT }, (_, row) => [0, 0xc0 | (WIDTH >> 8), WIDTH & 255, 1 + ((row + shade) % 3), 0, 0]).flat();

/** Each event is an epoch of its own: it begins with all that it needs, and is cleared again. */
export function displaySets({ events }: GraphicsPlan, { widthPixels, heightPixels }: Picture): DisplaySet[] {
  let number = 0;
  const at = [...word(32), ...word(heightPixels - 2 * HEIGHT)];
  const window = segment(WINDOW, [1, 0, ...at, ...word(WIDTH), ...word(HEIGHT)]);
  const composition = (state: number, objects: readonly number[]) =>
    segment(COMPOSITION, [...word(widthPixels), ...word(heightPixels), 0x10, ...word(number++), state, 0, 0, ...objects]);
  return events.flatMap(({ at90k, length90k, forced, shade }) => {
    const palette = segment(PALETTE, [0, 0, ...[1, 2, 3].flatMap((i) => [i, (shade * 37 + i * 60) & 255, 128, 128, 255])]);
    const object = runs(shade);
    const size = object.length + 4;
    const drawn = segment(OBJECT, [...word(0), 0, 0xc0, 0, ...word(size), ...word(WIDTH), ...word(HEIGHT), ...object]);
    const end = segment(END, []);
    return [
      { segments: [composition(0x80, [1, ...word(0), 0, forced ? 0x40 : 0, ...at]), window, palette, drawn, end], at90k, length90k },
      { segments: [composition(0, [0]), window, end], at90k: at90k + length90k, length90k: CLEARED_90K },
    ];
  });
}

export const wholeSet = ({ segments }: DisplaySet): Uint8Array => concatBytes(segments);
