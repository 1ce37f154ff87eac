import { spawnSync } from 'node:child_process';
import { rmSync } from 'node:fs';
import path from 'node:path';
import {
  CONTAINER_ENDING,
  SHIPPED,
  TARGETS,
  obstaclesOn,
  planEncode,
  shapeOfPlan,
  type EncodeFacts,
  type PackedViews,
  type Recipe,
  type ViewLayout,
} from '@/core/recipes';
import { temporaryFolder } from '@/test-support/discs';
import { factsOf, ffmpeg } from '@/test-support/encodes';
import { encodeCopy } from './encode-pieces';

/** Layouts of two views: what each eye sees is made by FFmpeg before anything is packed, and compared with what comes out. */

const folder = temporaryFolder();
const access = SHIPPED[0] as Recipe;
let count = 0;
const name = (extension: string) => path.join(folder, `${++count}.${extension}`);
const [WIDTH, HEIGHT, SECONDS] = [320, 180, 2];

/** One eye's film: the same scene, a little to the side, and a mark that only this eye sees. */
function eye(which: 'left' | 'right'): string {
  const file = name('mkv');
  const mark = which === 'left' ? 'drawbox=x=20:y=20:w=30:h=30:color=red:t=fill' : 'drawbox=x=260:y=120:w=30:h=30:color=blue:t=fill';
  const shift = which === 'left' ? 'crop=320:180:0:0' : 'crop=320:180:6:0';
  ffmpeg([
    ...['-f', 'lavfi', '-i', `testsrc2=s=340x180:r=24:d=${SECONDS}`, '-vf', `${shift},${mark},gblur=0.9,format=yuv420p`],
    ...['-c:v', 'ffv1', file],
  ]);
  return file;
}
const eyes = { left: eye('left'), right: eye('right') };

interface Packing extends PackedViews {
  readonly half: boolean;
}

/** Both films in one picture, as an author would pack them. @param says the Matroska header says how; else nothing does. */
function packed({ packing, first, half }: Packing, says = false): { file: string; facts: EncodeFacts } {
  const file = name('mkv');
  const order = first === 'left' ? [eyes.left, eyes.right] : [eyes.right, eyes.left];
  const beside = packing === 'beside';
  const squeeze = half ? `,scale=${beside ? `${WIDTH / 2}:${HEIGHT}` : `${WIDTH}:${HEIGHT / 2}`},setsar=1` : '';
  const graph = `[0:v]null${squeeze}[a];[1:v]null${squeeze}[b];[a][b]${beside ? 'hstack' : 'vstack'}`;
  const mode = beside ? (first === 'left' ? 'left_right' : 'right_left') : first === 'left' ? 'top_bottom' : 'bottom_top';
  ffmpeg([
    ...order.flatMap((o) => ['-i', o]),
    ...[
      '-filter_complex',
      graph,
      '-c:v',
      'libx264',
      '-qp',
      '6',
      '-g',
      '24',
      ...(says ? ['-metadata:s:v:0', `stereo_mode=${mode}`] : []),
      file,
    ],
  ]);
  const [widthPixels, heightPixels] = half ? [WIDTH, HEIGHT] : beside ? [WIDTH * 2, HEIGHT] : [WIDTH, HEIGHT * 2];
  const facts = factsOf(
    { codec: 'H.264', widthPixels, heightPixels, displayAspect: [widthPixels, heightPixels], frameTicks: 1_125_000 },
    null,
  );
  return { file, facts: { ...facts, packed: { packing, first }, flaggedInterlaced: false, durationMs: SECONDS * 1000 } };
}

async function made({ file, facts }: { file: string; facts: EncodeFacts }, recipe: Recipe, pieceMs = 1e6) {
  const plan = planEncode(recipe, facts);
  const output = name(CONTAINER_ENDING[recipe.container].slice(1));
  const order = { plan, master: file, masterMs: facts.durationMs, output, folder: `${output}.pieces`, application: 'test', pieceMs };
  const { pieces } = await encodeCopy(
    { ...order, chapters: [], cover: null, tags: {} },
    { progress: () => undefined, note: () => undefined },
  );
  const { streams } = JSON.parse(
    spawnSync('ffprobe', ['-v', 'error', '-show_streams', '-of', 'json', output], { encoding: 'utf8' }).stdout,
  ) as {
    streams: {
      width: number;
      height: number;
      sample_aspect_ratio: string;
      tags?: Record<string, string>;
      side_data_list?: { type?: string }[];
    }[];
  };
  const [stream] = streams;
  if (!stream) throw new Error('no stream');
  const frame = spawnSync('ffprobe', ['-v', 'error', '-show_frames', '-read_intervals', '%+#1', '-select_streams', 'v', output], {
    encoding: 'utf8',
  });
  return { output, plan, pieces, stream, frame: frame.stdout };
}

