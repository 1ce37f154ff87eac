import { spawnSync } from 'node:child_process';
import { existsSync, mkdirSync, readFileSync, readdirSync, statSync } from 'node:fs';
import path from 'node:path';
import type { DiscFolderState, SourceRef } from '@/contract';
import type { Volume } from '@/core/volume';
import { filesOf } from '@/node/disc-folder';
import { PROVING, temporaryFolder } from '@/test-support/discs';
import { TestEngine, refusal } from '@/test-support/engine';

/** The folder of a disc has what another reader takes out of the very image before it was ours, and what is not whole has no folder. */

const engine = new TestEngine([{ id: 'worn', image: path.join(PROVING, 'QUAY.iso'), scratches: [{ sector: 400, sectors: 3 }] }]);
beforeAll(() => engine.start());
afterAll(() => engine.stop());

const tray: SourceRef = { kind: 'drive', drive: 'tray' };
async function imageOf(source: SourceRef, name: string): Promise<string> {
  const { id } = await engine.call('takeImage', { body: { source, storage: 'library', name, fill: 'zeroes', retries: 0 } });
  await engine.until(async () => (await engine.call('state')).images.find((i) => i.id === id && /whole|gaps/.test(i.state)) ?? null);
  return id;
}
const ended = (id: string): Promise<DiscFolderState> =>
  engine.until(async () => (await engine.call('state')).folders.find((f) => f.id === id && f.state !== 'making') ?? null);
const placed = (name: string) => path.join(engine.library, 'Disc folders', name);
const files = (folder: string, inside = ''): string[] =>
  readdirSync(path.join(folder, inside), { withFileTypes: true })
    .flatMap((e) => (e.isDirectory() ? files(folder, path.join(inside, e.name)) : [path.join(inside, e.name)]))
    .sort();

test.each([
  ['a DVD', 'QUAY.iso'],
  ['a Blu-ray', 'TWIN.iso'],
])('%s: each file is what 7-Zip takes out of the disc, and sha256sum finds it so', async (_, disc) => {
  const name = path.basename(disc, '.iso');
  const id = await imageOf({ kind: 'place', root: 'images', path: disc }, name);
  const made = await engine.call('makeFolder', { id });
  expect(await ended(made.id)).toMatchObject({ state: 'done', problem: null });
  const other = temporaryFolder();
  // It wonders about the mirror at the end of a Blu-ray, which it does not know; the files are what counts.
  const { stdout } = spawnSync('7z', ['x', '-y', `-o${other}`, path.join(PROVING, disc)], { encoding: 'utf8' });
  expect(stdout).toMatch(/Type = (Udf|Iso)/);
  expect(files(placed(name)).length).toBeGreaterThan(4);
  expect(files(placed(name))).toEqual(files(other));
  for (const file of files(other))
    expect([file, readFileSync(path.join(placed(name), file)).equals(readFileSync(path.join(other, file)))]).toEqual([file, true]);
  const check = spawnSync('sha256sum', ['--check', '--strict', `../${name}.sha256`], { cwd: placed(name) });
  expect([check.status, check.stdout.toString().split('\n').length - 1]).toEqual([0, files(other).length]);
  expect(await refusal(engine.call('makeFolder', { id }))).toBe('name-taken');
  expect(
    engine
      .unfinished()
      .filter((n) => n === 'folders')
      .flatMap((n) => readdirSync(path.join(engine.library, '.careful-vault', n))),
  ).toEqual([]);
});

test('of an image with gaps in a file there is no folder, and it is said which file that is', async () => {
  await engine.call('insert', { id: 'tray', body: { disc: 'worn' } });
  const id = await imageOf(tray, 'Worn');
  const { id: made } = await engine.call('makeFolder', { id });
  const state = await ended(made);
  expect(state).toMatchObject({ state: 'failed', problem: { code: 'image-gaps' } });
  expect(state.problem?.message).toMatch(/VIDEO_TS\/VTS_\d\d_\d\.VOB|VIDEO_TS\/VIDEO_TS\.VOB/);
  expect([existsSync(placed('Worn')), existsSync(placed('Worn.sha256'))]).toEqual([false, false]);
  expect(await refusal(engine.call('makeFolder', { id: '0'.repeat(20) }))).toBe('not-known');
});

test('an engine that dies in the midst of it leaves nothing', async () => {
  const unfinished = path.join(engine.library, '.careful-vault', 'folders', 'left');
  mkdirSync(path.join(unfinished, 'disc'), { recursive: true });
  await engine.stop('SIGKILL');
  await engine.start();
  expect(existsSync(unfinished)).toBe(false);
  expect(statSync(placed('QUAY')).isDirectory()).toBe(true);
});

test('names that lead elsewhere, that some systems take for one, or that never end are refused', async () => {
  const volume = (list: (folder: string) => string[]) =>
    ({
      list: (folder: string) =>
        Promise.resolve(
          list(folder).map((name) => ({ name: name.replace(/\/$/, ''), kind: name.endsWith('/') ? 'folder' : 'file', sizeBytes: 1 })),
        ),
    }) as unknown as Volume;
  const code = (list: (folder: string) => string[]) =>
    filesOf(volume(list)).then(
      () => 'taken',
      (e: unknown) => (e as { code: string }).code,
    );
  for (const bad of ['..', '.', 'a/b', 'a\\b', 'a\0b', 'a\nb'])
    expect([bad, await code((f) => (f === '' ? ['VIDEO_TS/'] : [bad]))]).toEqual([bad, 'bad-disc-names']);
  expect(await code(() => ['Title.vob', 'TITLE.VOB'])).toBe('bad-disc-names');
  expect(await code(() => ['again/'])).toBe('bad-disc-names');
  expect(await code(() => Array.from({ length: 30_000 }, (_, i) => String(i)))).toBe('bad-disc-names');
  expect((await filesOf(volume((f) => (f === '' ? ['BDMV/', 'x'] : ['index.bdmv'])))).files.map((f) => f.path)).toEqual([
    'BDMV/index.bdmv',
    'x',
  ]);
});
