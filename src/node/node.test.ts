import { existsSync, mkdirSync, readFileSync, readdirSync, statSync, writeFileSync } from 'node:fs';
import { execFileSync, spawnSync } from 'node:child_process';
import { crc32 as zlibCrc32 } from 'node:zlib';
import { crc32 } from '@/core/matroska';
import path from 'node:path';
import { QUAY, temporaryFolder } from '@/test-support/discs';
import { seeded } from '@/test-support/random';
import { openSimulatedDrive } from './drive';
import { fileSystemOf } from './file-system';
import { openFileSource, openFolderVolume } from './files';
import { capture, runProgram, startProgram } from './program';
import { digestFile, fasterDigest } from './hash';
import { createPayloadHash, fastCrc32 } from './payload-hash';
import { DIGEST_ALGORITHMS, algorithmOf } from '@/core/proof';
import { JobFolder } from './job-folder';
import { identify } from './process-id';
import { makeWorkshop, openFileSink, removeWorkshop, requireStorage } from './library';
import { digestInThread } from './prove-file';

const folder = temporaryFolder();
const signal = new AbortController().signal;

test('blocking and waiting reads give the same bytes, and the end is the end', async () => {
  for (const blocking of [false, true]) {
    const source = await openFileSource(QUAY, { blocking });
    const data = new Uint8Array(100_000);
    expect(await source.read(40_000, data)).toBe(100_000);
    expect(Buffer.from(data).equals(readFileSync(QUAY).subarray(40_000, 140_000))).toBe(true);
    expect(await source.read(source.sizeBytes - 10, data)).toBe(10);
    expect(await source.read(source.sizeBytes + 10, data)).toBe(0);
    await source.close();
  }
  await expect(openFileSource(path.join(folder, 'nothing'))).rejects.toMatchObject({ code: 'read-failed' });
});

describe('folders that are no disc’s', () => {
  test('one with more files than any disc has is refused at once; one with very many is read once for each of its folders', async () => {
    const many = path.join(folder, 'many');
    mkdirSync(path.join(many, 'BDMV', 'PLAYLIST'), { recursive: true });
    for (let i = 0; i < 3000; i++) writeFileSync(path.join(many, 'BDMV', 'PLAYLIST', `${String(i).padStart(5, '0')}.mpls`), 'x');
    const volume = await openFolderVolume(many);
    expect(volume.sizeBytes).toBe(3000);
    expect(await volume.list('BDMV/playlist')).toHaveLength(3000);
    for (let i = 0; i < 3000; i += 7) expect(await volume.open(`bdmv/PLAYLIST/${String(i).padStart(5, '0')}.MPLS`)).not.toBeNull();
    await volume.close();
    for (let i = 0; i < 18_000; i++) writeFileSync(path.join(many, `${i}.txt`), '');
    await expect(openFolderVolume(many)).rejects.toMatchObject({ code: 'unsupported' });
  });

  test('a named pipe is no source, and nobody waits for it', async () => {
    const pipe = path.join(folder, 'pipe.iso');
    spawnSync('mkfifo', [pipe]);
    await expect(openFileSource(pipe)).rejects.toMatchObject({ code: 'read-failed' });
    mkdirSync(path.join(folder, 'piped', 'VIDEO_TS'), { recursive: true });
    spawnSync('mkfifo', [path.join(folder, 'piped', 'VIDEO_TS', 'VIDEO_TS.IFO')]);
    const volume = await openFolderVolume(path.join(folder, 'piped'));
    expect(await volume.open('VIDEO_TS/VIDEO_TS.IFO')).toBeNull();
    await volume.close();
  });
});

describe('the simulated drive', () => {
  const insert = (change: object) => {
    const file = path.join(folder, `disc-${Math.random()}.json`);
    writeFileSync(file, JSON.stringify({ label: 'disc', image: QUAY, bytesPerSecond: 1e9, spinUpMs: 0, scratches: [], ...change }));
    return file;
  };

  test('gives the image’s bytes, and fails exactly where it is scratched', async () => {
    const drive = await openSimulatedDrive(insert({ scratches: [{ sector: 100, sectors: 2 }] }), true);
    const sector = new Uint8Array(2048);
    expect(await drive.read(99 * 2048, sector)).toBe(2048);
    expect(Buffer.from(sector).equals(readFileSync(QUAY).subarray(99 * 2048, 100 * 2048))).toBe(true);
    for (const at of [100, 101])
      await expect(drive.read(at * 2048, sector)).rejects.toMatchObject({ code: 'read-failed', where: { byteOffset: at * 2048 } });
    await expect(drive.read(98 * 2048, new Uint8Array(8192))).rejects.toMatchObject({ code: 'read-failed' });
    expect(await drive.read(102 * 2048, sector)).toBe(2048);
    await drive.close();
  });

  test('can be stopped while it spins up', async () => {
    const controller = new AbortController();
    const opening = openSimulatedDrive(insert({ spinUpMs: 60_000 }), false, controller.signal);
    setTimeout(() => {
      controller.abort();
    }, 20);
    await expect(opening).rejects.toMatchObject({ code: 'cancelled' });
  });
});

