import { spawnSync } from 'node:child_process';
import { mkdirSync, readFileSync, symlinkSync, writeFileSync } from 'node:fs';
import path from 'node:path';
import { DiscError, memorySource, type ByteSource } from '../bytes';
import { openFolderVolume } from '@/node/files';
import { damaged, seeded } from '@/test-support/random';
import { QUAY, temporaryFolder } from '@/test-support/discs';
import { openImage, openIso9660, openUdf, type Volume } from '.';

/** Images made by genisoimage and listed by 7z: neither shares a line with the readers here. */

const folder = temporaryFolder();
const tree = path.join(folder, 'TREE');
const files = new Map<string, Buffer>();

function put(name: string, data: Uint8Array): void {
  const file = path.join(tree, name);
  mkdirSync(path.dirname(file), { recursive: true });
  writeFileSync(file, data);
  files.set(name, Buffer.from(data));
}

function image(...options: string[]): Uint8Array {
  const out = path.join(folder, `image-${options.length}-${options.join('').replaceAll('/', '')}.iso`);
  const { status, stderr } = spawnSync('genisoimage', ['-quiet', '-V', 'A_LABEL', ...options, '-o', out, tree], { encoding: 'utf8' });
  if (status !== 0) throw new Error(stderr);
  return new Uint8Array(readFileSync(out)); // a Buffer's slice would be a view
}

const closers: (() => Promise<void>)[] = [];
async function openTree(): Promise<Volume> {
  const volume = await openFolderVolume(tree);
  closers.push(() => volume.close());
  return volume;
}
afterAll(() => Promise.all(closers.map((close) => close())));

async function contents(volume: Volume, at = ''): Promise<Map<string, Buffer>> {
  const found = new Map<string, Buffer>();
  for (const entry of (await volume.list(at)) ?? []) {
    const name = at === '' ? entry.name : `${at}/${entry.name}`;
    if (entry.kind === 'folder') for (const [k, v] of await contents(volume, name)) found.set(k, v);
    else {
      const file = await volume.open(name);
      if (!file) throw new Error(`${name} is listed and can not be opened`);
      expect(file.sizeBytes).toBe(entry.sizeBytes);
      const data = new Uint8Array(file.sizeBytes);
      expect(await file.read(0, data)).toBe(data.byteLength);
      found.set(name, Buffer.from(data));
    }
  }
  return found;
}

let udf: Uint8Array;
let iso: Uint8Array;
beforeAll(() => {
  const random = seeded(11);
  put('VIDEO_TS/VIDEO_TS.IFO', random.bytes(6144));
  put('VIDEO_TS/VTS_01_1.VOB', random.bytes(100_000));
  put('EMPTY.DAT', new Uint8Array(0));
  for (let i = 0; i < 90; i++) put(`MANY/FILE${String(i).padStart(3, '0')}.TXT`, random.bytes(random.int(3000)));
  put('A/B/C/D/DEEP.BIN', random.bytes(5000));
  udf = image('-udf', '-iso-level', '3');
  iso = image('-iso-level', '3');
});

describe.each([
  { name: 'UDF', open: () => openUdf(memorySource('disc.iso', udf)), fileSystem: 'UDF' },
  { name: 'ISO 9660', open: () => openIso9660(memorySource('disc.iso', iso)), fileSystem: 'ISO 9660' },
  { name: 'a bridge disc, opened as whatever it is', open: () => openImage(memorySource('disc.iso', udf)), fileSystem: 'UDF' },
  { name: 'a folder', open: openTree, fileSystem: 'folder' },
])('$name', ({ open, fileSystem }) => {
  test('shows every file with every byte', async () => {
    const volume = await open();
    expect(volume.fileSystem).toBe(fileSystem);
    const found = await contents(volume);
    expect([...found.keys()].sort()).toEqual([...files.keys()].sort());
    for (const [name, data] of files) expect(found.get(name)?.equals(data)).toBe(true);
  });

  test('finds names in either case, and nothing outside', async () => {
    const volume = await open();
    expect(await volume.open('video_ts/Video_Ts.ifo')).not.toBeNull();
    for (const name of [
      'VIDEO_TS',
      '../etc/passwd',
      'VIDEO_TS/../../etc/passwd',
      './EMPTY.DAT',
      'MANY/FILE000.TXT/X',
      'NOT/THERE',
      '/'.repeat(40) + 'A'.repeat(3),
    ]) {
      expect(await volume.open(name)).toBeNull();
    }
    expect(await volume.list('EMPTY.DAT')).toBeNull();
    expect(await volume.list('A/'.repeat(60))).toBeNull();
  });
});

test('with Joliet, names are the whole ones; where its tree is bad, the plain one serves', async () => {
  const long = path.join(folder, 'LONG');
  mkdirSync(path.join(long, 'BDMV', 'STREAM'), { recursive: true });
  writeFileSync(path.join(long, 'BDMV', 'STREAM', 'a name longer than eight - ☆.m2ts'), 'found');
  const out = path.join(folder, 'joliet.iso');
  expect(spawnSync('genisoimage', ['-quiet', '-J', '-joliet-long', '-input-charset', 'utf-8', '-o', out, long]).status).toBe(0);
  const data = new Uint8Array(readFileSync(out));
  const volume = await openIso9660(memorySource('disc.iso', data));
  expect([...(await contents(volume)).entries()].map(([n, d]) => [n, d.toString()])).toEqual([
    ['BDMV/STREAM/a name longer than eight - ☆.m2ts', 'found'],
  ]);
  // Its root leads nowhere: the record stands in the second volume descriptor.
  data.set([0xff, 0xff, 0xff, 0x0f], 17 * 2048 + 156 + 2);
  const plain = await openIso9660(memorySource('disc.iso', data));
  expect([...(await contents(plain)).values()].map(String)).toEqual(['found']);
});

