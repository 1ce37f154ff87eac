import { seeded } from '@/test-support/random';
import { readTextSubtitles } from '.';

const segment = (type: number, body: readonly number[]) => [type, body.length >> 8, body.length & 255, ...body];
const stamp = (pts: number) => [Math.floor(pts / 2 ** 32) & 1, (pts >>> 24) & 255, (pts >>> 16) & 255, (pts >>> 8) & 255, pts & 255];
const dialog = (from: number, to: number, more: readonly number[] = [0, 0]) => segment(0x82, [...stamp(from), ...stamp(to), ...more]);

test('a style and dialogues with stamps of 33 bits', () => {
  const style = segment(0x81, [1, 2, 3]);
  const read = readTextSubtitles(Uint8Array.from([...style, ...dialog(90_000, 180_000), ...dialog(2 ** 32 + 5, 2 ** 32 + 90)]));
  expect([...(read.style ?? [])]).toEqual(style);
  expect(read.dialogs.map((d) => [d.start90k, d.end90k, d.data.byteLength])).toEqual([
    [90_000, 180_000, 15],
    [2 ** 32 + 5, 2 ** 32 + 90, 15],
  ]);
  expect(read.strayBytes).toBe(0);
});

test('what ends before it begins, is too short, cut off or unknown is passed over or ends the reading', () => {
  expect(readTextSubtitles(Uint8Array.from(dialog(50, 50))).dialogs).toEqual([]);
  expect(readTextSubtitles(Uint8Array.from(segment(0x82, [1, 2]))).dialogs).toEqual([]);
  const whole = [...segment(0x81, [9]), ...dialog(1, 2)];
  expect(readTextSubtitles(Uint8Array.from(whole.slice(0, -1)))).toMatchObject({ dialogs: [], strayBytes: 14 });
  expect(readTextSubtitles(Uint8Array.from([...whole, 0x77, 0, 0, 1])).strayBytes).toBe(4);
  for (let seed = 0; seed < 400; seed++) {
    const random = seeded(seed);
    const read = readTextSubtitles(
      Uint8Array.from({ length: random.int(300) }, () => random.pick([0x81, 0x82, 0, 1, 10, random.int(256)])),
    );
    expect(read.strayBytes).toBeGreaterThanOrEqual(0);
    for (const d of read.dialogs) expect(d.end90k).toBeGreaterThan(d.start90k);
  }
});
