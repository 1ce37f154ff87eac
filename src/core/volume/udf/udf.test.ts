import { spawnSync } from 'node:child_process';
import { mkdirSync, readFileSync, readdirSync, statSync, writeFileSync } from 'node:fs';
import path from 'node:path';
import { writeUdfImage, type ImageFile, type ImageOptions } from '../../../../demo/udf-author';
import { DiscError, memorySource } from '../../bytes';
import { temporaryFolder } from '@/test-support/discs';
import { damaged, seeded } from '@/test-support/random';
import { openUdf, type Volume } from '..';

/** Images of all kinds of partitions, written by an author of our own that 7z reads as well. */

const random = seeded(42);
const FILES: ImageFile[] = [
  { path: 'BDMV/index.bdmv', data: random.bytes(300), piece: -1 },
  { path: 'BDMV/PLAYLIST/00000.mpls', data: random.bytes(4000) },
  { path: 'BDMV/STREAM/00000.m2ts', data: random.bytes(250_000), piece: 7 },
  { path: 'BDMV/STREAM/00001.m2ts', data: random.bytes(90_001) },
  { path: 'CERTIFICATE/empty.bin', data: new Uint8Array(0) },
  { path: 'Ünïcödé ☆.txt', data: random.bytes(10) },
  ...Array.from({ length: 60 }, (_, i) => ({
    path: `BDMV/CLIPINF/${String(i).padStart(5, '0')}.clpi`,
    data: random.bytes(random.int(900)),
  })),
];
const KINDS: ImageOptions[] = [
  { kind: 'plain', label: 'PLAIN' },
  { kind: 'metadata', label: 'REEF_DIVE', scattered: true },
  { kind: 'sparable', label: 'SPARED', spared: [0, 2, 3] },
  { kind: 'virtual', label: 'SESSIONS' },
];
const images = new Map(KINDS.map((k) => [k.kind, writeUdfImage(FILES, k)]));
const imageOf = (kind: ImageOptions['kind']): Uint8Array => images.get(kind) ?? new Uint8Array(0);

async function contents(volume: Volume, at = ''): Promise<Map<string, Uint8Array>> {
  const found = new Map<string, Uint8Array>();
  for (const entry of (await volume.list(at)) ?? []) {
    const name = at === '' ? entry.name : `${at}/${entry.name}`;
    if (entry.kind === 'folder') for (const [k, v] of await contents(volume, name)) found.set(k, v);
    else {
      const file = await volume.open(name);
      const data = new Uint8Array(file?.sizeBytes ?? 0);
      expect(await file?.read(0, data)).toBe(data.byteLength);
      found.set(name, data);
    }
  }
  return found;
}
const same = (found: ReadonlyMap<string, Uint8Array>) => {
  expect([...found.keys()].sort()).toEqual(FILES.map((f) => f.path).sort());
  for (const { path: name, data } of FILES) expect(Buffer.from(found.get(name) ?? []).equals(data)).toBe(true);
};

describe.each(KINDS)('a $kind partition', ({ kind, label }) => {
  test('gives every file with every byte, wherever its pieces lie', async () => {
    const volume = await openUdf(memorySource('disc.iso', imageOf(kind)));
    same(await contents(volume));
    expect(volume).toMatchObject({ label, fileSystem: 'UDF', remarks: [] });
    const pieces = await volume.open('BDMV/STREAM/00000.m2ts');
    expect(pieces?.contiguous).toBe(false);
    expect((await volume.open('BDMV/index.bdmv'))?.firstSector).toBeNull();
  });

  test('damaged anywhere, gives a typed error or part of the tree', async () => {
    let opened = 0;
    for (let seed = 0; seed < 250; seed++) {
      const source = seeded(seed);
      const copy = imageOf(kind).slice();
      const [from, to] = source.int(2) ? [32 * 2048, 70 * 2048] : [290 * 2048, 420 * 2048];
      copy.set(damaged(copy.subarray(from, to), source, 1 + source.int(60)), from);
      try {
        const volume = await openUdf(memorySource('disc.iso', copy));
        for (const folder of ['', 'BDMV', 'BDMV/STREAM']) await volume.list(folder);
        const file = await volume.open('BDMV/STREAM/00000.m2ts');
        await file?.read(0, new Uint8Array(Math.min(file.sizeBytes, 1_000_000)));
        opened++;
      } catch (error) {
        if (!(error instanceof DiscError)) throw new Error(`seed ${seed}: ${String(error)}`, { cause: error });
      }
    }
    expect(opened).toBeGreaterThan(20);
  });
});