test('places on the disc are those of the other reader', async () => {
  const listed = spawnSync('isoinfo', ['-l', '-i', QUAY], { encoding: 'utf8' }).stdout;
  const volume = await openImage(memorySource('QUAY.iso', readFileSync(QUAY)));
  let compared = 0;
  for (const [, sector, name] of listed.matchAll(/\[\s*(\d+) \d+\]\s+(V[A-Z0-9_.]+);1/g)) {
    const file = await volume.open(`VIDEO_TS/${name ?? ''}`);
    expect(file?.firstSector).toBe(Number(sector));
    expect(file?.contiguous).toBe(true);
    compared++;
  }
  expect(compared).toBeGreaterThan(7);
  expect(volume.label).toBe('QUAY');
});

test('a bridge disc with a bad UDF half is read by its other half', async () => {
  const broken = udf.slice();
  for (const sector of [256, broken.byteLength / 2048 - 257, broken.byteLength / 2048 - 1])
    broken.fill(0, Math.floor(sector) * 2048, Math.floor(sector) * 2048 + 2048);
  const volume = await openImage(memorySource('disc.iso', broken));
  expect(volume.fileSystem).toBe('ISO 9660');
  expect((await contents(volume)).size).toBe(files.size);
});

test('what is no disc is said to be none', async () => {
  for (const data of [new Uint8Array(0), new Uint8Array(100), seeded(3).bytes(80_000), new Uint8Array(600_000)]) {
    await expect(openImage(memorySource('letter.txt', data))).rejects.toMatchObject({ code: 'not-a-disc' });
  }
});

test('an image that was cut short says how much is missing, and gives what is there', async () => {
  const whole = readFileSync(QUAY);
  const promised = (await openImage(memorySource('disc.iso', whole))).promisedBytes ?? 0;
  expect(promised).toBeLessThanOrEqual(whole.byteLength);
  const volume = await openImage(memorySource('disc.iso', whole.subarray(0, promised - 20_000)));
  expect(volume.sizeBytes).toBeLessThan(volume.promisedBytes ?? 0);
  const file = await volume.open('VIDEO_TS/VIDEO_TS.IFO');
  expect(file).not.toBeNull();
});

test('links in a folder that lead out of it are not there', async () => {
  const inside = path.join(folder, 'LINKS');
  mkdirSync(path.join(inside, 'VIDEO_TS'), { recursive: true });
  writeFileSync(path.join(folder, 'secret'), 'secret');
  symlinkSync(path.join(folder, 'secret'), path.join(inside, 'VIDEO_TS', 'VIDEO_TS.IFO'));
  symlinkSync(folder, path.join(inside, 'UP'));
  writeFileSync(path.join(inside, 'VIDEO_TS', 'REAL.IFO'), 'real');
  symlinkSync(path.join(inside, 'VIDEO_TS', 'REAL.IFO'), path.join(inside, 'VIDEO_TS', 'ALIAS.IFO'));
  const volume = await openFolderVolume(inside);
  expect(await volume.open('VIDEO_TS/VIDEO_TS.IFO')).toBeNull();
  expect(await volume.list('UP')).toBeNull();
  expect((await volume.open('VIDEO_TS/ALIAS.IFO'))?.sizeBytes).toBe(4);
  await volume.close();
});

/** Refuses to read more than a structure can need: a parser that believes a wild length would show here. */
function watched(data: Uint8Array): ByteSource & { reads: number } {
  const plain = memorySource('damaged.iso', data);
  const source = {
    ...plain,
    reads: 0,
    read: (offset: number, target: Uint8Array) => {
      if (++source.reads > 20_000) throw new Error('a reader runs in circles');
      return plain.read(offset, target);
    },
  };
  return source;
}

describe.each([
  { name: 'UDF', pristine: () => udf },
  { name: 'ISO 9660', pristine: () => iso },
])('a damaged $name volume', ({ pristine }) => {
  test('gives a typed error or part of the tree, never a crash or a circle', async () => {
    const whole = pristine();
    const structures = Math.min(whole.byteLength, 420 * 2048);
    let opened = 0;
    for (let seed = 0; seed < 400; seed++) {
      const random = seeded(seed);
      const copy = whole.slice();
      copy.set(damaged(copy.subarray(32_768, structures), random, 1 + random.int(40)), 32_768);
      try {
        const volume = await openImage(watched(copy));
        for (const name of ['', 'VIDEO_TS', 'MANY']) await volume.list(name);
        await volume.open('VIDEO_TS/VIDEO_TS.IFO');
        opened++;
      } catch (error) {
        if (!(error instanceof DiscError)) throw new Error(`seed ${seed}: ${String(error)}`, { cause: error });
      }
    }
    expect(opened).toBeGreaterThan(0);
  });
});
