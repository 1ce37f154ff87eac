import { seeded, type Random } from '@/test-support/random';
import { DiscError, type ByteSource } from '../bytes';
import { SECTOR_BYTES } from '../volume';
import {
  CURVE_PARTS,
  ReadingCurve,
  RescueMap,
  STRETCH_STATES,
  fillSector,
  mappedSource,
  patientSource,
  samePressing,
  takeImage,
  wornShare,
} from '.';

/**
 * Taking a worn medium, against the medium itself: what it can give, told sector by sector before anything reads it. Stopped at any read and
 * gone on with from the map's text, it must come to the same end.
 */

interface Medium extends ByteSource {
  readonly data: Uint8Array;
  /** Sectors that never come. */
  readonly dead: ReadonlySet<number>;
  reads: number;
}

/** Other bytes in every sector, fast. */
function content(random: Random, bytes: number): Uint8Array {
  const words = new Uint32Array(bytes / 4);
  let state = 1 + random.int(2 ** 31);
  for (let i = 0; i < words.length; i++) words[i] = state = (Math.imul(state, 1_664_525) + 1_013_904_223) >>> 0;
  return new Uint8Array(words.buffer);
}

/** A medium with scratches of all widths; `flaky` sectors come at the third try. */
function medium(random: Random, sectors: number, scratches: number, flaky = 0): Medium {
  const data = content(random, sectors * SECTOR_BYTES);
  const dead = new Set<number>();
  for (let i = 0; i < scratches; i++) {
    const [from, width] = [random.int(sectors), 1 + random.int(random.pick([1, 3, 40, 600]))];
    for (let s = from; s < Math.min(sectors, from + width); s++) dead.add(s);
  }
  const tries = new Map<number, number>();
  for (let i = 0; i < flaky; i++) tries.set(random.int(sectors), 0);
  const made: Medium = {
    name: 'worn',
    sizeBytes: data.byteLength,
    data,
    dead,
    reads: 0,
    read: (offset, target) => {
      made.reads++;
      const end = Math.min(offset + target.byteLength, data.byteLength);
      let fails = false;
      for (let s = Math.floor(offset / SECTOR_BYTES); s * SECTOR_BYTES < end; s++) {
        const tried = tries.get(s);
        if (tried !== undefined) tries.set(s, tried + 1);
        if (dead.has(s) || (tried !== undefined && tried < 2)) fails = true;
      }
      // What a failing read leaves in the buffer is not the medium's.
      if (fails) {
        target.fill(0xee);
        return Promise.reject(new DiscError('read-failed', { source: 'worn', byteOffset: offset }, 'scratched'));
      }
      target.set(data.subarray(offset, end));
      return Promise.resolve(end - offset);
    },
  };
  return made;
}

interface Taken {
  readonly image: Uint8Array;
  map: RescueMap;
}
const blank = (of: ByteSource): Taken => ({ image: new Uint8Array(of.sizeBytes), map: RescueMap.untouched(of.sizeBytes) });

/** @param stopAfter reads, after which it is killed: only what the map's text says is known then. */
async function take(source: ByteSource, taken: Taken, { retries = 0, stopAfter = Infinity, isThere = true } = {}): Promise<void> {
  let steps = 0;
  await takeImage(source, taken.map, {
    write: (offset, data) => {
      taken.image.set(data, offset);
      return Promise.resolve();
    },
    onStep: () => {
      if (++steps >= stopAfter) throw new Error('killed');
    },
    isThere: () => Promise.resolve(isThere),
    retries,
    now: () => 0,
  });
}

/** Sector by sector: read and as it stood there, or not read because it can not be. */
function expectTaken({ image, map }: Taken, { data, dead, sizeBytes }: Medium): void {
  const gaps = map.gaps(0, sizeBytes);
  const lost = new Set(gaps.flatMap((g) => Array.from({ length: (g.to - g.from) / SECTOR_BYTES }, (_, i) => g.from / SECTOR_BYTES + i)));
  expect([...lost].sort((a, b) => a - b)).toEqual([...dead].sort((a, b) => a - b));
  expect(map.bytesOf('read') + map.bytesOf('unreadable')).toBe(sizeBytes);
  for (let s = 0; s * SECTOR_BYTES < sizeBytes; s++) {
    const part = (bytes: Uint8Array) => Buffer.from(bytes.buffer, bytes.byteOffset + s * SECTOR_BYTES, SECTOR_BYTES);
    if (!lost.has(s) && !part(image).equals(part(data))) throw new Error(`sector ${s} is not as it stood on the medium`);
  }
}

