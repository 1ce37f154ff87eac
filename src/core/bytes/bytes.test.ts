import { seeded } from '@/test-support/random';
import {
  BitReader,
  Cursor,
  DiscError,
  blobSource,
  cachedSource,
  extentSource,
  memorySource,
  part,
  readExactly,
  record,
  u16be,
  u32be,
  u64le,
  u8,
  type ByteSource,
} from '.';

const HERE = { source: 'test', byteOffset: 100 };

async function readAll(source: ByteSource, step: number): Promise<Uint8Array> {
  const whole = new Uint8Array(source.sizeBytes);
  for (let at = 0; at < whole.byteLength; at += step) await source.read(at, whole.subarray(at, at + step));
  return whole;
}

describe('records', () => {
  const readMark = record('Mark', 8, { kind: u8(0), length: u16be(1), address: u32be(4) });

  test('fields are read where the table says', () => {
    expect(readMark(Uint8Array.of(7, 1, 2, 0, 0xff, 0, 0, 1), HERE)).toEqual({ kind: 7, length: 0x102, address: 0xff000001 });
  });

  test('a record cut short is an error that says what and where, never the neighbour’s bytes', () => {
    const larger = Uint8Array.from({ length: 20 }, (_, i) => i);
    for (let n = 0; n < 8; n++) {
      expect(() => readMark(larger.subarray(4, 4 + n), HERE)).toThrow(
        expect.objectContaining({ code: 'ended-early', where: { ...HERE, structure: 'Mark' } }),
      );
    }
  });

  test('a table whose field leaves the record is our mistake, found when it is made', () => {
    expect(() => record('Wrong', 4, { tail: u32be(1) })).toThrow('a field leaves the record');
  });

  test('sizes beyond what a number can hold become infinite, which every bound refuses', () => {
    const read = record('Size', 8, { size: u64le(0) });
    expect(read(Uint8Array.of(1, 0, 0, 0, 1, 0, 0, 0), HERE).size).toBe(2 ** 32 + 1);
    expect(read(Uint8Array.of(0, 0, 0, 0, 0, 0, 0x20, 0), HERE).size).toBe(Number.POSITIVE_INFINITY);
  });

  test('a part that is not wholly inside is refused', () => {
    const data = new Uint8Array(10);
    expect(part(data, 4, 6, HERE)).toHaveLength(6);
    for (const [from, length] of [
      [5, 6],
      [-1, 2],
      [11, 0],
      [2, -1],
      [0, Number.POSITIVE_INFINITY],
    ] as const) {
      expect(() => part(data, from, length, HERE)).toThrow(DiscError);
    }
  });
});

describe('sources', () => {
  test.each([1, 2, 3, 4, 5])('extents join to one source, however it is read (seed %i)', async (seed) => {
    const random = seeded(seed);
    const disc = random.bytes(5000);
    const source = memorySource('disc', disc);
    const extents = Array.from({ length: 1 + random.int(9) }, () => {
      const offset = random.int(4500);
      return { source, offset, length: random.int(500) };
    });
    const expected = Buffer.concat(extents.map((e) => disc.subarray(e.offset, e.offset + e.length)));
    const joined = extentSource('joined', extents);
    expect(joined.sizeBytes).toBe(expected.byteLength);
    for (const step of [1, 7, 512, 9000]) expect(Buffer.from(await readAll(joined, step)).equals(expected)).toBe(true);
  });

  test.each([1, 2, 3])('a cached source and a browser file read as the plain source does (seed %i)', async (seed) => {
    const random = seeded(seed);
    const data = random.bytes(300_000);
    const plain = memorySource('plain', data);
    for (const other of [cachedSource(plain), blobSource('file', new Blob([data.slice().buffer]))]) {
      for (let i = 0; i < 60; i++) {
        const offset = random.int(data.byteLength + 100);
        const [a, b] = [new Uint8Array(random.int(140_000)), new Uint8Array(0)];
        const copy = new Uint8Array(a.byteLength);
        expect(await other.read(offset, a)).toBe(await plain.read(offset, copy));
        expect(Buffer.from(a).equals(copy)).toBe(true);
        expect(await other.read(offset, b)).toBe(0);
      }
    }
  });

  test('a cached source reads a place once, and asks again for one that failed', async () => {
    let reads = 0;
    let broken = true;
    const source: ByteSource = {
      name: 'drive',
      sizeBytes: 200_000,
      read: (offset, target) => {
        reads++;
        if (broken && offset + target.byteLength > 70_000)
          return Promise.reject(new DiscError('read-failed', { source: 'drive', byteOffset: 70_000 }, 'scratch'));
        return Promise.resolve(target.byteLength);
      },
    };
    const cached = cachedSource(source);
    for (let i = 0; i < 50; i++) await cached.read(i * 1000, new Uint8Array(500));
    expect(reads).toBe(1);
    // The page holds a scratch, what is asked for does not.
    expect(await cached.read(66_000, new Uint8Array(2048))).toBe(2048);
    await expect(cached.read(69_000, new Uint8Array(2048))).rejects.toThrow('scratch');
    broken = false;
    expect(await cached.read(69_000, new Uint8Array(2048))).toBe(2048);
  });

  test('a structure that says an absurd length is refused before anything is allocated', async () => {
    const source = { ...memorySource('disc', new Uint8Array(10)), sizeBytes: Number.MAX_SAFE_INTEGER };
    await expect(readExactly(source, 0, 2 ** 40, 'Table')).rejects.toMatchObject({ code: 'out-of-range' });
    await expect(readExactly(source, 0, -1, 'Table')).rejects.toMatchObject({ code: 'out-of-range' });
    await expect(readExactly(source, 0, 100, 'Table')).rejects.toMatchObject({ code: 'ended-early' });
    await expect(readExactly(memorySource('disc', new Uint8Array(10)), 8, 4, 'Table')).rejects.toMatchObject({
      code: 'ended-early',
      where: { byteOffset: 8 },
    });
  });
});