describe('the library', () => {
  const needs = (bytes: number) => ({ all: bytes, largest: bytes });

  test('what can be known of a storage is known before anything is written', async () => {
    await expect(requireStorage({ name: 'S', path: path.join(folder, 'none'), mark: null }, needs(1))).rejects.toMatchObject({
      code: 'storage-missing',
    });
    await expect(requireStorage({ name: 'S', path: folder, mark: null }, needs(1e18))).rejects.toMatchObject({ code: 'storage-full' });
    await expect(requireStorage({ name: 'S', path: folder, mark: null }, needs(1))).resolves.toBeUndefined();
  });

  test('a file that the file system can not hold is refused before it is begun', async () => {
    // What statfs(2) says of a FAT disk, of an NFS mount whose server counts no blocks, and of one that does not answer.
    const fat = () => fileSystemOf('/any', () => Promise.resolve({ type: 0x4d44, bsize: 32_768, blocks: 1e6, bavail: 1e6 }));
    const nfs = () => fileSystemOf('/any', () => Promise.resolve({ type: 0x6969, bsize: 4096, blocks: 0, bavail: 0 }));
    const cifs = () => fileSystemOf('/any', () => Promise.resolve({ type: -11317950, bsize: 4096, blocks: 1e9, bavail: 1e9 }));
    const silent = () => fileSystemOf('/any', () => Promise.reject(new Error('ESTALE')));
    const storage = { name: 'S', path: folder, mark: null };
    const fourGigabytes = 4_294_967_295;
    await expect(requireStorage(storage, needs(fourGigabytes), fat)).resolves.toBeUndefined();
    await expect(requireStorage(storage, needs(fourGigabytes + 1), fat)).rejects.toMatchObject({
      code: 'file-too-large',
      message: expect.stringMatching(/FAT that holds files of up to 4\.29 GB/) as string,
    });
    // Room for all of it, in files that are each small enough.
    await expect(requireStorage(storage, { all: 20e9, largest: 3e9 }, fat)).resolves.toBeUndefined();
    for (const other of [nfs, cifs, silent]) await expect(requireStorage(storage, needs(50e9), other)).resolves.toBeUndefined();
    expect((await cifs()).name).toBe('SMB');
    expect(await fileSystemOf(folder)).toMatchObject({ freeBytes: expect.any(Number) as number });
  });

  test('the workshop goes when its last job goes', async () => {
    const storage = path.join(folder, 'storage');
    mkdirSync(storage);
    await makeWorkshop({ name: 'S', path: storage, mark: null }, 'job-a');
    await makeWorkshop({ name: 'S', path: storage, mark: null }, 'job-b');
    await removeWorkshop(storage, 'job-a');
    expect(existsSync(path.join(storage, '.careful-vault'))).toBe(true);
    await removeWorkshop(storage, 'job-b');
    expect(existsSync(path.join(storage, '.careful-vault'))).toBe(false);
  });

  test('a sink writes in order and in place; a full device is heard', async () => {
    const file = path.join(folder, 'sink');
    const sink = await openFileSink(file);
    for (const text of ['abcdef', 'ghi']) await sink.write(Buffer.from(text));
    await sink.writeAt?.(1, Buffer.from('XY'));
    await sink.close();
    expect(readFileSync(file, 'utf8')).toBe('aXYdefghi');
    const full = await openFileSink('/dev/full');
    await expect(full.write(Buffer.from('x'))).rejects.toMatchObject({ code: 'ENOSPC' });
    await full.close().catch(() => undefined);
  });
});

test('hashes agree with other implementations', async () => {
  const data = seeded(1).bytes(300_000);
  const file = path.join(folder, 'hashed');
  writeFileSync(file, data);
  for (const [algorithm, program] of [
    ['SHA-256', 'sha256sum'],
    ['SHA-512', 'sha512sum'],
  ] as const) {
    const said = execFileSync(program, [file], { encoding: 'utf8' }).split(' ')[0] ?? '';
    expect(await digestFile(file, algorithm)).toBe(said);
    expect(await digestInThread(file, algorithm, signal)).toBe(said);
    expect(algorithmOf(said)).toBe(algorithm);
  }
  expect(DIGEST_ALGORITHMS).toContain(fasterDigest());
  // Views into larger memory, of every length that a vector's end can have; zlib is another house's.
  for (const [from, to] of Array.from({ length: 140 }, (_, i) => [i % 7, i * 3 + (i % 7)] as const)) {
    const view = data.subarray(from, to);
    expect([fastCrc32(view), fastCrc32(Buffer.from(view))]).toEqual([crc32(view), zlibCrc32(view)]);
  }
  expect(fastCrc32(data)).toBe(crc32(data));
  const hash = createPayloadHash();
  for (const text of ['a', 'b', 'c']) hash.update(Buffer.from(text));
  expect(hash.digest()).toBe('6437b3ac38465133ffb63b75273a8db548c558465d79db03fd359c6cd5bd9d85'); // BLAKE3 of "abc", from its test vectors
});