test.each(Array.from({ length: 25 }, (_, i) => i))(
  'all that can be read is read, and nothing else is called read (seed %i)',
  async (seed) => {
    const random = seeded(seed);
    const worn = medium(random, 500 + random.int(4000), random.int(12));
    const taken = blank(worn);
    await take(worn, taken);
    expectTaken(taken, worn);
    // Beside the large reads, no more than a few for each sector that is near a bad one.
    expect(worn.reads).toBeLessThan(worn.sizeBytes / 524_288 + 40 + worn.dead.size * 3 + 700 * 12);
  },
);

test.each([1, 2, 3, 4, 5, 6])('killed at any read and gone on with from its text, it comes to the same end (seed %i)', async (seed) => {
  const random = seeded(100 + seed);
  const worn = medium(random, 3000, 6);
  const taken = blank(worn);
  for (let attempt = 0; attempt < 5000; attempt++) {
    try {
      await take(worn, taken, { stopAfter: 1 + random.int(60) });
      break;
    } catch (error) {
      if ((error as Error).message !== 'killed') throw error;
      taken.map = RescueMap.parse(taken.map.toText(['killed']), 'map', worn.sizeBytes);
    }
  }
  expectTaken(taken, worn);
});

test('what comes at the third try comes; the good half of a disc is read before the bad places are picked at', async () => {
  const flaky = medium(seeded(7), 2000, 0, 12);
  const taken = blank(flaky);
  await take(flaky, taken, { retries: 3 });
  expectTaken(taken, flaky);

  const worn = medium(seeded(8), 20_000, 3);
  const order: boolean[] = [];
  await takeImage(worn, RescueMap.untouched(worn.sizeBytes), {
    write: () => Promise.resolve(),
    onStep: ({ bytes }) => void order.push(bytes > 16 * SECTOR_BYTES),
    isThere: () => Promise.resolve(true),
    retries: 0,
    now: () => 0,
  });
  // Large reads end before small ones begin, but for what stands alone at the edge of one.
  expect(order.slice(order.indexOf(false) + 4).filter(Boolean).length).toBeLessThan(3);
});

test('a drive that has become empty is no worn disc: the map keeps what it said', async () => {
  const random = seeded(9);
  const disc = medium(random, 4000, 0);
  const taken = blank(disc);
  await expect(take(disc, taken, { stopAfter: 3 })).rejects.toThrow('killed');
  const pulled: ByteSource = { ...disc, read: () => Promise.reject(new DiscError('read-failed', { source: 'x', byteOffset: 0 }, 'empty')) };
  await expect(take(pulled, taken, { isThere: false })).rejects.toMatchObject({ code: 'source-gone' });
  expect(taken.map.bytesOf('unreadable', 'edge not found', 'not searched')).toBe(0);
});

test('a drive that is read for a master gives all that it can, and what is lost is asked for no more', async () => {
  for (let seed = 1; seed <= 12; seed++) {
    const random = seeded(seed);
    const sectors = 400 + random.int(2000);
    const disc = medium(random, sectors, random.int(5), random.int(30));
    const told: number[] = [];
    const patient = patientSource(disc, {
      isThere: () => Promise.resolve(true),
      retries: 3,
      onRescued: (from, to, lost) => {
        expect([from % SECTOR_BYTES, to % SECTOR_BYTES]).toEqual([0, 0]);
        told.push(lost);
      },
    });
    const isDead = (from: number, to: number) => {
      for (let s = Math.floor(from / SECTOR_BYTES); s * SECTOR_BYTES < to; s++) if (disc.dead.has(s)) return s;
      return null;
    };
    /** What comes is the medium's own; what does not ends at the first sector that is dead. */
    const read = async (from: number, bytes: number) => {
      const target = new Uint8Array(bytes);
      const end = Math.max(from, Math.min(disc.sizeBytes, from + bytes));
      const dead = isDead(from, end);
      const got = await patient.read(from, target).catch((error: unknown) => error as DiscError);
      if (dead === null) {
        expect(got).toBe(end - from);
        expect(Buffer.compare(target.subarray(0, end - from), disc.data.subarray(from, end))).toBe(0);
      } else {
        expect(got).toBeInstanceOf(DiscError);
        expect(Math.floor((got as DiscError).where.byteOffset / SECTOR_BYTES)).toBe(dead);
      }
    };
    // As an assembly reads: a chunk, and where that fails all of it sector by sector; with bytes of no sector's size in between.
    const chunk = 64 * SECTOR_BYTES;
    for (let from = 0; from < disc.sizeBytes; from += chunk) {
      await read(from, chunk);
      for (let at = from; isDead(from, from + chunk) !== null && at < Math.min(disc.sizeBytes, from + chunk); at += SECTOR_BYTES)
        await read(at, SECTOR_BYTES);
      await read(from + random.int(chunk / 2), 1 + random.int(5000));
    }
    expect(patient.gaps?.(0, disc.sizeBytes).reduce((sum, g) => sum + g.to - g.from, 0)).toBe(disc.dead.size * SECTOR_BYTES);
    expect(told.reduce((sum, n) => sum + n, 0)).toBe(disc.dead.size * SECTOR_BYTES);
    const { reads } = disc;
    for (const s of disc.dead) await read(s * SECTOR_BYTES, SECTOR_BYTES);
    expect(disc.reads).toBe(reads);
  }
});

