import { spawnSync } from 'node:child_process';
import { existsSync, mkdirSync, rmSync, statfsSync, writeFileSync } from 'node:fs';
import { stat } from 'node:fs/promises';
import path from 'node:path';
import { Assembly } from '@/core/assembly';
import { findRoles } from '@/core/findings';
import { readDisc, type Reading } from '@/core/reading';
import { TrackHashes, writeMaster } from '@/core/master';
import { wholeTitleReel } from '@/core/reels';
import { openFileSource } from '@/node/files';
import { fasterDigest } from '@/node/hash';
import { createPayloadHash, fastCrc32 } from '@/node/payload-hash';
import { openFileSink } from '@/node/library';
import { openVolume } from '@/node/open-volume';
import { proveMasterFile } from '@/node/prove-file';
import { RUNNER_FLAGS } from '@/node/runner-flags';
import { benchEncode } from './bench-encode';
import { benchQueue, plainRemux } from './bench-queue';
import { benchViews } from './bench-views';
import { authorManyPlaylists, makeProgramStream, makeTransportStream, type BenchStream } from './bench-streams';
import { authorManyTitles } from './many-titles';
import { median } from './median';

/**
 * Speed, as ratios measured side by side in one run: the machine is shared, absolute figures say nothing.
 * Each contender runs in a process of its own, in turns, and the medians are compared.
 */
const ROUNDS = 5;

/** A RAM disk where there is one with room: the disk's own moods are not what is measured. */
function workFolder(): string {
  const space = existsSync('/dev/shm') ? statfsSync('/dev/shm') : null;
  const folder = space && space.bavail * space.bsize > 6e9 ? '/dev/shm/careful-vault-bench' : path.resolve('.cache/bench');
  rmSync(folder, { recursive: true, force: true });
  mkdirSync(folder, { recursive: true });
  return folder;
}

/** The child: remuxes or proves, and says how long that took and how much memory it needed at the most. */
async function child(mode: string, folder: string, stream: string): Promise<void> {
  const { default: fs } = await import('node:fs');
  if (mode === 'plain' || mode === 'hashed') {
    const began = performance.now();
    await plainRemux(folder, stream, mode === 'hashed');
    console.log(JSON.stringify({ ms: performance.now() - began, peakMb: 0 }));
    return;
  }
  const reading = JSON.parse(fs.readFileSync(path.join(folder, 'reading.json'), 'utf8')) as Reading;
  const title = reading.titles[0];
  if (!title) throw new Error('no title');
  const output = path.join(folder, 'ours.mkv');
  const started = performance.now();
  if (mode === 'remux') {
    // The same material over and over: it does not stand where its navigation packs say.
    const reel = { ...wholeTitleReel(title, 'Bench'), damage: 'around' as const };
    const source = await openFileSource(stream, { blocking: true });
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
    const { proof } = await proveMasterFile(output, promise, fasterDigest(), new AbortController().signal);
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

function inChild(mode: string, folder: string, stream: string): { ms: number; peakMb: number } {
  const { status, stdout, stderr } = spawnSync(
    process.execPath,
    [...RUNNER_FLAGS, process.argv[1] ?? '', '--child', mode, folder, stream],
    {
      encoding: 'utf8',
    },
  );
  if (status !== 0) throw new Error(stderr);
  return JSON.parse(stdout) as { ms: number; peakMb: number };
}

async function benchRemux(name: string, aim: number, { stream, reading }: BenchStream, folder: string): Promise<void> {
  writeFileSync(path.join(folder, 'reading.json'), JSON.stringify(reading));
  const megabytes = (await stat(stream)).size / 1e6;
  const times = { ours: [] as number[], ffmpeg: [] as number[], cp: [] as number[], proof: [] as number[] };
  let peakMb = 0;
  for (let round = 0; round < ROUNDS; round++) {
    const ours = inChild('remux', folder, stream);
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
    times.cp.push(timed('cp', [stream, path.join(folder, 'copy')]));
    if (round === 0) times.proof.push(inChild('prove', folder, stream).ms);
  }
  const [ours, ffmpeg, cp] = [median(times.ours), median(times.ffmpeg), median(times.cp)];
  console.log(`\nlossless remux of a ${name}, ${megabytes.toFixed(0)} MB, hashes and checksums included, ${ROUNDS} rounds in turns`);
  console.log(`  ours / ffmpeg -c copy   ${(ours / ffmpeg).toFixed(2)}   (aim ${aim} or less)`);
  console.log(`  ours / cp               ${(ours / cp).toFixed(1)}`);
  console.log(`  peak memory             ${peakMb.toFixed(0)} MB   (aim below 100 MB)`);
  console.log(
    `  proof / remux           ${(median(times.proof) / ours).toFixed(2)}   (payload hashes, checksums and a digest of the whole file)`,
  );
  console.log(
    `  [this run: ours ${((megabytes / ours) * 1000).toFixed(0)} MB/s, ffmpeg ${((megabytes / ffmpeg) * 1000).toFixed(0)} MB/s, cp ${((megabytes / cp) * 1000).toFixed(0)} MB/s]`,
  );
}

async function timeReading(what: string, image: string, aimMs: number): Promise<void> {
  const times: number[] = [];
  for (let i = 0; i < 9; i++) {
    const started = performance.now();
    const opened = await openVolume({ kind: 'image', path: image, label: 'many' });
    const reading = await readDisc(opened.volume);
    findRoles(reading);
    await opened.close();
    times.push(performance.now() - started);
  }
  console.log(`\nreading and findings of a disc with ${what}, warm: ${median(times.slice(2)).toFixed(0)} ms (aim below ${aimMs} ms)`);
}

const demo = path.resolve('.cache/fixtures/demo/discs/LAMPLIGHTERS.iso');
const longHaul = path.resolve('.cache/fixtures/demo/discs/LONG_HAUL.iso');
if (process.argv[2] === '--prepare') {
  // For profiling one contender by itself: bench --prepare program|transport FOLDER, then bench --child remux FOLDER STREAM.
  const [kind = '', folder = ''] = process.argv.slice(3);
  mkdirSync(folder, { recursive: true });
  const made = kind === 'transport' ? await makeTransportStream(folder) : await makeProgramStream(demo, folder);
  writeFileSync(path.join(folder, 'reading.json'), JSON.stringify(made.reading));
} else if (process.argv[2] === '--child') {
  await child(process.argv[3] ?? '', process.argv[4] ?? '', process.argv[5] ?? '');
} else if (process.argv[2] === '--playlists') {
  console.log(await authorManyPlaylists(process.argv[3] ?? '', 1000));
} else if (process.argv[2] === '--encode' || process.argv[2] === '--views' || process.argv[2] === '--queue') {
  const folder = workFolder();
  try {
    if (process.argv[2] === '--queue') await benchQueue(folder, longHaul, inChild);
    else await (process.argv[2] === '--encode' ? benchEncode : benchViews)(folder);
  } finally {
    rmSync(folder, { recursive: true, force: true });
  }
} else {
  const folder = workFolder();
  try {
    await timeReading('99 titles', await authorManyTitles(folder, 99), 200);
    await timeReading('1,000 playlists', await authorManyPlaylists(path.join(folder, 'many'), 1000), 500);
    await benchRemux('program stream', 0.75, await makeProgramStream(demo, folder), folder);
    await benchRemux('transport stream', 0.5, await makeTransportStream(folder), folder);
    await benchEncode(folder);
    await benchViews(folder);
    await benchQueue(folder, longHaul, inChild);
  } finally {
    rmSync(folder, { recursive: true, force: true });
  }
}
