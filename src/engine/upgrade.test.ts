import '@/test-support/browser';
import Dexie from 'dexie';
import { cpSync, mkdirSync, readFileSync, readdirSync, writeFileSync } from 'node:fs';
import path from 'node:path';
import { planPiece } from '@/core/assembly';
import { findRoles } from '@/core/findings';
import type { Reading } from '@/core/reading';
import { wholeTitleReel } from '@/core/reels';
import { ReadingSchema } from '@/contract';
import { Catalogue } from '@/store/db';
import { temporaryFolder } from '@/test-support/discs';
import { Jobs } from './jobs';

/**
 * What earlier versions have left: readings that each of them made of the same two discs (LOCKS and TWIN of the proving discs; `first` is
 * of the first days of a version), in orders, and in catalogues of browsers. Nothing of it vanishes, and nothing is misread.
 */
const SAMPLES = path.join('src', 'test-support', 'samples');
const text = (name: string) => readFileSync(path.join(SAMPLES, name), 'utf8');
const names = readdirSync(SAMPLES).filter((n) => n.endsWith('.json'));
const raw = (name: string) => JSON.parse(text(name)) as Reading;
const today = (disc: string) => ReadingSchema.parse(raw(`${disc}-v6.json`));
const discOf = (name: string) => name.split('-')[0] ?? '';

test.each(names)('%s: a reading that an earlier version made says what today’s says, as far as it knew', (name) => {
  const reading = ReadingSchema.parse(raw(name));
  const now = today(discOf(name));
  expect(reading.fingerprint).toBe(now.fingerprint);
  const facts = (r: Reading) =>
    r.titles.map((t) => [
      t.number,
      t.durationMs,
      t.chapters.length,
      t.audio.map((a) => [a.stream, a.codec, a.language]),
      t.subtitles.length,
    ]);
  expect(facts(reading)).toEqual(facts(now));
  const roles = (r: Reading) => findRoles(r).titles.map((f) => [f.title, f.role]);
  expect(roles(reading)).toEqual(roles(now));
  for (const title of reading.titles) {
    const piece = { title: title.number, angle: 1, fromChapter: 1, toChapter: title.chapters.length };
    expect(planPiece(reading, piece, false).segments.map((s) => s.segment.id)).toEqual(
      planPiece(now, piece, false).segments.map((s) => s.segment.id),
    );
  }
});

/** An order of version 1, as it was written then. */
function layOrder(root: string, id: string, reading: Reading, change: object = {}): string {
  const folder = path.join(root, id);
  const [title] = ReadingSchema.parse(reading).titles;
  if (!title) throw new Error('no title');
  mkdirSync(folder, { recursive: true });
  const order = {
    version: 1,
    id,
    createdAt: '2026-01-01T00:00:00.000Z',
    reel: wholeTitleReel(title, `Film of ${id}`),
    reading,
    source: { kind: 'image', path: '/gone.iso', label: 'gone.iso' },
    storage: { id: 'library', name: 'Library', path: '/gone' },
    folder: '',
    fileName: id,
    soundFiles: [],
    ...change,
  };
  writeFileSync(path.join(folder, 'job.json'), JSON.stringify(order));
  return folder;
}

