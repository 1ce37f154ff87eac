import { spawnSync } from 'node:child_process';
import { existsSync, mkdirSync, rmSync, statfsSync, writeFileSync } from 'node:fs';
import { open, stat } from 'node:fs/promises';
import path from 'node:path';
import { Assembly } from '@/core/assembly';
import { readExactly } from '@/core/bytes';
import { findRoles } from '@/core/findings';
import { readDisc, titleSetName, type Reading, type Segment } from '@/core/reading';
import { TrackHashes, writeMaster } from '@/core/recipes';
import { wholeTitleReel } from '@/core/reels';
import { openFileSource } from '@/node/files';
import { createPayloadHash, fastCrc32 } from '@/node/hash';
import { openFileSink } from '@/node/library';
import { openVolume } from '@/node/open-volume';
import { proveMasterFile } from '@/node/prove-file';
import { RUNNER_FLAGS } from '@/node/runner-flags';
import { authorManyTitles } from './many-titles';

/**
 * Speed, as ratios measured side by side in one run: the machine is shared, absolute figures say nothing.
 * Each contender runs in a process of its own, in turns, and the medians are compared.
 */
const ROUNDS = 5;
const WANTED_BYTES = 1_000_000_000;
const SECTOR_BYTES = 2048;

const median = (values: readonly number[]): number => [...values].sort((a, b) => a - b)[Math.floor(values.length / 2)] ?? 0;

/** A RAM disk where there is one with room: the disk's own moods are not what is measured. */
function workFolder(): string {
  const space = existsSync('/dev/shm') ? statfsSync('/dev/shm') : null;
  const folder = space && space.bavail * space.bsize > 6e9 ? '/dev/shm/careful-vault-bench' : path.resolve('.cache/bench');
  rmSync(folder, { recursive: true, force: true });
  mkdirSync(folder, { recursive: true });
  return folder;
}

/** One program stream of a gigabyte: the demo film's title set over and over, each time a VOB with a clock of its own. */
async function makeStream(image: string, folder: string): Promise<{ stream: string; reading: Reading }> {
  const opened = await openVolume({ kind: 'image', path: image, label: 'demo' });
  const reading = await readDisc(opened.volume);
  const title = reading.titles.find((t) => t.number === findRoles(reading).mainTitle);
  if (!title) throw new Error('the demo disc has no main title');
  const content = await opened.content(titleSetName(title.titleSet ?? 1));
  const segments = title.parts.flatMap((p) => reading.segments.find((s) => s.id === p.segment) ?? []);
  const sectors = (segments.at(-1)?.lastSector ?? 0) + 1;
  const copies = Math.ceil(WANTED_BYTES / (sectors * SECTOR_BYTES));
  const stream = path.join(folder, 'stream.vob');
  const handle = await open(stream, 'w');
  for (let copy = 0; copy < copies; copy++) {
    for (let at = 0; at < sectors; at += 16_384)
      await handle.write(await readExactly(content, at * SECTOR_BYTES, Math.min(16_384, sectors - at) * SECTOR_BYTES, 'content'));
  }
  await handle.close();
  await opened.close();
  const long: Segment[] = Array.from({ length: copies }, (_, copy) =>
    segments.map((s, i) => ({
      ...s,
      id: `${String(copy)}/${s.id}`,
      firstSector: s.firstSector + copy * sectors,
      lastSector: s.lastSector + copy * sectors,
      clockRestarts: i === 0,
    })),
  ).flat();
  const longTitle = {
    ...title,
    number: 1,
    parts: long.map((s) => ({ segment: s.id, angle: null, companion: null })),
    chapters: [{ number: 1, startMs: 0, durationMs: title.durationMs * copies, firstPart: 0 }],
    durationMs: title.durationMs * copies,
    sizeBytes: sectors * SECTOR_BYTES * copies,
  };
  return { stream, reading: { ...reading, titles: [longTitle], segments: long } };
}

/** The child: remuxes or proves, and says how long that took and how much memory it needed at the most. */
async function child(mode: string, folder: string): Promise<void> {
  const { default: fs } = await import('node:fs');
  const reading = JSON.parse(fs.readFileSync(path.join(folder, 'reading.json'), 'utf8')) as Reading;
  const title = reading.titles[0];
  if (!title) throw new Error('no title');
  const output = path.join(folder, 'ours.mkv');
  const started = performance.now();
  if (mode === 'remux') {
    const reel = wholeTitleReel(title, 'Bench');
    const source = await openFileSource(path.join(folder, 'stream.vob'), { blocking: true });
    const hashes = new TrackHashes(createPayloadHash);
    const assembly = new Assembly(reading, reel, () => Promise.resolve(source), { tap: hashes.tap });
    const sink = await openFileSink(output);
    const promise = await writeMaster(assembly, hashes, reading, reel, sink, {
      application: 'bench',
      seed: 'bench',
      createHash: createPayloadHash,
      crc32: fastCrc32,
    });
    await sink.close();
    fs.writeFileSync(path.join(folder, 'promise.json'), JSON.stringify(promise));
  } else {
    const promise = JSON.parse(fs.readFileSync(path.join(folder, 'promise.json'), 'utf8')) as Parameters<typeof proveMasterFile>[1];
    const { proof } = await proveMasterFile(output, promise, new AbortController().signal);
    if (!proof.passed) throw new Error('the bench file did not pass its proof');
  }
  console.log(JSON.stringify({ ms: performance.now() - started, peakMb: peakMemoryMb(fs.readFileSync('/proc/self/status', 'utf8')) }));
}

