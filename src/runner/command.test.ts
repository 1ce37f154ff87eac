import { spawn, spawnSync } from 'node:child_process';
import { existsSync, readFileSync, readdirSync, writeFileSync } from 'node:fs';
import path from 'node:path';
import { FindingsSchema, ReadingSchema, SidecarSchema } from '@/contract';
import { LOCKS, QUAY, temporaryFolder } from '@/test-support/discs';
import { complaints } from '@/test-support/ffmpeg';

/** The command as a script calls it: files in, files and JSON out, and an exit code. */

const folder = temporaryFolder();
function vault(...args: string[]): { code: number | null; out: string; messages: string } {
  const { status, stdout, stderr } = spawnSync(process.execPath, [path.resolve('dist/vault.mjs'), ...args], {
    encoding: 'utf8',
    cwd: folder,
  });
  return { code: status, out: stdout, messages: stderr };
}
function job(name: string, content: unknown): string {
  const file = path.join(folder, name);
  writeFileSync(file, JSON.stringify(content));
  return file;
}

test('read gives the reading and its findings as JSON', () => {
  const { code, out } = vault('read', LOCKS);
  expect(code).toBe(0);
  const parsed = JSON.parse(out) as { reading: unknown; findings: unknown };
  expect(ReadingSchema.parse(parsed.reading).titles).toHaveLength(5);
  expect(FindingsSchema.parse(parsed.findings).kind).toBe('series');
});

test('make writes a master with its sidecar, and prove finds it as promised until it is changed', () => {
  const output = path.join(folder, 'quay.mkv');
  expect(vault('make', job('job.json', { source: QUAY, title: 2, name: 'At the quay' }), output).code).toBe(0);
  expect(complaints(output)).toEqual([]);
  expect(SidecarSchema.parse(JSON.parse(readFileSync(`${output}.json`, 'utf8'))).reel.name).toBe('At the quay');
  const proven = vault('prove', output);
  expect([proven.code, JSON.parse(proven.out)]).toEqual([0, expect.objectContaining({ passed: true, digestMatches: true })]);
  const data = readFileSync(output);
  data[300_000] = (data[300_000] ?? 0) ^ 4;
  writeFileSync(output, data);
  const changed = vault('prove', output);
  expect([changed.code, JSON.parse(changed.out)]).toEqual([1, expect.objectContaining({ passed: false, digestMatches: false })]);
});

test('a title of an image with gaps in its map is refused, or made around them: all pictures but a few are those of the whole disc, at their times', () => {
  const [image, lost] = [path.join(folder, 'gaps.iso'), 25];
  const disc = readFileSync(QUAY);
  const from = Math.floor((disc.byteLength / 2048) * 0.6) * 2048;
  const to = from + lost * 2048;
  writeFileSync(image, disc);
  writeFileSync(`${image}.map`, `0x0 + 1\n0x0 ${from} +\n${from} ${to - from} -\n${to} ${disc.byteLength - to} +\n`);
  const refused = vault('make', job('refused.json', { source: image, title: 2 }), path.join(folder, 'refused.mkv'));
  expect([refused.code, refused.messages]).toEqual([1, expect.stringContaining('Title 2 can not be read whole')]);
  expect(existsSync(path.join(folder, 'refused.mkv'))).toBe(false);

  const [around, whole] = [path.join(folder, 'around.mkv'), path.join(folder, 'without gaps.mkv')];
  expect(vault('make', job('around.json', { source: image, title: 2, damage: 'around' }), around).code).toBe(0);
  expect(vault('make', job('whole.json', { source: QUAY, title: 2 }), whole).code).toBe(0);
  // What the disc holds there is known from the disc that has no gap, by FFmpeg.
  const pictures = (file: string) =>
    new Map(
      spawnSync('ffmpeg', ['-v', 'error', '-i', file, '-map', '0:v:0', '-f', 'framemd5', '-'], { encoding: 'utf8' })
        .stdout.split('\n')
        .filter((l) => l !== '' && !l.startsWith('#'))
        .map((l) => l.split(',').map((f) => f.trim()))
        .map((f) => [Number(f[2]), f[5] ?? '']),
    );
  const [made, truth] = [pictures(around), pictures(whole)];
  expect(Math.max(...made.keys())).toBe(Math.max(...truth.keys()));
  const differing = [...truth].filter(([pts, hash]) => made.get(pts) !== hash).map(([pts]) => pts);
  // The lost sectors hold a fifteenth of a second; what refers to them goes with them, up to the next picture that stands alone.
  expect(differing.length).toBeGreaterThan(0);
  expect(differing.length).toBeLessThan(13);
  expect(Math.max(...differing) - Math.min(...differing)).toBeLessThan(520);
  const { promise } = SidecarSchema.parse(JSON.parse(readFileSync(`${around}.json`, 'utf8')));
  const sectors = (kind: string) =>
    (promise.wholeness?.faults ?? []).filter((f) => f.kind === kind).reduce((sum, f) => sum + f.lastSector - f.firstSector + 1, 0);
  // Each is told of once, as what it is.
  expect([sectors('unreadable'), sectors('no pack')]).toEqual([lost, 0]);
});

