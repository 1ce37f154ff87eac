import path from 'node:path';
import { LOCKS, PROVING, QUAY, TWIN, openDisc, titleOf, type OpenDisc } from '@/test-support/discs';
import { assembled, shiftClock, type Assembled } from '@/test-support/spoilt';
import { wholeTitleReel } from '../reels';
import { SECTOR_BYTES } from '../volume';
import { Assembly } from '.';

/** Discs by another author, spoilt in known ways: what is taken stays where it was, and every place is named. */

let locks: OpenDisc;
let quay: OpenDisc;
let seam: OpenDisc;
let twin: OpenDisc;
beforeAll(async () => {
  [locks, quay, seam, twin] = (await Promise.all([LOCKS, QUAY, path.join(PROVING, 'SEAM.iso'), TWIN].map(openDisc))) as [
    OpenDisc,
    OpenDisc,
    OpenDisc,
    OpenDisc,
  ];
});
afterAll(() => Promise.all([locks, quay, seam, twin].map((d) => d.opened.close())));

const MS = 27_000;
/** All but the payload, whose hashes are enough. */
const essence = ({ packets, chaptersMs, faults, endMs }: Assembled) => ({ packets, chaptersMs, faults, endMs });
const kinds = (a: Assembled) => [...new Set(a.faults.map((f) => f.kind))].sort();

/** Packets that are the whole disc's own, at the whole disc's own times. */
function kept(
  whole: Assembled,
  spoilt: Assembled,
  track: number,
): { readonly of: number; readonly count: number; readonly strangers: number } {
  const known = new Set(whole.packets[track]?.map((p) => `${Math.round(p.ticks / MS)} ${p.hash}`));
  const list = spoilt.packets[track] ?? [];
  const count = list.filter((p) => known.has(`${Math.round(p.ticks / MS)} ${p.hash}`)).length;
  return { of: known.size, count, strangers: list.length - count };
}

describe('sectors that a rescue copy left at zero', () => {
  const first = 700;
  const count = 130;
  let whole: Assembled;
  let spoilt: Assembled;
  beforeAll(async () => {
    whole = await assembled(locks, 2, null);
    const base = locks.reading.segments.find((s) => s.id === titleOf(locks.reading, 2).parts[0]?.segment)?.firstSector ?? 0;
    spoilt = await assembled(locks, 2, (data) => data.fill(0, (base + first) * SECTOR_BYTES, (base + first + count) * SECTOR_BYTES));
  });

  test('leave a gap of their own length: chapters, pictures and sound behind them stay where they were', () => {
    expect(spoilt.chaptersMs).toEqual(whole.chaptersMs);
    expect(spoilt.endMs).toBe(whole.endMs);
    for (const track of [0, 1]) {
      const { of, count: same, strangers } = kept(whole, spoilt, track);
      expect(same).toBeGreaterThan(of * 0.85);
      // At the edges a picture or two are spoilt, and shown until the next stamp.
      expect(strangers).toBeLessThan(track === 0 ? 12 : 3);
    }
    // LPCM is cut into other runs behind the gap, from the next packet on: the same samples at the same times, in sum.
    const last = (a: Assembled) => a.packets[2]?.at(-1);
    expect(
      Math.abs(
        (last(spoilt)?.ticks ?? 0) +
          (last(spoilt)?.bytes ?? 0) * 4.5 * 20.8 -
          ((last(whole)?.ticks ?? 0) + (last(whole)?.bytes ?? 0) * 4.5 * 20.8),
      ),
    ).toBeLessThan(25 * MS);
  });

  test('are named to the sector, with what is missing of each track', () => {
    const places = spoilt.faults.filter((f) => f.kind === 'no pack');
    expect(places).toMatchObject([{ content: 'VTS_01', count, track: null }]);
    expect((places[0]?.lastSector ?? 0) - (places[0]?.firstSector ?? 0)).toBe(count - 1);
    for (const track of [0, 1, 2]) {
      const gap = spoilt.faults.find((f) => f.kind === 'gap' && f.track === track);
      expect(gap?.ms ?? 0).toBeGreaterThan(250);
      expect(gap?.ms ?? 0).toBeLessThan(900);
    }
    expect(whole.faults).toEqual([]);
  });
});

