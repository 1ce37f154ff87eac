import { spawnSync } from 'node:child_process';
import { readFileSync } from 'node:fs';
import path from 'node:path';
import { Readable } from 'node:stream';
import { readMatroskaStream } from '@/core/matroska';
import { SHIPPED, encoderArguments, planEncode, type EncodeFacts, type Recipe } from '@/core/recipes';
import { writeBothViews } from '@/core/stereo';
import { encodeCopy } from '@/node/encode-pieces';
import { asSecondView } from '@/test-support/coded-streams';
import { accessUnits, writePair } from '@/test-support/two-views';
import { median } from './median';

/** What decoding both views costs, against FFmpeg with a stream that holds both in one picture already. */

const ROUNDS = 3;
const CHUNK_BYTES = 4 * 1024 * 1024;
const [WIDTH, HEIGHT, FRAMES] = [1920, 1080, 96];

function run(args: readonly string[], input?: Uint8Array): number {
  const started = performance.now();
  const { status, stderr } = spawnSync('ffmpeg', ['-v', 'error', '-y', ...args], { maxBuffer: 2 ** 26, ...(input ? { input } : {}) });
  if (status !== 0) throw new Error(stderr.toString().slice(-1000));
  return performance.now() - started;
}

const scene = (eye: number) =>
  `mandelbrot=s=${WIDTH}x${HEIGHT}:r=24:maxiter=120,noise=alls=9:allf=t,scroll=hpos=${eye * 0.004},format=yuv420p`;
const X264 = ['-c:v', 'libx264', '-preset', 'faster', '-x264-params', 'aud=1:keyint=24:bframes=3:slices=4:repeat-headers=1'];

/** Prints what rewriting takes of decoding, and what a whole encode takes of one whose source was packed before. */
export async function benchViews(folder: string): Promise<void> {
  const at = (name: string) => path.join(folder, name);
  for (const eye of [0, 1])
    run([
      ...['-f', 'lavfi', '-i', scene(eye), '-frames:v', String(FRAMES), ...X264],
      ...['-b:v', '30M', '-maxrate', '40M', '-bufsize', '30M', '-f', 'h264', at(`eye-${eye}.264`)],
    ]);
  const [left = [], right = []] = [0, 1].map((eye) => accessUnits(readFileSync(at(`eye-${eye}.264`)), 9));
  const second = asSecondView({ pictures: right }).pictures;
  const units = left.map((own, i) => [...own, ...(second[i] ?? [])]);
  await writePair(units, { width: WIDTH, height: HEIGHT }, at('pair.mkv'));
  run([
    ...['-f', 'h264', '-framerate', '24', '-i', at('eye-0.264'), '-f', 'h264', '-framerate', '24', '-i', at('eye-1.264')],
    ...['-filter_complex', 'hstack', ...X264, '-b:v', '60M', '-maxrate', '80M', '-bufsize', '60M', at('packed.mkv')],
  ]);

  const source = new Uint8Array(readFileSync(at('pair.mkv')));
  // As a file is read.
  const inChunks = Array.from({ length: Math.ceil(source.byteLength / CHUNK_BYTES) }, (_, i) =>
    source.subarray(i * CHUNK_BYTES, (i + 1) * CHUNK_BYTES),
  );
  // Where it stands for the decoder: room for it is none of the rewriting.
  const written = new Uint8Array(Math.ceil(source.byteLength * 1.5)).fill(1);
  let bytes = 0;
  const rewrite = async (): Promise<number> => {
    bytes = 0;
    const started = performance.now();
    const write = (data: Uint8Array) => {
      written.set(data, bytes);
      bytes += data.byteLength;
      return Promise.resolve();
    };
    const options = { name: 'pair', application: 'bench', frameMs: 1000 / 24, everything: false };
    await writeBothViews(readMatroskaStream(Readable.from(inChunks), 'pair'), { write, writeAt: null }, options);
    return performance.now() - started;
  };

  const video: EncodeFacts['video'] = {
    ...{ codec: 'H.264' as const, widthPixels: WIDTH, heightPixels: HEIGHT, displayAspect: [16, 9] as const, frameTicks: 1_125_000 },
    ...{ bitDepth: 8, dynamicRange: 'standard' as const, twoViews: true },
  };
  const durationMs = (FRAMES * 1000) / 24;
  const rest = { flaggedInterlaced: false, measured: null, audio: [], subtitles: [], chapters: 0, durationMs };
  const facts: EncodeFacts = { video, ...rest };
  const packed: EncodeFacts = {
    video: { ...video, widthPixels: WIDTH * 2, displayAspect: [32, 9], twoViews: false },
    ...rest,
    packed: { packing: 'beside', first: 'left' },
  };
  const plain = SHIPPED[0] as Recipe;
  const recipe: Recipe = {
    ...plain,
    ...{ container: 'Matroska', video: { ...plain.video, effort: 'little' }, picture: { ...plain.picture, mostRows: null } },
    views: { layout: 'side by side', swapped: false },
  };
  const times = { rewrite: [] as number[], decode: [] as number[], ours: [] as number[], packed: [] as number[] };
  for (let i = 0; i < ROUNDS; i++) {
    times.rewrite.push(await rewrite());
    times.decode.push(run(['-f', 'matroska', '-i', 'pipe:0', '-fps_mode', 'passthrough', '-f', 'null', '-'], written.subarray(0, bytes)));
    const started = performance.now();
    const order = {
      ...{ plan: planEncode(recipe, facts), master: at('pair.mkv'), masterMs: durationMs, output: at('both.mkv') },
      ...{ folder: at('pieces'), application: 'bench', pieceMs: 1e9 },
    };
    await encodeCopy(order, { progress: () => undefined, note: () => undefined });
    times.ours.push(performance.now() - started);
    times.packed.push(run(encoderArguments(planEncode(recipe, packed), at('packed.mkv'), at('packed-copy.mkv'))));
  }
  const [rewriting, decoding] = [median(times.rewrite), median(times.decode)];
  const pace = source.byteLength / 1000 / rewriting;
  console.log(`\ndecoding both views, ${FRAMES} access units of ${WIDTH} by ${HEIGHT}, ${ROUNDS} rounds in turns`);
  console.log(
    `  rewriting / decoding             ${(rewriting / decoding).toFixed(3)}   (aim 0.05 or less; ${pace.toFixed(0)} MB/s, aim 60)`,
  );
  console.log(`  side by side / packed before     ${(median(times.ours) / median(times.packed)).toFixed(3)}   (aim 1.15 or less)`);
}