/** The most memory this process has had: VmHWM, since getrusage also counts its parent's before exec. */
const peakMemoryMb = (status: string): number => Number(/VmHWM:\s+(\d+) kB/.exec(status)?.[1] ?? 0) / 1024;

function timed(program: string, args: readonly string[]): number {
  const started = performance.now();
  const { status, stderr } = spawnSync(program, args, { encoding: 'utf8', maxBuffer: 1e8 });
  if (status !== 0) throw new Error(`${program} failed: ${stderr.slice(-500)}`);
  return performance.now() - started;
}

function inChild(mode: string, folder: string): { ms: number; peakMb: number } {
  const { status, stdout, stderr } = spawnSync(process.execPath, [...RUNNER_FLAGS, process.argv[1] ?? '', '--child', mode, folder], {
    encoding: 'utf8',
  });
  if (status !== 0) throw new Error(stderr);
  return JSON.parse(stdout) as { ms: number; peakMb: number };
}

async function benchRemux(image: string, folder: string): Promise<void> {
  const { stream, reading } = await makeStream(image, folder);
  writeFileSync(path.join(folder, 'reading.json'), JSON.stringify(reading));
  const megabytes = (await stat(stream)).size / 1e6;
  const times = { ours: [] as number[], ffmpeg: [] as number[], cp: [] as number[], proof: [] as number[] };
  let peakMb = 0;
  for (let round = 0; round < ROUNDS; round++) {
    const ours = inChild('remux', folder);
    times.ours.push(ours.ms);
    peakMb = Math.max(peakMb, ours.peakMb);
    times.ffmpeg.push(
      timed('ffmpeg', [
        '-v',
        'error',
        '-y',
        '-nostdin',
        '-fflags',
        '+genpts',
        '-probesize',
        '20M',
        '-analyzeduration',
        '20M',
        '-i',
        stream,
        '-map',
        '0:v',
        '-map',
        '0:a',
        '-c',
        'copy',
        path.join(folder, 'ffmpeg.mkv'),
      ]),
    );
    times.cp.push(timed('cp', [stream, path.join(folder, 'copy.vob')]));
    if (round === 0) times.proof.push(inChild('prove', folder).ms);
  }
  const [ours, ffmpeg, cp] = [median(times.ours), median(times.ffmpeg), median(times.cp)];
  console.log(
    `\nlossless remux of a program stream, ${megabytes.toFixed(0)} MB, hashes and checksums included, ${String(ROUNDS)} rounds in turns`,
  );
  console.log(`  ours / ffmpeg -c copy   ${(ours / ffmpeg).toFixed(2)}   (aim 0.75 or less)`);
  console.log(`  ours / cp               ${(ours / cp).toFixed(1)}`);
  console.log(`  peak memory             ${peakMb.toFixed(0)} MB   (aim below 100 MB)`);
  console.log(
    `  proof / remux           ${(median(times.proof) / ours).toFixed(2)}   (payload hashes, checksums and SHA-256 of the whole file)`,
  );
  console.log(
    `  [this run: ours ${((megabytes / ours) * 1000).toFixed(0)} MB/s, ffmpeg ${((megabytes / ffmpeg) * 1000).toFixed(0)} MB/s, cp ${((megabytes / cp) * 1000).toFixed(0)} MB/s]`,
  );
}

async function benchReading(folder: string): Promise<void> {
  const image = await authorManyTitles(folder, 99);
  const times: number[] = [];
  let titles = 0;
  for (let i = 0; i < 9; i++) {
    const started = performance.now();
    const opened = await openVolume({ kind: 'image', path: image, label: 'many' });
    const reading = await readDisc(opened.volume);
    findRoles(reading);
    await opened.close();
    titles = reading.titles.length;
    times.push(performance.now() - started);
  }
  console.log(
    `\nreading and findings of a disc with ${String(titles)} titles, warm: ${median(times.slice(2)).toFixed(0)} ms (aim below 200 ms)`,
  );
}

if (process.argv[2] === '--prepare') {
  // For profiling one contender by itself: bench --prepare IMAGE FOLDER, then bench --child remux FOLDER.
  const [image = '', folder = ''] = process.argv.slice(3);
  mkdirSync(folder, { recursive: true });
  writeFileSync(path.join(folder, 'reading.json'), JSON.stringify((await makeStream(image, folder)).reading));
} else if (process.argv[2] === '--child') {
  await child(process.argv[3] ?? '', process.argv[4] ?? '');
} else {
  const folder = workFolder();
  try {
    await benchReading(folder);
    await benchRemux(path.resolve(process.argv[2] ?? '.cache/demo/discs/LAMPLIGHTERS.iso'), folder);
  } finally {
    rmSync(folder, { recursive: true, force: true });
  }
}