/** Likeness of one eye in a copy, taken out by a filter, to what that eye saw before it was packed. */
function seen(output: string, filter: string, which: 'left' | 'right'): number {
  const graph = `[0:v]${filter},scale=${WIDTH}:${HEIGHT}:flags=lanczos,setsar=1,settb=1/24,setpts=N[a];[1:v]settb=1/24,setpts=N[b];[a][b]ssim`;
  const said = ffmpeg(['-i', output, '-i', eyes[which], '-lavfi', graph, '-f', 'null', '-']);
  return Number(/All:([\d.]+)/.exec(said)?.[1] ?? Number.NaN);
}

const recipe = (
  layout: ViewLayout,
  more: Partial<Pick<Recipe, 'container' | 'picture'>> & { swapped?: boolean; codec?: Recipe['video']['codec'] } = {},
): Recipe => ({
  ...access,
  container: more.container ?? 'Matroska',
  views: { layout, swapped: more.swapped ?? false },
  video: { ...access.video, effort: 'little', quality: 14, codec: more.codec ?? 'H.264' },
  picture: { ...access.picture, ...more.picture },
});
const LEFT_HALF = 'crop=iw/2:ih:0:0';
const RIGHT_HALF = 'crop=iw/2:ih:iw/2:0';
const TOP = 'crop=iw:ih/2:0:0';
const BOTTOM = 'crop=iw:ih/2:0:ih/2';
/** What squeezing once leaves of these films; not squeezed they are nearly as they were. */
const [SQUEEZED, FULL] = [0.93, 0.985];

afterAll(() => {
  rmSync(folder, { recursive: true, force: true });
});

describe.each<Packing>([
  { packing: 'beside', first: 'left', half: false },
  { packing: 'below', first: 'right', half: false },
  { packing: 'beside', first: 'right', half: true },
  { packing: 'below', first: 'left', half: true },
])('a picture that holds $packing each other, $first first, half: $half', (how) => {
  const source = packed(how, how.first === 'right');
  const least = how.half ? SQUEEZED : FULL;

  test('becomes side by side, over-under, and single eyes, each what that eye saw', async () => {
    const beside = await made(source, recipe('side by side'));
    expect([beside.stream.width, beside.stream.height, beside.stream.sample_aspect_ratio]).toEqual([WIDTH * 2, HEIGHT, '1:1']);
    expect(beside.stream.tags?.['stereo_mode'] ?? beside.stream.tags?.['STEREO_MODE']).toBe('left_right');
    expect(seen(beside.output, LEFT_HALF, 'left')).toBeGreaterThan(least);
    expect(seen(beside.output, RIGHT_HALF, 'right')).toBeGreaterThan(least);
    expect(seen(beside.output, LEFT_HALF, 'right')).toBeLessThan(0.9);
    const below = await made(source, recipe('over-under', { swapped: true }));
    expect([below.stream.width, below.stream.height]).toEqual([WIDTH, HEIGHT * 2]);
    expect(below.stream.tags?.['stereo_mode']).toBe('bottom_top');
    expect(seen(below.output, TOP, 'right')).toBeGreaterThan(least);
    expect(seen(below.output, BOTTOM, 'left')).toBeGreaterThan(least);
    for (const which of ['left', 'right'] as const) {
      const one = await made(source, recipe(`${which} eye`));
      expect([one.stream.width, one.stream.height, one.stream.sample_aspect_ratio]).toEqual([WIDTH, HEIGHT, '1:1']);
      expect(seen(one.output, 'null', which)).toBeGreaterThan(least);
      // What its source said of two views is true of it no more.
      expect(one.stream.tags?.['stereo_mode'] ?? 'mono').toBe('mono');
      expect(one.frame).not.toContain('Stereo 3D');
    }
  });

  test('squeezed layouts keep the shape of one eye, and say so in stream and container', async () => {
    const matroska = await made(source, recipe('side by side, half'));
    expect([matroska.stream.width, matroska.stream.height]).toEqual([WIDTH, HEIGHT]);
    expect(matroska.stream.tags?.['stereo_mode']).toBe('left_right');
    // RFC 9559: the size that is said is one eye's. FFmpeg reckons the whole from it.
    expect(matroska.stream.sample_aspect_ratio).toBe('2:1');
    const bare = name('h264');
    ffmpeg(['-i', matroska.output, '-c', 'copy', '-f', 'h264', bare]);
    const { stdout } = spawnSync('ffprobe', ['-v', 'error', '-show_entries', 'stream=sample_aspect_ratio', '-of', 'csv=p=0', bare], {
      encoding: 'utf8',
    });
    expect(stdout.trim()).toBe('1:1');
    expect(seen(matroska.output, LEFT_HALF, 'left')).toBeGreaterThan(SQUEEZED);
    expect(seen(matroska.output, RIGHT_HALF, 'right')).toBeGreaterThan(SQUEEZED);
    const mp4 = await made(source, recipe('over-under, half', { container: 'MP4' }));
    expect([mp4.stream.width, mp4.stream.height, mp4.stream.sample_aspect_ratio]).toEqual([WIDTH, HEIGHT, '1:1']);
    expect(mp4.frame).toContain('Stereo 3D');
    expect(seen(mp4.output, TOP, 'left')).toBeGreaterThan(SQUEEZED);
    expect(seen(mp4.output, BOTTOM, 'right')).toBeGreaterThan(SQUEEZED);
  });
});