test('a drive that is empty in the middle of a master says so, and is not worn for it', async () => {
  const disc = medium(seeded(3), 2000, 0);
  const gone: ByteSource = {
    ...disc,
    read: () => Promise.reject(new DiscError('read-failed', { source: 'worn', byteOffset: 0 }, 'no disc')),
  };
  let asked = 0;
  const patient = patientSource(gone, {
    isThere: () => {
      asked++;
      return Promise.resolve(false);
    },
    retries: 3,
    onRescued: () => undefined,
  });
  await expect(patient.read(0, new Uint8Array(64 * SECTOR_BYTES))).rejects.toMatchObject({ code: 'source-gone' });
  expect(asked).toBe(1);
});

test('two copies, each with scratches of its own, make one that is whole; another pressing is known', async () => {
  const random = seeded(11);
  const first = medium(random, 5000, 5);
  const second = medium(random, 5000, 5);
  second.data.set(first.data);
  const taken = blank(first);
  await take(first, taken);
  const image = { name: 'image', sizeBytes: first.sizeBytes, read: memoryRead(taken.image) };
  expect(await samePressing(second, image, taken.map)).toMatchObject({ isSame: true, different: 0 });
  const other = medium(random, 5000, 2);
  expect((await samePressing(other, image, taken.map)).isSame).toBe(false);
  const shorter = medium(random, 4999, 0);
  shorter.data.set(first.data.subarray(0, shorter.sizeBytes));
  expect((await samePressing(shorter, image, taken.map)).isSame).toBe(false);

  for (const { from, to } of taken.map.gaps(0, first.sizeBytes)) taken.map.set(from, to, 'not tried');
  await take(second, taken);
  const both = new Set([...first.dead].filter((s) => second.dead.has(s)));
  expectTaken(taken, { ...first, dead: both });
});

const memoryRead = (data: Uint8Array) => (offset: number, target: Uint8Array) => {
  target.set(data.subarray(offset, offset + target.byteLength));
  return Promise.resolve(target.byteLength);
};