test('bits are read across bytes, and past the end as zeros that are noticed', () => {
  const bits = new BitReader(Uint8Array.of(0b1010_0101, 0xff, 0x00, 0x80, 0x01));
  expect([bits.read(3), bits.read(7), bits.read(6)]).toEqual([0b101, 0b0010111, 0b111111]);
  bits.skip(8);
  expect(bits.read(16)).toBe(0x8001);
  expect(bits.overran).toBe(false);
  expect(bits.read(4)).toBe(0);
  expect(bits.overran).toBe(true);
  expect(new BitReader(Uint8Array.of(0xff, 0xff, 0xff, 0xff)).read(32)).toBe(0xffffffff);
});

describe('a cursor', () => {
  const where = { source: 'disc', byteOffset: 1000, structure: 'Thing' };
  const data = Uint8Array.from({ length: 32 }, (_, i) => i);

  test('walks big-endian values and text, and knows what is left', () => {
    const cursor = new Cursor(data, where);
    expect([cursor.u8(), cursor.u16(), cursor.u32()]).toEqual([0, 0x0102, 0x03040506]);
    cursor.skip(58 - 51);
    expect([cursor.position, cursor.left]).toEqual([14, 18]);
    expect(new Cursor(new TextEncoder().encode('INDX0200'), where).text(4)).toBe('INDX');
  });

  test('never leaves its bytes, also where they stand in a larger buffer; the error says where', () => {
    for (let length = 0; length < 4; length++) {
      const cursor = new Cursor(data.subarray(8, 8 + length), where);
      expect(() => cursor.u32()).toThrow(DiscError);
      expect(cursor.position).toBe(0);
    }
    const cursor = new Cursor(data, where);
    cursor.skip(30);
    try {
      cursor.u32();
      throw new Error('read beyond its end');
    } catch (error) {
      expect(error).toMatchObject({ code: 'ended-early', where: { source: 'disc', byteOffset: 1030, structure: 'Thing' } });
    }
    for (const bytes of [-1, 3, 2 ** 31]) expect(() => cursor.skip(bytes)).toThrow(DiscError);
  });

  test('a part stays inside its parent, and says its own name and place', () => {
    const cursor = new Cursor(data, where);
    cursor.skip(4);
    const part = cursor.part(6, 'Part');
    expect(cursor.position).toBe(10);
    expect([part.u8(), part.left]).toEqual([4, 5]);
    expect(() => part.skip(6)).toThrow(/Part needs 6 bytes, 5 are left/);
    expect(part.wrong('out-of-range', 'too much')).toMatchObject({ code: 'out-of-range', where: { byteOffset: 1005, structure: 'Part' } });
    expect(cursor.from(30, 'Tail').u16()).toBe(0x1e1f);
    expect(() => cursor.from(33, 'Tail')).toThrow(DiscError);
  });

  test('knows whether two stand over the same bytes', () => {
    const whole = new Cursor(data, where);
    const copy = new Cursor(data.slice(), { ...where, byteOffset: 5 });
    expect(whole.sameBytes(copy)).toBe(true);
    expect(whole.sameBytes(new Cursor(data.subarray(1), where))).toBe(false);
    expect(
      whole.sameBytes(
        new Cursor(
          data.map((b, i) => (i === 31 ? 0 : b)),
          where,
        ),
      ),
    ).toBe(false);
  });
});
