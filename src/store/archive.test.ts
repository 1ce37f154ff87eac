import '@/test-support/browser';
import Dexie from 'dexie';
import { findRoles } from '@/core/findings';
import { DEFAULT_RULES, NO_TAGS } from '@/core/reels';
import { offers, sketchReading } from '@/test-support/readings';
import type { Archive, JobState } from '@/contract';
import type { DiscRecord } from './db';

/** Catalogues of several archives in one browser, each page with one of them. */

const archive = (n: number, isOlder = false): Archive => ({
  id: `00000000-0000-4000-8000-00000000000${n}`,
  name: `Archive ${n}`,
  madeAt: '2026-01-01',
  isOlder,
});
const reading = sketchReading([{ parts: ['a:30'] }], [offers(1, 1, true)]);
const disc = (name: string): DiscRecord => ({
  fingerprint: `${name}-${reading.fingerprint}`,
  name,
  reading,
  findings: findRoles(reading),
  sources: [],
  addedAt: '',
  readAt: '2026-01-01',
  tags: NO_TAGS,
  firstEpisode: null,
  labels: [],
});

/** A page as it is loaded: its modules know nothing of another's. */
const page = async (): Promise<typeof import('./archive')> => {
  let loaded: typeof import('./archive') | undefined;
  await jest.isolateModulesAsync(async () => {
    loaded = await import('./archive');
  });
  if (!loaded) throw new Error('nothing was loaded');
  return loaded;
};

/** What a version before archives has left in this browser. */
async function leaveEarlier(jobs: readonly string[]): Promise<void> {
  await Dexie.delete('careful-vault');
  const earlier = new Dexie('careful-vault');
  earlier
    .version(9)
    .stores({ discs: 'fingerprint, name, readAt', drafts: 'fingerprint', jobs: 'id, fingerprint, createdAt', settings: 'key' });
  await earlier.table('discs').bulkPut([disc('Old one'), disc('Old two')]);
  await earlier.table('jobs').bulkPut(jobs.map((id) => ({ id }) as JobState));
  await earlier.table('settings').put({ key: 'house rules', rules: { ...DEFAULT_RULES, languages: ['gd'] } });
  earlier.close();
}
const names = async ({ catalogue }: typeof import('./archive')) => (await catalogue().discs.toArray()).map((d) => d.name).sort();

beforeEach(async () => {
  localStorage.clear();
  for (const name of await Dexie.getDatabaseNames()) await Dexie.delete(name);
});

test('what stands on the shelf of one archive stands on no other’s; a page has one for as long as it is open', async () => {
  const first = await page();
  expect(() => first.catalogue()).toThrow('no archive');
  expect(first.lastArchive()).toBeNull();
  await first.openArchive(archive(1));
  await first.catalogue().discs.put(disc('Mine'));
  expect(await first.openArchive(archive(2))).toBe(false);
  expect(await names(first)).toEqual(['Mine']);
  expect(await first.openArchive({ ...archive(1), name: 'Renamed' })).toBe(true);
  expect(first.openedArchive()?.archive.name).toBe('Renamed');
  const second = await page();
  await second.openArchive(archive(2));
  expect(await names(second)).toEqual([]);
  const again = await page();
  expect(again.lastArchive()?.id).toBe(archive(2).id); // what this address showed last
  await again.openArchive(archive(1));
  expect(await names(again)).toEqual(['Mine']);
});

test('an earlier catalogue goes to the archive whose jobs it knows, whole, and to no other', async () => {
  await leaveEarlier(['job-a', 'job-b']);
  const mine = await page();
  await mine.openArchive(archive(1, true), ['job-b']);
  expect([await names(mine), mine.openedArchive()?.offered]).toEqual([['Old one', 'Old two'], 0]);
  expect((await mine.catalogue().rules())?.languages).toEqual(['gd']);
  expect(await mine.catalogue().jobs.count()).toBe(2);
  const other = await page();
  await other.openArchive(archive(2, true), ['job-a']);
  expect([await names(other), other.openedArchive()?.offered]).toEqual([[], 0]);
  expect(await Dexie.exists('careful-vault')).toBe(true); // a version before finds it where it was
});

test('where nothing says whose it is the user is asked; both answers hold', async () => {
  await leaveEarlier(['job-a']);
  const fresh = await page();
  await fresh.openArchive(archive(1), []);
  expect([await names(fresh), fresh.openedArchive()?.offered]).toEqual([[], 2]);
  await fresh.answerEarlier(false);
  expect(fresh.openedArchive()?.offered).toBe(0);
  const again = await page();
  await again.openArchive(archive(1), []);
  expect(again.openedArchive()?.offered).toBe(0);
  const other = await page();
  await other.openArchive(archive(2), []);
  await other.catalogue().discs.put({ ...disc('Old one'), name: 'Known here already' });
  expect(other.openedArchive()?.offered).toBe(2);
  await other.answerEarlier(true);
  expect(await names(other)).toEqual(['Known here already', 'Old two']);
});

test('a data folder that was in use before, and a catalogue without jobs, belong together', async () => {
  await leaveEarlier([]);
  const mine = await page();
  await mine.openArchive(archive(1, true), ['job-z']);
  expect(await names(mine)).toEqual(['Old one', 'Old two']);
});

test('a catalogue that a newer version has written is not touched, and said to be so', async () => {
  const { nameOfCatalogue, openArchive, openedArchive } = await page();
  const newer = new Dexie(nameOfCatalogue(archive(1)));
  newer.version(99).stores({ discs: 'fingerprint', shelves: 'id' });
  await newer.table('discs').put(disc('Of tomorrow'));
  newer.close();
  await openArchive(archive(1));
  expect(openedArchive()).toMatchObject({ isTooNew: true });
  const again = new Dexie(nameOfCatalogue(archive(1)));
  await again.open();
  expect(again.verno).toBe(99);
  expect(await again.table('discs').count()).toBe(1);
  again.close();
});
