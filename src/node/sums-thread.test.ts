import { closeSync, mkdtempSync, openSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import path from 'node:path';
import { Blake3Hasher } from '@napi-rs/blake-hash';
import { MatroskaWriter, type MatroskaDescription } from '@/core/matroska';
import { seeded } from '@/test-support/random';
import { openFileSink } from './library';
import { SumsThread } from './sums-thread';

const PROGRAM = path.resolve('dist/sums.mjs');
const folder = mkdtempSync(path.join(tmpdir(), 'careful-vault-test-'));
let thread: SumsThread;
beforeEach(() => {
  thread = new SumsThread(PROGRAM);
});
afterEach(() => thread.close());
afterAll(() => {
  rmSync(folder, { recursive: true });
});

test('pieces of any size, for several hashes in turn, from buffers that are used again: what BLAKE3 says of all their bytes at once', () => {
  const random = seeded(13);
  const own = [0, 1, 2].map(() => thread.createHash());
  const all = own.map((): Buffer[] => []);
  // More than all slots hold, in pieces from none to more than one of them, mostly small as a disc's are.
  const used = new Uint8Array(700_000);
  for (let total = 0; total < 6_000_000;) {
    const which = random.int(own.length);
    const piece = used.subarray(0, random.int(random.pick([200, 200, 5000, 64, 700_000])));
    for (let i = 0; i < piece.byteLength; i += 1 + random.int(7)) piece[i] = random.int(256);
    all[which]?.push(Buffer.from(piece));
    own[which]?.update(piece);
    piece.fill(0xee);
    total += piece.byteLength;
  }
  expect(own.map((h) => h.digest())).toEqual(all.map((pieces) => new Blake3Hasher().update(Buffer.concat(pieces)).digest('hex')));
  // Nothing at all has a digest as well: the specification's test vector.
  expect(thread.createHash().digest()).toBe('af1349b9f5f9a1a6a0404dea36dcc9499bcb25c9adc112b7cc9a93cae41f3262');
});

const DESCRIPTION: MatroskaDescription = {
  ...{ title: 'Two tracks', application: 'test', seed: 'test', chapters: [], tags: [], durationNs: 16e9 },
  tracks: [],
};

test('a file is the same byte for byte, whether a thread sums and writes its clusters or not, one too large for the usual room among them', async () => {
  const written = async (name: string, by: SumsThread | null): Promise<Buffer> => {
    const random = seeded(7);
    const file = path.join(folder, name);
    const sink = await openFileSink(file, by);
    const writer = new MatroskaWriter(sink, 2, 0);
    await writer.begin(DESCRIPTION);
    for (let i = 0; i < 300; i++) {
      const data = Buffer.alloc(i === 77 ? 2_500_000 : 1 + random.int(90_000), `frame ${i} of the film, `);
      writer.add({ track: i % 2, ticks: i * 1_080_000, durationTicks: null, key: i % 24 === 0, discardable: false, data });
      if (writer.pending) await writer.flush();
    }
    await writer.finish(DESCRIPTION);
    await sink.close();
    return readFileSync(file);
  };
  const plain = await written('plain.mkv', null);
  expect(plain.byteLength).toBeGreaterThan(10e6);
  expect((await written('by thread.mkv', thread)).equals(plain)).toBe(true);
});

test('a storage that is full is said as such, with what was written before it still there to be asked for', async () => {
  const full = openSync('/dev/full', 'w');
  const order = { sumAt: 0, from: 4, file: full, offset: 0 };
  await expect(thread.seal({ data: new Uint8Array(100), ...order })).rejects.toMatchObject({ code: 'ENOSPC' });
  closeSync(full);
  expect(thread.createHash().digest()).toHaveLength(64);
});

test('a thread that fails is an error where it is waited for, not a wait without end', async () => {
  const program = path.join(folder, 'fails.mjs');
  writeFileSync(
    program,
    `import { workerData } from 'node:worker_threads';
     workerData.port.on('message', () => {
       workerData.port.postMessage({ kind: 'failed', id: null, message: 'gone' });
       Atomics.add(workerData.answers, 0, 1);
       Atomics.notify(workerData.answers, 0);
     });`,
  );
  const failing = new SumsThread(program);
  expect(() => failing.createHash().digest()).toThrow('came to an end');
  await expect(failing.seal({ data: new Uint8Array(9), sumAt: 0, from: 4, file: 1, offset: 0 })).rejects.toThrow('came to an end');
  await failing.close();
});
