import { spawnSync } from 'node:child_process';
import { copyFileSync, writeFileSync } from 'node:fs';
import path from 'node:path';
import { makeGraphics } from '../../demo/bluray/graphics';
import { BESIDE, SHIPPED, filtersOf, planEncode, type EncodeFacts, type Recipe } from '@/core/recipes';
import { temporaryFolder } from '@/test-support/discs';
import { factsOf } from '@/test-support/encodes';

/**
 * Subtitles in depth, measured in the pictures themselves: which columns of each eye's picture are as white as letters are. Nothing of how
 * they came there is asked.
 */
const folder = temporaryFolder();
const at = (name: string) => path.join(folder, name);
const [WIDTH, HEIGHT] = [480, 270];

function ffmpeg(args: readonly string[]): Buffer {
  const { status, stdout, stderr } = spawnSync('ffmpeg', ['-v', 'error', '-y', '-nostdin', ...args], { cwd: folder, maxBuffer: 2 ** 28 });
  if (status !== 0) throw new Error(`${args.join(' ')}\n${stderr.toString()}`);
  return stdout;
}

/** First and last column with letters, of a picture while they are shown. */
function columns(file: string, crop: string): [number, number] {
  const [width = 0, height = 0] = crop.split(':').map(Number);
  const picture = ffmpeg(['-i', file, '-ss', '1', '-frames:v', '1', '-vf', `crop=${crop},format=gray`, '-f', 'rawvideo', '-']);
  expect(picture.byteLength).toBe(width * height);
  const white = Array.from({ length: width }, (_, x) =>
    Array.from({ length: height }, (__, y) => picture[y * width + x] ?? 0).some((v) => v > 210),
  );
  return [white.indexOf(true), white.lastIndexOf(true)];
}

const recipe: Recipe = {
  ...(SHIPPED[0] as Recipe),
  container: 'Matroska',
  video: { ...(SHIPPED[0] as Recipe).video, codec: 'FFV1', rate: null },
  picture: { ...(SHIPPED[0] as Recipe).picture, mostRows: null },
  subtitles: { kept: 'none', drawn: 'first' },
  views: { layout: 'side by side', swapped: false },
};
const facts = (codec: 'PGS' | 'SubRip', subtitleDepth: number, more: Partial<EncodeFacts['video']> = {}): EncodeFacts => ({
  ...factsOf(
    {
      codec: 'H.264',
      widthPixels: WIDTH,
      heightPixels: HEIGHT,
      displayAspect: [16, 9],
      frameTicks: 27_000_000 / 24,
      twoViews: true,
      ...more,
    },
    null,
  ),
  flaggedInterlaced: false,
  durationMs: 1600,
  subtitleDepth,
  subtitles: [{ codec, forced: false }],
});

beforeAll(async () => {
  await makeGraphics([{ at: 0.4, seconds: 1, text: 'Low water' }], WIDTH, HEIGHT, at('words.sup'));
  writeFileSync(at('words.srt'), '1\n00:00:00,400 --> 00:00:01,400\nLow water\n');
  const grey = (rate: number) => ['-f', 'lavfi', '-i', `color=0x404040:s=${WIDTH}x${HEIGHT}:r=${rate}:d=1.6`];
  // Both eyes in turn, and as two tracks; the text within, as a master has it.
  ffmpeg([...grey(48), '-i', 'words.srt', '-c:v', 'ffv1', '-c:s', 'srt', at('turns.mkv')]);
  ffmpeg([
    ...grey(24),
    ...grey(24),
    '-i',
    'words.srt',
    '-map',
    '0',
    '-map',
    '1',
    '-map',
    '2',
    '-c:v',
    'ffv1',
    '-c:s',
    'srt',
    at('tracks.mkv'),
  ]);
});

/** The columns in the left and in the right half of a copy. */
function drawn(source: 'turns' | 'tracks', known: EncodeFacts, way: Recipe = recipe): [[number, number], [number, number]] {
  const plan = planEncode(way, known);
  copyFileSync(at(`${source}.mkv`), at(BESIDE.source));
  const filters = filtersOf(plan, 1);
  const graph = filters.endsWith('[picture]') ? ['-filter_complex', filters, '-map', '[picture]'] : ['-vf', filters, '-map', '0:v:0'];
  ffmpeg(['-i', `${source}.mkv`, '-i', 'words.sup', ...graph, '-an', '-sn', '-c:v', 'ffv1', at('copy.mkv')]);
  return [columns(at('copy.mkv'), `${WIDTH}:${HEIGHT}:0:0`), columns(at('copy.mkv'), `${WIDTH}:${HEIGHT}:${WIDTH}:0`)];
}
const moved = ([from, to]: [number, number], by: number): [number, number] => [from + by, to + by];

describe.each([
  ['pictures', 'PGS', 'turns', {}],
  ['pictures', 'PGS', 'tracks', { viewsApart: true }],
  ['text', 'SubRip', 'turns', {}],
  ['text', 'SubRip', 'tracks', { viewsApart: true }],
] as const)('%s over two views (%s) from %s', (_, codec, source, more) => {
  const flat = () => drawn(source, facts(codec, 0, more));

  test('stand in the same place of both eyes at the plane of the screen', () => {
    const [left, right] = flat();
    expect(left[1] - left[0]).toBeGreaterThan(40);
    expect(right).toEqual(left);
  });

  test('stand in front of it where each eye has them nearer to the other, and behind it where not', () => {
    const [plain] = flat();
    // 40 pixels of 1,920 are 10 of this picture.
    const near = drawn(source, facts(codec, 40, more));
    expect(near).toEqual([moved(plain, 10), moved(plain, -10)]);
    const far = drawn(source, facts(codec, -24, more));
    expect(far).toEqual([moved(plain, -6), moved(plain, 6)]);
  });

  test('go with the eyes, whichever comes first and wherever it is put', () => {
    const [plain] = flat();
    const first = drawn(source, facts(codec, 40, { ...more, baseIsRight: true }), {
      ...recipe,
      views: { layout: 'side by side', swapped: true },
    });
    // The right eye's picture stands left: there they are moved to the left.
    expect(first).toEqual([moved(plain, -10), moved(plain, 10)]);
    const crossed = drawn(source, facts(codec, 40, { ...more, baseIsRight: true }));
    expect(crossed).toEqual([moved(plain, 10), moved(plain, -10)]);
  });
});
