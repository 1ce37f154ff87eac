import { spawnSync } from 'node:child_process';
import { mkdirSync, statSync } from 'node:fs';
import path from 'node:path';
import { SHIPPED, encoderArguments, planEncode, type EncodeFacts, type Recipe } from '@/core/recipes';
import { encodeCopy, picturesOf } from '@/node/encode-pieces';
import { median } from './median';

/** What dividing an encode costs, in time and in size: against the same arguments given to FFmpeg in one go. */

const ROUNDS = 3;
const SECONDS = 240;
/** Half as long as usual: what dividing costs is seen the better. */
const PIECE_MS = 60_000;

function run(args: readonly string[]): number {
  const started = performance.now();
  const { status, stderr } = spawnSync('ffmpeg', args, { encoding: 'utf8', maxBuffer: 2 ** 26 });
  if (status !== 0) throw new Error(stderr.slice(-1000));
  return performance.now() - started;
}

/** Moving pictures with grain, and a cut every few seconds, as films have them. */
function makeMaster(file: string): void {
  const scenes = [
    'mandelbrot=s=480x272:r=25:maxiter=200',
    'testsrc2=s=480x272:r=25',
    'gradients=s=480x272:r=25:speed=0.02',
    'life=s=480x272:r=25:mold=20',
  ];
  const inputs = scenes.flatMap((s) => ['-f', 'lavfi', '-t', String(SECONDS / 4), '-i', s]);
  const each = scenes.map((_, i) => `[${i}:v]format=yuv420p,noise=alls=6:allf=t,setsar=1[v${i}]`).join(';');
  const joined = `${each};${scenes.map((_, i) => `[v${i}]`).join('')}concat=n=4:v=1:a=0[v]`;
  run([
    ...['-y', '-v', 'error', ...inputs, '-f', 'lavfi', '-t', String(SECONDS), '-i', 'sine=b=4:r=48000', '-filter_complex', joined],
    ...['-map', '[v]', '-map', '4:a', '-c:v', 'mpeg2video', '-q:v', '4', '-g', '12', '-c:a', 'ac3', file],
  ]);
}

const facts: EncodeFacts = {
  video: {
    codec: 'MPEG-2',
    widthPixels: 480,
    heightPixels: 272,
    displayAspect: [16, 9],
    frameTicks: 1_080_000,
    bitDepth: 8,
    dynamicRange: 'standard',
    twoViews: false,
  },
  flaggedInterlaced: false,
  measured: null,
  audio: [{ codec: 'AC-3', channels: 1, name: '' }],
  subtitles: [],
  chapters: 0,
  durationMs: SECONDS * 1000,
};

export async function benchEncode(folder: string): Promise<void> {
  mkdirSync(folder, { recursive: true });
  const master = path.join(folder, 'encode-master.mkv');
  makeMaster(master);
  const frames = (await picturesOf(master)).length;
  for (const codec of ['H.264', 'AV1'] as const) {
    const recipe: Recipe = { ...(SHIPPED[0] as Recipe), container: 'MP4' };
    const plan = planEncode({ ...recipe, video: { ...recipe.video, codec, quality: null, effort: 'little' } }, facts);
    const at = (name: string) => path.join(folder, `encode-${name}.mp4`);
    const ours = async (name: string, pieceMs: number): Promise<number> => {
      const started = performance.now();
      const order = {
        plan,
        master,
        masterMs: SECONDS * 1000,
        output: at(name),
        folder: path.join(folder, 'pieces'),
        application: 'bench',
        pieceMs,
      };
      await encodeCopy(order, { progress: () => undefined, note: () => undefined });
      return performance.now() - started;
    };
    const times: Record<'plain' | 'whole' | 'pieces', number[]> = { plain: [], whole: [], pieces: [] };
    for (let i = 0; i < ROUNDS; i++) {
      times.plain.push(run(encoderArguments(plan, master, at('plain'))));
      times.whole.push(await ours('whole', 1e9));
      times.pieces.push(await ours('pieces', PIECE_MS));
    }
    const [plain, whole, pieces] = [median(times.plain), median(times.whole), median(times.pieces)];
    const size = statSync(at('pieces')).size / statSync(at('plain')).size;
    console.log(`\nencoding ${frames} pictures in ${codec}, ${ROUNDS} rounds in turns`);
    console.log(`  ours in one go / ffmpeg    ${(whole / plain).toFixed(3)}   (aim 1.02 or less)`);
    console.log(`  ours in pieces / ffmpeg    ${(pieces / plain).toFixed(3)}   (aim 1.05 or less)`);
    console.log(`  size in pieces / in one    ${size.toFixed(4)}  (aim within 1 %)`);
  }
}