describe('what else becomes of both views', () => {
  const source = packed({ packing: 'beside', first: 'left', half: false });

  test('in pieces they say the same as in one go, in MP4 of HEVC too', async () => {
    for (const container of ['Matroska', 'MP4'] as const) {
      const whole = await made(source, recipe('side by side, half', { container, codec: 'HEVC' }));
      const divided = await made(source, recipe('side by side, half', { container, codec: 'HEVC' }), 900);
      expect(divided.pieces).toBeGreaterThan(1);
      expect(divided.stream.sample_aspect_ratio).toBe(whole.stream.sample_aspect_ratio);
      for (const { stream } of [whole, divided])
        if (container === 'MP4') expect(JSON.stringify(stream.side_data_list)).toMatch(/side by side/i);
        else expect(stream.tags?.['stereo_mode']).toBe('left_right');
      expect(seen(divided.output, RIGHT_HALF, 'right')).toBeGreaterThan(SQUEEZED);
    }
  });

  test.each([
    { codec: 'HEVC', swapped: false, layout: 'side by side, half', says: 'side by side' },
    { codec: 'HEVC', swapped: true, layout: 'over-under', says: 'top and bottom' },
    { codec: 'H.264', swapped: true, layout: 'side by side', says: 'side by side' },
  ] as const)('the stream itself says it: $codec, $layout, right eye first: $swapped', async ({ codec, swapped, layout, says }) => {
    const usual = recipe(layout, { codec, swapped });
    for (const [pieceMs, wished] of [
      [1e6, usual],
      [900, usual],
      // Not to be divided.
      [1e6, { ...usual, video: { ...usual.video, rate: { kind: 'average', kbps: 3000 } } }],
    ] as const) {
      const { output, stream } = await made(source, wished, pieceMs);
      expect(stream.tags?.['stereo_mode']).toMatch(swapped ? /^(right_left|bottom_top)$/ : /^left_right$/);
      // Without any container, as FFmpeg reads it.
      const bare = name(codec === 'HEVC' ? 'hevc' : 'h264');
      ffmpeg(['-i', output, '-map', '0:v', '-c', 'copy', '-f', codec === 'HEVC' ? 'hevc' : 'h264', bare]);
      const shown = ffmpeg(['-i', bare, '-vf', 'showinfo', '-f', 'null', '-']);
      const said = [...shown.matchAll(/stereoscopic information: type - ([a-z ]+?)( \(inverted\))?\n/g)].map((m) => [
        m[1],
        m[2] !== undefined,
      ]);
      // Of H.264 it is told where it stands, of HEVC for all pictures that it is true of.
      const [all, keys] = [/ n: *\d+ /g, / iskey:1 /g].map((of) => [...shown.matchAll(of)].length);
      expect([all, keys]).toEqual([SECONDS * 24, expect.any(Number)]);
      expect(said).toEqual(Array.from({ length: (codec === 'HEVC' ? all : keys) ?? 0 }, () => [says, swapped]));
      // It can be decoded as it was.
      expect(shown).not.toMatch(/error|invalid/i);
      expect(seen(output, layout === 'over-under' ? TOP : LEFT_HALF, swapped ? 'right' : 'left')).toBeGreaterThan(SQUEEZED);
    }
  });

  test('each eye is treated alike: bars that no seam hides go, and a mark stands in both', async () => {
    const facts = {
      ...source.facts,
      measured: { scan: 'progressive' as const, combed: 0, bars: { top: 20, bottom: 20, left: 14, right: 14 } },
    };
    const mark = { kind: 'text', text: 'Reef', corner: 'middle', heightPercent: 20, opacityPercent: 100 } as const;
    const { output, stream } = await made(
      { ...source, facts },
      recipe('side by side', { picture: { ...access.picture, bars: 'crop', mark } }),
    );
    expect([stream.width, stream.height]).toEqual([WIDTH * 2, HEIGHT - 40]);
    const plain = await made({ ...source, facts }, recipe('side by side', { picture: { ...access.picture, bars: 'crop' } }));
    for (const half of [LEFT_HALF, RIGHT_HALF]) {
      const said = ffmpeg(['-i', output, '-i', plain.output, '-lavfi', `[0:v]${half}[a];[1:v]${half}[b];[a][b]ssim`, '-f', 'null', '-']);
      const ssim = Number(/All:([\d.]+)/.exec(said)?.[1]);
      expect(ssim).toBeLessThan(0.99);
      expect(ssim).toBeGreaterThan(0.7);
    }
  });

  test('glasses in two colours: what only one eye sees comes through one of them', async () => {
    const { output, stream } = await made(source, recipe('red and cyan, grey'));
    expect([stream.width, stream.height]).toEqual([WIDTH, HEIGHT]);
    expect(stream.tags?.['stereo_mode']).toBeUndefined();
    const at = (x: number, y: number): number[] => {
      const { stdout } = spawnSync('ffmpeg', [
        ...['-v', 'error', '-i', output, '-vf', `crop=8:8:${x}:${y},scale=1:1:flags=area`, '-frames:v', '1'],
        ...['-f', 'rawvideo', '-pix_fmt', 'rgb24', '-'],
      ]);
      return [...stdout];
    };
    // A red field is dark grey, and the left eye's alone: the red of the glasses is the left eye's view.
    const background = await made(source, recipe('right eye'));
    expect(seen(background.output, 'null', 'right')).toBeGreaterThan(FULL);
    const [r = 0, g = 0, b = 0] = at(31, 31);
    expect(Math.abs(r - 76)).toBeLessThan(24);
    expect(Math.abs(g - b)).toBeLessThan(16);
  });

  test('a picture of one view is left alone, a title of two views says of its copy that it shows one', () => {
    const one = { ...source.facts, packed: null };
    const plan = planEncode(recipe('side by side'), one);
    expect(plan.video.views).toBeNull();
    expect(plan.reasons.map((r) => r.code)).toContain('one view only');
    const two = planEncode(recipe('kept'), { ...one, video: { ...one.video, twoViews: true } });
    expect(two.video.saysViews).toBe(true);
  });

  test('a headset takes what holds both views, and nothing that shows one', () => {
    const headset = TARGETS.find((t) => t.id === 'headset');
    if (!headset) throw new Error('no such target');
    const shape = (layout: ViewLayout) => {
      const plan = planEncode(recipe(layout, { container: 'MP4' }), source.facts);
      return obstaclesOn(headset, shapeOfPlan(plan, source.facts, 1e6)).map((o) => o.what);
    };
    expect(shape('side by side, half')).toEqual([]);
    expect(shape('kept')).toEqual([]);
    expect(shape('left eye')).toEqual(['views']);
  });
});