test('another reader sees the same in the author’s images', () => {
  for (const kind of ['plain', 'metadata'] as const) {
    const folder = temporaryFolder();
    const image = path.join(folder, `${kind}.iso`);
    const out = path.join(folder, 'out');
    mkdirSync(out);
    writeFileSync(image, writeUdfImage(FILES, { kind, label: 'OTHER' }));
    const { stdout, stderr } = spawnSync('7z', ['x', '-y', `-o${out}`, image], { encoding: 'utf8' });
    // It wonders about the mirror at the end of a metadata image, which it does not know; the files are what counts.
    if (!stdout.includes('Type = Udf')) throw new Error(`${kind}: ${stdout}${stderr}`);
    const found = new Map(
      readdirSync(out, { recursive: true })
        .map(String)
        .filter((n) => statSync(path.join(out, n)).isFile())
        .map((n) => [n, new Uint8Array(readFileSync(path.join(out, n)))] as const),
    );
    same(found);
  }
});

describe('what the disc keeps twice', () => {
  /** Overwrites every sector that holds a file entry of this type. */
  const spoil = (image: Uint8Array, type: number): Uint8Array => {
    const copy = image.slice();
    for (let at = 300 * 2048; at < copy.byteLength; at += 2048)
      if (copy[at] === 10 && copy[at + 1] === 1 && copy[at + 27] === type) copy.fill(0xee, at, at + 2048);
    return copy;
  };

  test('the mirror serves where the metadata file is bad, and that is said', async () => {
    const volume = await openUdf(memorySource('disc.iso', spoil(imageOf('metadata'), 250)));
    same(await contents(volume));
    expect(volume.remarks).toEqual([expect.objectContaining({ code: 'mirror-used' })]);
  });

  test('the mirror serves for a single folder that is bad in the main copy', async () => {
    const copy = imageOf('metadata').slice();
    // The first folder entry that is not the root's: in the main copy, which lies first.
    const folders: number[] = [];
    for (let at = 300 * 2048; at < copy.byteLength; at += 2048)
      if (copy[at] === 10 && copy[at + 1] === 1 && copy[at + 27] === 4) folders.push(at);
    const spoilt = folders[1] ?? 0;
    copy.fill(0xee, spoilt, spoilt + 2048);
    const volume = await openUdf(memorySource('disc.iso', copy));
    same(await contents(volume));
    expect(volume.remarks).toEqual([expect.objectContaining({ code: 'mirror-used' })]);
  });

  test('without either, the error is that of the first', async () => {
    await expect(openUdf(memorySource('disc.iso', spoil(spoil(imageOf('metadata'), 250), 251)))).rejects.toMatchObject({
      code: 'bad-signature',
    });
  });

  test('the reserve sequence of volume descriptors serves as well', async () => {
    const copy = imageOf('metadata').slice();
    copy.fill(0, 32 * 2048, 37 * 2048);
    same(await contents(await openUdf(memorySource('disc.iso', copy))));
  });

  test('a partition that no version of UDF knows is refused by name', async () => {
    const copy = imageOf('sparable').slice();
    for (const from of [32, 64]) {
      const at = (from + 1) * 2048 + 440 + 5;
      copy.set(new TextEncoder().encode('*New Kind Of Partition'), at);
    }
    await expect(openUdf(memorySource('disc.iso', copy))).rejects.toMatchObject({
      code: 'unsupported',
      detail: expect.stringContaining('*New Kind') as string,
    });
  });

  test('a virtual partition without its table, and a sparable one without its tables, say so', async () => {
    await expect(openUdf(memorySource('disc.iso', imageOf('virtual').slice(0, -2048)))).rejects.toMatchObject({ code: 'bad-structure' });
    const copy = imageOf('sparable').slice();
    copy.fill(0, 290 * 2048, 291 * 2048);
    same(await contents(await openUdf(memorySource('disc.iso', copy)))); // the second copy of the table
    copy.fill(0, 291 * 2048, 292 * 2048);
    await expect(openUdf(memorySource('disc.iso', copy))).rejects.toBeInstanceOf(DiscError);
  });
});