test('a data folder of earlier versions: every job is in the queue, by its name or with the reason why it can not be gone on with', async () => {
  const dataFolder = temporaryFolder();
  const root = path.join(dataFolder, 'jobs');
  const line = (event: object) => `${JSON.stringify({ seq: 1, at: '2026-01-01T00:00:00.000Z', ...event })}\n`;
  for (const name of names) {
    const folder = layOrder(root, `ended-${name.replace('.json', '')}`, raw(name));
    writeFileSync(path.join(folder, 'events.ndjson'), line({ type: 'started', pid: 1 }) + line({ type: 'finished', files: ['f'] }));
  }
  // A version before journals of decisions: a file says that the user wants what there is.
  writeFileSync(path.join(layOrder(root, 'waiting-dvd', raw('dvd-v5.json')), 'around'), '');
  layOrder(root, 'from-tomorrow', raw('dvd-v6.json'), { version: 99 });
  layOrder(root, 'reading-of-tomorrow', raw('dvd-v6.json'), { reading: { ...raw('dvd-v6.json'), version: 99 } });
  mkdirSync(path.join(root, 'torn-in-half'));
  writeFileSync(path.join(root, 'torn-in-half', 'job.json'), text('dvd-v1.json').slice(0, 900));
  cpSync(path.join(root, 'ended-dvd-v1'), path.join(root, 'ended-copied-by-hand'), { recursive: true });
  const jobs = new Jobs({
    config: { dataFolder, storages: [] },
    runners: { launch: () => null, isAtWork: () => false, stop: () => undefined, pause: () => undefined, goOn: () => undefined },
    drives: { use: () => ({ spunUp: true, done: () => undefined }), isUsed: () => false, lacks: () => false, content: () => '' },
    storages: { known: () => Promise.reject(new Error('none')), isAway: () => true, hasRoom: () => true },
    hub: { send: () => undefined },
    finished: () => undefined,
  });
  const said = jest.spyOn(console, 'error').mockImplementation(() => undefined);
  await jobs.read();
  said.mockRestore();
  const states = new Map(jobs.states().map((s) => [s.id, s]));
  expect([...states.keys()].sort()).toEqual(readdirSync(root).sort());
  for (const name of names) {
    const id = `ended-${name.replace('.json', '')}`;
    expect(states.get(id)).toMatchObject({ name: `Film of ${id}`, state: 'done' });
  }
  const problem = (id: string) => [states.get(id)?.state, states.get(id)?.problem?.code];
  expect(problem('waiting-dvd')).toEqual(['waiting', undefined]);
  expect(problem('from-tomorrow')).toEqual(['failed', 'too-new']);
  expect(problem('reading-of-tomorrow')).toEqual(['failed', 'order-lost']);
  expect(problem('torn-in-half')).toEqual(['failed', 'order-lost']);
  expect(problem('ended-copied-by-hand')).toEqual(['failed', 'order-lost']);
});

test.each([
  [1, 'dvd-v1.json'],
  [3, 'dvd-v2.json'],
  [4, 'bluray-v3.json'],
  [7, 'bluray-v4.json'],
  [8, 'dvd-v5-first.json'],
  [8, 'bluray-v5.json'],
])('a catalogue of version %s, with %s in it, opens whole', async (version, name) => {
  const database = `of-version-${version}-${name}`;
  const old = new Dexie(database);
  old.version(version).stores({
    discs: 'fingerprint, name, readAt',
    drafts: 'fingerprint',
    jobs: 'id, fingerprint, createdAt',
    ...(version >= 6 ? { settings: 'key' } : {}),
  });
  const reading = raw(name);
  const [title] = ReadingSchema.parse(reading).titles;
  if (!title) throw new Error('no title');
  const { fingerprint } = reading;
  await old.table('discs').put({ fingerprint, name: 'A disc', reading, findings: {}, sources: [], addedAt: '', readAt: '' });
  await old.table('drafts').put({ fingerprint, reels: [{ id: 'r', reel: wholeTitleReel(title, 'Planned'), jobId: null }], storage: 's' });
  await old.table('jobs').put({ id: 'j', fingerprint, createdAt: '', state: 'done' });
  old.close();
  const now = new Catalogue(database);
  const disc = await now.discs.get(fingerprint);
  expect(ReadingSchema.safeParse(disc?.reading).success).toBe(true);
  expect(disc?.findings).toEqual(findRoles(ReadingSchema.parse(reading)));
  expect((await now.drafts.get(fingerprint))?.reels[0]?.reel.name).toBe('Planned');
  expect((await now.jobs.get('j'))?.stretches).toEqual(version < 8 ? [] : undefined);
  await now.delete();
});