test('make takes a reel with chapters and chosen tracks', () => {
  const reading = ReadingSchema.parse((JSON.parse(vault('read', QUAY).out) as { reading: unknown }).reading);
  const audio = reading.titles[1]?.audio[1];
  const track = {
    stream: audio?.stream,
    language: 'gd',
    name: 'Gaelic',
    isDefault: true,
    isForced: false,
    isCommentary: false,
    isHearingImpaired: false,
    isVisuallyImpaired: false,
    isOriginal: true,
  };
  const reel = {
    name: 'Part',
    pieces: [{ title: 2, angle: 1, fromChapter: 2, toChapter: 3 }],
    audio: [track],
    subtitles: [],
    chapterNames: ['First', 'Second'],
    recipes: ['master'],
  };
  const output = path.join(folder, 'part.mkv');
  expect(vault('make', job('reel.json', { source: QUAY, reel }), output).code).toBe(0);
  const { promise } = SidecarSchema.parse(JSON.parse(readFileSync(`${output}.json`, 'utf8')));
  expect(promise.tracks.map((t) => t.codecId)).toEqual(['V_MPEG2', 'A_PCM/INT/LIT']);
  expect(promise.chapters.map((c) => c.name)).toEqual(['First', 'Second']);
});

test.each([
  [['read', '/nothing/here'], 1, 'is not there'],
  [['read', path.resolve('package.json')], 1, 'neither UDF nor ISO 9660'],
  [['prove', __filename], 1, ''],
  [['make', 'job.json', 'out.avi'], 1, '.mkv or .mp4'],
  [['unknown'], 64, 'usage'],
  [[], 64, 'usage'],
] as const)('%j ends with %i and says why', (args, code, words) => {
  const result = vault(...args);
  expect(result.code).toBe(code);
  expect(result.messages).toContain(words);
  expect(result.out).toBe('');
});

test('a job that can not be done leaves nothing behind', () => {
  const before = readdirSync(folder).sort();
  expect(vault('make', job('job.json', { source: QUAY, title: 7 }), path.join(folder, 'no.mkv')).code).toBe(1);
  expect(vault('make', job('job.json', { source: QUAY, title: 2 }), path.join(folder, 'quay.mkv')).code).toBe(1); // the name is taken
  expect(readdirSync(folder).sort()).toEqual(before);
  expect(existsSync(path.join(folder, '.careful-vault'))).toBe(false);
});

test('make that is interrupted is cancelled, and leaves nothing behind', async () => {
  const output = path.join(folder, 'interrupted.mp4');
  const order = job('interrupted.json', { source: QUAY, title: 2 });
  const child = spawn(process.execPath, [path.resolve('dist/vault.mjs'), 'make', order, output], { cwd: folder, stdio: 'ignore' });
  const ended = new Promise((resolve) => child.once('exit', resolve));
  while (!existsSync(path.join(folder, '.careful-vault'))) await new Promise((resolve) => setTimeout(resolve, 20));
  child.kill('SIGINT');
  expect(await ended).toBe(2);
  expect([existsSync(output), existsSync(`${output}.json`), existsSync(path.join(folder, '.careful-vault'))]).toEqual([
    false,
    false,
    false,
  ]);
});