test('a job folder counts its events on, over a line that was torn', () => {
  const at = path.join(folder, 'job');
  mkdirSync(at);
  const first = new JobFolder(at);
  first.emit({ type: 'note', text: 'one' });
  writeFileSync(path.join(at, 'events.ndjson'), `${readFileSync(path.join(at, 'events.ndjson'), 'utf8')}{"type":"no`);
  new JobFolder(at).emit({ type: 'note', text: 'two' });
  const lines = readFileSync(path.join(at, 'events.ndjson'), 'utf8').trim().split('\n');
  expect(JSON.parse(lines.at(-1) ?? '')).toMatchObject({ text: 'two', seq: 3 });
  writeFileSync(path.join(at, 'progress.json'), '{"fini');
  expect(new JobFolder(at).readProgress().finished).toEqual([]);
  expect(statSync(path.join(at, 'events.ndjson')).size).toBeGreaterThan(0);
});

test('a job is worked on by one process at a time', () => {
  const at = path.join(folder, 'claimed');
  mkdirSync(at);
  const job = new JobFolder(at);
  expect(job.runner).toBeNull();
  expect(job.claim()).toBe(true);
  expect(job.claim()).toBe(true);
  expect(job.runner?.pid).toBe(process.pid);
  // Another that lives: the one that started this test. One that is gone, or only has the same number, is no hindrance.
  const last = () => readdirSync(at).find((name) => /^claim-\d+$/.test(name)) ?? '';
  const held = (text: string) => {
    writeFileSync(path.join(at, last()), text);
  };
  held(JSON.stringify(identify(process.ppid)));
  expect(job.claim()).toBe(false);
  held(JSON.stringify({ pid: process.ppid, startTime: '1' }));
  expect(job.claim()).toBe(true);
  held('{"pid":');
  expect(job.claim()).toBe(true);
});

describe('programs', () => {
  test('one that fails is told by its last words, one that is not there by its name', async () => {
    await expect(capture('ffmpeg', ['-v', 'error', '-i', '/nothing/here'])).rejects.toMatchObject({
      code: 'encoder-failed',
      message: expect.stringContaining('No such file') as string,
    });
    await expect(capture('no-such-program', [])).rejects.toMatchObject({ code: 'encoder-failed' });
  });

  test('one that is stopped ends, also where it was stopped before it began', async () => {
    const controller = new AbortController();
    const { end } = startProgram('sleep', ['60'], { signal: controller.signal });
    controller.abort();
    await expect(end).rejects.toMatchObject({ message: 'sleep was stopped' });
    await expect(runProgram('sleep', ['60'], { signal: controller.signal })).rejects.toMatchObject({ message: 'sleep was stopped' });
  });

  test('what is fed comes out, and what a program prints before it fails is read all the same', async () => {
    const printed: string[] = [];
    const read = async (stdout: AsyncIterable<unknown>) => {
      for await (const chunk of stdout) printed.push(String(chunk));
    };
    const text = new TextEncoder().encode('net '.repeat(100_000));
    const { fed } = await runProgram('cat', [], { read, feed: async (input) => (await input.write(text), text.byteLength) });
    expect([fed, printed.join('').length]).toEqual([400_000, 400_000]);
    printed.length = 0;
    const failing = runProgram('sh', ['-c', 'echo half; echo lost >&2; exit 3'], { read });
    await expect(failing).rejects.toMatchObject({ message: 'sh ended with 3: lost' });
    expect(printed.join('')).toBe('half\n');
  });

  test('one that stops reading says why: its own reason, not a broken pipe', async () => {
    const feed = async (input: { write: (data: Uint8Array) => Promise<void> }) => {
      for (let i = 0; i < 100; i++) await input.write(new Uint8Array(1 << 20));
    };
    const full = runProgram('sh', ['-c', 'head -c 10 >/dev/null; echo "write: No space left on device" >&2; exit 1'], { feed });
    await expect(full).rejects.toMatchObject({ code: 'storage-full' });
  });
});
