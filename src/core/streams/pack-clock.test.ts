import { seeded } from '@/test-support/random';
import { PackClock } from './pack-clock';
import { readScr } from './program-stream';

const PACK = 2048;
const WRAP = 2 ** 33;

/** A pack head as ISO/IEC 13818-1 2.5.3.3 lays it out: the clock in three pieces, each with a marker behind it. */
function writePack(data: Uint8Array, at: number, scr: number): void {
  const clock = BigInt(scr);
  const bits =
    (0b01n << 46n) |
    (((clock >> 30n) & 7n) << 43n) |
    (1n << 42n) |
    (((clock >> 15n) & 0x7fffn) << 27n) |
    (1n << 26n) |
    ((clock & 0x7fffn) << 11n) |
    (1n << 10n) |
    1n;
  data.set([0, 0, 1, 0xba], at);
  for (let i = 0; i < 6; i++) data[at + 4 + i] = Number((bits >> BigInt(40 - 8 * i)) & 0xffn);
  data.set([0x01, 0x89, 0xc3, 0xf8, 0, 0, 1, 0xbe, 0x07, 0xec], at + 10);
}

function stream(clocks: readonly number[]): Uint8Array {
  const data = new Uint8Array(clocks.length * PACK);
  clocks.forEach((scr, i) => {
    writePack(data, i * PACK, scr);
  });
  return data;
}
const outOfPlace = (data: Uint8Array): number[] => {
  const clock = new PackClock();
  return Array.from({ length: data.byteLength / PACK }, (_, i) => i).filter((i) => clock.isOutOfPlace(data, i * PACK, data.byteLength));
};

/** Clocks of a stretch as a recorder writes them: rising by the time a pack takes at 10 Mb/s or more, over the wrap as well. */
function rising(random: ReturnType<typeof seeded>, length: number): number[] {
  let scr = random.int(2) === 0 ? random.int(1_000_000) : WRAP - random.int(20_000);
  return Array.from({ length }, () => {
    scr = (scr + 147 + random.int(3000)) % WRAP;
    return scr;
  });
}

test('the clock of a head laid out by the standard is read as it was written, up to its last bit', () => {
  const random = seeded(1);
  const clocks = [0, 1, 0x7fff, 0x8000, 2 ** 30 - 1, 2 ** 30, 2 ** 32, WRAP - 1, ...Array.from({ length: 200 }, () => random.int(WRAP))];
  const data = stream(clocks);
  clocks.forEach((scr, i) => {
    expect(readScr(data, i * PACK)).toBe(scr);
  });
});

test('no pack of a clock that rises is out of place, over the wrap too', () => {
  for (let seed = 0; seed < 300; seed++) expect([seed, outOfPlace(stream(rising(seeded(seed), 40)))]).toEqual([seed, []]);
});

test('a pack that comes again, or from elsewhere, is out of place, and only it', () => {
  for (let seed = 0; seed < 300; seed++) {
    const random = seeded(seed);
    const clocks = rising(random, 40);
    const at = 5 + random.int(30);
    const again = [...clocks.slice(0, at), clocks[at - 1 - random.int(4)] ?? 0, ...clocks.slice(at)];
    expect([seed, outOfPlace(stream(again))]).toEqual([seed, [at]]);
    const elsewhere = [...clocks];
    elsewhere[at] = ((clocks[at] ?? 0) + 10_000_000 + random.int(1_000_000)) % WRAP;
    expect([seed, outOfPlace(stream(elsewhere))]).toEqual([seed, [at]]);
  }
});

test('what does not follow what came before is measured anew', () => {
  const data = stream([...rising(seeded(4), 10), 5, 400, 900]);
  const clock = new PackClock();
  const found: number[] = [];
  for (let i = 0; i < 13; i++) {
    if (i === 10) clock.forget();
    if (clock.isOutOfPlace(data, i * PACK, data.byteLength)) found.push(i);
  }
  expect(found).toEqual([]);
});
