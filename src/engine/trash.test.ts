import { existsSync, mkdirSync, readFileSync, readdirSync, renameSync, statSync, writeFileSync } from 'node:fs';
import path from 'node:path';
import { wholeTitleReel } from '@/core/reels';
import { isOver, type SourceRef } from '@/contract';
import { titleOf } from '@/test-support/discs';
import { TestEngine, refusal } from '@/test-support/engine';

let engine: TestEngine;
beforeAll(async () => {
  engine = new TestEngine();
  await engine.start();
});
afterAll(() => engine.stop());

const quay: SourceRef = { kind: 'place', root: 'images', path: 'QUAY.iso' };
const inLibrary = (...parts: string[]) => path.join(engine.library, ...parts);
const films = () => readdirSync(inLibrary('Films')).sort();
const bytesOf = () => films().map((f) => readFileSync(inLibrary('Films', f)).toString('base64'));

test('a discarded result is out of the vault with all of its files, comes back as it was, and is gone only when the trash is emptied', async () => {
  const { jobId } = await engine.submit(
    quay,
    (r) => ({ ...wholeTitleReel(titleOf(r, 2), 'Nets'), subtitleFiles: true }),
    'library',
    'Films',
  );
  expect((await engine.jobUntil(jobId, isOver)).state).toBe('done');
  const [output] = await engine.outputs();
  const id = output?.id ?? '';
  const before = [films(), bytesOf()];
  await engine.call('discard', { id });
  expect(films()).toEqual([]);
  expect(await engine.outputs()).toEqual([]);
  const [entry] = (await engine.call('trash')).entries;
  expect(entry).toMatchObject({ name: 'Nets', path: output?.path, files: before[0]?.length, sizeBytes: output?.sizeBytes });
  const trashed = entry?.id ?? '';

  // Somebody has made another of that name: it is not written over, and nothing is lost.
  const [film = ''] = before[0] ?? [];
  writeFileSync(inLibrary('Films', film), 'another');
  expect(await refusal(engine.call('putBack', { id: trashed }))).toBe('name-taken');
  expect(films()).toEqual([film]);
  expect(readFileSync(inLibrary('Films', film), 'utf8')).toBe('another');
  renameSync(inLibrary('Films', film), inLibrary('another'));
  await engine.call('putBack', { id: trashed });
  expect([films(), bytesOf()]).toEqual(before);
  expect((await engine.outputs()).map((o) => o.path)).toEqual([output?.path]);
  expect((await engine.call('trash')).entries).toEqual([]);

  await engine.call('discard', { id });
  await engine.call('emptyTrash', { body: { ids: ['of something else'] } });
  expect((await engine.call('trash')).entries.length).toBe(1);
  await engine.call('emptyTrash', { body: { ids: null } });
  expect((await engine.call('trash')).entries).toEqual([]);
  const said = readFileSync(inLibrary('.careful-vault', 'emptied.ndjson'), 'utf8').trim().split('\n');
  expect(said.map((l) => JSON.parse(l) as unknown)).toEqual([
    expect.objectContaining({ path: output?.path, digest: output?.sidecar.file.digest }),
  ]);
});

test('what a power cut left half discarded is finished, and a file that has come in its place stays', async () => {
  mkdirSync(inLibrary('Films'), { recursive: true });
  for (const name of ['a.mkv', 'a.mkv.json', 'b.srt']) writeFileSync(inLibrary('Films', name), name);
  const inode = (name: string) => statSync(inLibrary('Films', name)).ino;
  const files = ['a.mkv', 'a.mkv.json', 'b.srt'].map((name) => ({ path: `Films/${name}`, inode: inode(name) }));
  const folder = inLibrary('.careful-vault', 'trash', 'half');
  mkdirSync(folder, { recursive: true });
  const record = { version: 1, at: '2026-11-28', path: 'Films/a.mkv', name: 'A', digest: '', sizeBytes: 5, files };
  writeFileSync(path.join(folder, 'discarded.json'), JSON.stringify(record));
  renameSync(inLibrary('Films', 'a.mkv'), path.join(folder, '0'));
  // Another file has the name of one that is still to be moved.
  renameSync(inLibrary('Films', 'b.srt'), inLibrary('elsewhere'));
  writeFileSync(inLibrary('Films', 'b.srt'), 'mine');
  await engine.stop('SIGKILL');
  await engine.start();
  expect(films()).toEqual(['b.srt']);
  expect(existsSync(path.join(folder, '1'))).toBe(true);
  expect(readFileSync(inLibrary('Films', 'b.srt'), 'utf8')).toBe('mine');
});