describe('the map', () => {
  test('is, after any changes, what a byte by byte account of them is; its text says the same', () => {
    for (let seed = 0; seed < 60; seed++) {
      const random = seeded(seed);
      const size = 1 + random.int(300);
      const account = Array<string>(size).fill('not tried');
      let map = RescueMap.untouched(size);
      for (let i = 0; i < 60; i++) {
        const [from, to, state] = [random.int(size), random.int(size + 20), random.pick(STRETCH_STATES)];
        map.set(from, to, state);
        account.fill(state, from, Math.max(from, to));
        if (i % 20 === 0) map = RescueMap.parse(map.toText(), 'map', size);
      }
      expect(map.all.flatMap((s) => Array<string>(s.to - s.from).fill(s.state))).toEqual(account);
      expect(map.all.every((s, i) => i === 0 || s.state !== map.all[i - 1]?.state)).toBe(true);
      const [from, to] = [random.int(size), random.int(size + 1)];
      const gaps = map.gaps(from, to).flatMap((g) => Array.from({ length: g.to - g.from }, (_, i) => g.from + i));
      expect(gaps).toEqual(account.flatMap((s, i) => (i >= from && i < to && s !== 'read' ? [i] : [])));
    }
  });

  // Written by hand after the published description of the form: remarks, a status line, then position, size and state.
  const FOREIGN = `# Mapfile. Created by something else
# Command line: something else /dev/sr0 disc.iso disc.map
# current_pos  current_status  current_pass
0x00010000     /               1
#      pos        size  status
0x00000000  0x00010000  +
0x00010000  0x00000800  -
0x00010800  2048  /
0x00011000  0x00001000  *
0x00020000  0x00000800  ?
`;
  test('of others is read, with what it leaves out', () => {
    const map = RescueMap.parse(FOREIGN, 'disc.map', 0x30000);
    expect(map.all.map((s) => [s.from, s.to, s.state])).toEqual([
      [0, 0x10000, 'read'],
      [0x10000, 0x10800, 'unreadable'],
      [0x10800, 0x11000, 'not searched'],
      [0x11000, 0x12000, 'edge not found'],
      [0x12000, 0x30000, 'not tried'],
    ]);
  });

  test.each([
    ['', 'It is empty'],
    ['# nothing\n', 'It is empty'],
    ['<html>', 'no status line'],
    ['0x0 +\n0x0 0x800 x\n', 'says nothing of a stretch'],
    ['0x0 + 1\n0x800 0x800 +\n0x0 0x900 +\n', 'begins before the one above it ends'],
    ['0x0 +\n0x0 0xFFFFFFFFFFF +\n', 'no disc is that large'],
    ['0x0 +\n0x0 0x1000000 +\n', 'were read, and there are'],
    ['0x0 +\n0x0 -5 +\n', 'says nothing of a stretch'],
  ])('that is none is refused: %j', (text, why) => {
    expect(() => RescueMap.parse(text, 'disc.map', 4096)).toThrow(expect.objectContaining({ code: 'bad-map' }) as Error);
    expect(() => RescueMap.parse(text, 'disc.map', 4096)).toThrow(why);
  });

  test('spoilt at random, is refused or a map of the whole medium', () => {
    const random = seeded(3);
    for (let i = 0; i < 3000; i++) {
      const text = Array.from(FOREIGN, (c) => (random.int(60) === 0 ? random.pick(Array.from('0x+-?*/\n #9F')) : c)).join('');
      try {
        const { all, sizeBytes } = RescueMap.parse(text, 'disc.map', 0x30000);
        expect(sizeBytes).toBe(0x30000);
        expect(all.every((s, n) => s.from === (n === 0 ? 0 : all[n - 1]?.to) && s.to > s.from)).toBe(true);
      } catch (error) {
        expect(error).toBeInstanceOf(DiscError);
      }
    }
  });
});

test('an image with its map can not be read where nothing was read, whatever stands there', async () => {
  const data = new Uint8Array(8 * SECTOR_BYTES).fill(7);
  const map = RescueMap.untouched(data.byteLength);
  map.set(0, data.byteLength, 'read');
  map.set(3 * SECTOR_BYTES, 4 * SECTOR_BYTES, 'unreadable');
  const source = mappedSource({ name: 'image', sizeBytes: data.byteLength, read: memoryRead(data) }, map);
  expect(await source.read(0, new Uint8Array(3 * SECTOR_BYTES))).toBe(3 * SECTOR_BYTES);
  await expect(source.read(0, new Uint8Array(3 * SECTOR_BYTES + 1))).rejects.toMatchObject({
    code: 'read-failed',
    where: { byteOffset: 3 * SECTOR_BYTES },
  });
  expect(await source.read(4 * SECTOR_BYTES, new Uint8Array(SECTOR_BYTES))).toBe(SECTOR_BYTES);
});

test('what is put in place of a sector is neither a pack nor a packet', () => {
  for (const fill of ['zeroes', 'words'] as const) {
    const sector = fillSector(fill);
    expect(sector.byteLength).toBe(SECTOR_BYTES);
    expect(Buffer.from(sector.subarray(0, 3)).toString('hex')).not.toBe('000001');
    expect(sector[4]).not.toBe(0x47);
  }
});

test('a zone that is read at half the speed of its neighbours counts as worn; the slow inside of a disc does not', () => {
  const size = CURVE_PARTS * 1e6;
  const worn = (speed: (i: number) => number) => {
    const curve = new ReadingCurve(size);
    for (let i = 0; i < CURVE_PARTS; i++) curve.add({ pass: 'large reads', from: i * 1e6, bytes: 1e6, read: true, ms: 1e9 / speed(i) });
    return wornShare(curve.all);
  };
  const usual = (i: number) => 4e6 + i * 2e4;
  expect(worn(usual)).toBe(0);
  expect(worn((i) => (i >= 50 && i < 60 ? usual(i) / 3 : usual(i)))).toBeCloseTo(0.05, 2);
  // A wide zone is as slow as most of what lies next to it.
  expect(worn((i) => (i >= 80 && i < 120 ? usual(i) / 3 : usual(i)))).toBeCloseTo(0.2, 2);
  // Two layers: out to the edge, and back in.
  expect(worn((i) => usual(i < 100 ? i * 2 : (199 - i) * 2))).toBe(0);
});