describe('the disc’s clock', () => {
  test.each([
    ['the 33 bits of stamps', 2 ** 33],
    ['the 32 bits of navigation packs', 2 ** 32],
  ])('wraps at %s inside a title, and nothing moves', async (_, wrap) => {
    const whole = await assembled(locks, 2, null);
    const wrapped = await assembled(locks, 2, (data, name) => {
      if (name === 'VTS_01') shiftClock(data, wrap - 48_000 - 4 * 90_000);
    });
    expect(essence(wrapped)).toEqual(essence(whole));
  });

  test('with one wrong bit in the stamp of a packet of sound is not followed, and the place is named', async () => {
    const whole = await assembled(quay, 2, null);
    let at = 0;
    const spoilt = await assembled(quay, 2, (data, name) => {
      if (name !== 'VTS_02') return;
      // The two hundredth pack of AC-3 that carries a stamp.
      let n = 0;
      for (let sector = 0; at === 0; sector++) {
        const p = sector * SECTOR_BYTES + 14;
        if (data[p + 3] === 0xbd && data[p + 9 + (data[p + 8] ?? 0)] === 0x80 && (data[p + 7] ?? 0) >> 7 === 1 && ++n === 100) at = p + 9;
      }
      data[at + 1] = (data[at + 1] ?? 0) ^ 0x04;
    });
    expect(spoilt.packets).toEqual(whole.packets);
    expect(spoilt.faults).toMatchObject([{ kind: 'stamp', track: 1, count: 1 }]);
  });
});

describe('one lost packet of a transport stream', () => {
  test('costs LPCM no more than its own packet, and what comes behind is in step to the sample', async () => {
    const whole = await assembled(seam, 1, null);
    let lost = 0;
    const spoilt = await assembled(seam, 1, (data, name) => {
      if (name !== '00051') return;
      let n = 0;
      for (let at = 0; at < data.byteLength && lost === 0; at += 192)
        if ((data[at + 5] ?? 0) % 32 === 0x11 && data[at + 6] === 0x03 && ((data[at + 5] ?? 0) & 0x40) === 0 && ++n === 900) lost = at;
      data.fill(0, lost, lost + 192);
    });
    // From the next PES packet on samples are the clip's own again, and nothing is shifted by a byte.
    const [samples, hurt] = [whole.payload[4], spoilt.payload[4]];
    const behind = Math.floor((samples?.byteLength ?? 0) * 0.5);
    expect((samples?.byteLength ?? 0) - (hurt?.byteLength ?? 0)).toBeLessThan(6000);
    expect(hurt?.subarray(-behind).equals(samples?.subarray(-behind) ?? Buffer.alloc(0))).toBe(true);
    expect(kinds(spoilt)).toEqual(['no pack', 'packets missing']);
    for (const other of [0, 1, 2, 3]) expect(spoilt.packets[other]).toEqual(whole.packets[other]);
  });
});

describe('angles', () => {
  test.each([1, 2, 3])('number %i has all chapters, and each can be had by itself', async (angle) => {
    const piece = { title: 2, angle, fromChapter: 1, toChapter: 2 };
    const whole = await assembled(twin, 2, null, { pieces: [piece] });
    expect(whole.chaptersMs).toHaveLength(2);
    expect(Math.abs((whole.chaptersMs[1] ?? 0) - 2002)).toBeLessThan(10);
    const second = await assembled(twin, 2, null, { pieces: [{ ...piece, fromChapter: 2 }] });
    const hashes = (a: Assembled) => a.packets[0]?.map((p) => p.hash) ?? [];
    expect(hashes(second).length).toBeGreaterThan(40);
    // Behind its first picture: what leads that in needs the chapter before.
    expect(hashes(whole).slice(1 - hashes(second).length)).toEqual(hashes(second).slice(1));
  });
});

test('two assemblies at work at once do not touch each other’s packets', async () => {
  const make = (disc: OpenDisc, title: number) =>
    new Assembly(disc.reading, wholeTitleReel(titleOf(disc.reading, title), 'x'), (name) => disc.opened.content(name));
  const [first, second] = [make(seam, 1), make(seam, 2)];
  const alone = await assembled(seam, 1, null, { damage: 'refuse' });
  const seen = alone.packets.map(() => 0);
  const takeOne = async (assembly: Assembly) => {
    for (;;) {
      const packet = assembly.take();
      if (packet) return packet;
      if (!(await assembly.fill())) return null;
    }
  };
  const { createHash } = await import('node:crypto');
  for (let packet = await takeOne(first); packet; packet = await takeOne(first)) {
    const other = await takeOne(second); // between taking a packet and writing it
    expect(other?.data.byteLength ?? 0).toBeGreaterThanOrEqual(0);
    const n = seen[packet.track] ?? 0;
    expect(createHash('md5').update(packet.data).digest('hex')).toBe(alone.packets[packet.track]?.[n]?.hash);
    seen[packet.track] = n + 1;
  }
  expect(seen).toEqual(alone.packets.map((p) => p.length));
});
