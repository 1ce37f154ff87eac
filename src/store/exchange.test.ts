import '@/test-support/browser';
import { DEFAULT_RULES } from '@/core/reels';
import { sampleCatalogue } from '@/test-support/sample-catalogue';
import { openArchive } from './archive';
import { Catalogue, type DiscRecord } from './db';
import { proposeDraft } from './draft';
import { ImportError, applyImport, exportCatalogue, planImport } from './exchange';
import { nextEpisode, reelsWithFacts, saveFacts } from './facts';

const HERE = { id: 'here', name: 'Here' };
let db: Catalogue;
let count = 0;
beforeEach(() => {
  db = new Catalogue(`exchange-${++count}`);
});
afterEach(async () => {
  await db.delete();
});

async function filled(discs = 12): Promise<void> {
  await applyImport(db, await planImport(db, HERE.id, sampleCatalogue(discs)), false);
}

test('a catalogue goes out and comes back whole, into an empty one', async () => {
  await filled();
  const [disc] = await db.discs.toArray();
  if (!disc) throw new Error('no disc');
  const draft = proposeDraft(disc, DEFAULT_RULES);
  await db.drafts.put(draft);
  await db.settings.put({ key: 'house rules', rules: { ...DEFAULT_RULES, languages: ['gd'] } });
  const text = await exportCatalogue(db, HERE);
  const other = new Catalogue(`other-${count}`);
  const plan = await planImport(other, HERE.id, text);
  expect([plan.added.length, plan.changed, plan.same, plan.wrong, plan.rulesDiffer]).toEqual([12, [], 0, [], true]);
  expect(await other.discs.count()).toBe(0); // a plan changes nothing
  await applyImport(other, plan, true);
  expect(await other.discs.toArray()).toEqual(await db.discs.toArray());
  expect((await other.drafts.get(disc.fingerprint))?.reels).toEqual(draft.reels);
  expect((await other.rules())?.languages).toEqual(['gd']);
  expect(await planImport(other, HERE.id, text)).toMatchObject({ added: [], changed: [], same: 12, drafts: [], rulesDiffer: false });
  await other.delete();
});

test('a catalogue of version 1 is read, with rules as they were then', async () => {
  await db.settings.put({ key: 'house rules', rules: { ...DEFAULT_RULES, languages: ['gd'] } });
  const data = JSON.parse(await exportCatalogue(db, HERE)) as { version: number; rules: Record<string, unknown> };
  for (const later of ['subtitleFiles', 'measure', 'sets'])
    data.rules = Object.fromEntries(Object.entries(data.rules).filter(([k]) => k !== later));
  const plan = await planImport(db, HERE.id, JSON.stringify({ ...data, version: 1 }));
  expect(plan.rules).toEqual({ ...DEFAULT_RULES, languages: ['gd'] });
});

test('of another archive come the discs, but not where they were read: its places mean nothing here', async () => {
  await filled(3);
  await db.discs.toCollection().modify({ sources: [{ ref: { kind: 'place', root: 'images', path: 'x.iso' }, name: 'x.iso' }] });
  const text = await exportCatalogue(db, HERE);
  const other = new Catalogue(`foreign-${count}`);
  const plan = await planImport(other, 'elsewhere', text);
  expect(plan).toMatchObject({ archive: HERE, isForeign: true });
  await applyImport(other, plan, false);
  expect((await other.discs.toArray()).map((d) => d.sources)).toEqual([[], [], []]);
  const [mine] = await db.discs.toArray();
  // What is known here of a disc's places stays.
  const back = JSON.parse(await exportCatalogue(other, { id: 'elsewhere', name: 'E' })) as { discs: DiscRecord[] };
  const renamed = JSON.stringify({ ...back, discs: back.discs.map((d) => ({ ...d, name: `${d.name}, renamed` })) });
  await applyImport(db, await planImport(db, HERE.id, renamed), false);
  expect((await db.discs.get(mine?.fingerprint ?? ''))?.sources).toEqual(mine?.sources);
  expect(mine?.sources).not.toEqual([]);
  await other.delete();
});

test('what would change is said; what can not be read is left out and said; planned reels stay', async () => {
  await filled(3);
  const data = JSON.parse(await exportCatalogue(db, HERE)) as { discs: DiscRecord[] };
  const [first, second, third] = data.discs;
  if (!first || !second || !third) throw new Error('three discs');
  const discs = [{ ...first, name: 'Renamed', labels: ['new'] }, { ...second, reading: { version: 1, nonsense: true } }, third];
  const plan = await planImport(db, HERE.id, JSON.stringify({ ...data, discs }));
  expect(plan.changed.map((c) => c.what)).toEqual([[`name “${first.name}” becomes “Renamed”`, 'labels']]);
  expect(plan.wrong.map((w) => w.name)).toEqual([second.name]);
  expect(plan.same).toBe(1);
});

test.each([
  ['not JSON', 'no JSON'],
  ['{"format":"something else"}', 'no exported catalogue'],
  [JSON.stringify({ format: 'careful-vault catalogue', version: 99 }), 'newer version (99)'],
  ['null', 'no exported catalogue'],
])('%s is refused', async (text, words) => {
  await expect(planImport(db, HERE.id, text)).rejects.toThrow(ImportError);
  await expect(planImport(db, HERE.id, text)).rejects.toThrow(words);
});

test('two thousand discs go in at once', async () => {
  await filled(2000);
  expect(await db.discs.count()).toBe(2000);
});

describe('facts of a disc', () => {
  beforeAll(() => openArchive({ id: '00000000-0000-4000-8000-000000000001', name: 'Here', madeAt: '', isOlder: false }));
  test('a series goes on from disc to disc, each season for itself', async () => {
    await filled(40);
    const discs = (await db.discs.toArray()).filter((d) => d.findings.kind === 'series').slice(0, 3);
    const [one, two, three] = discs;
    if (!one || !two || !three) throw new Error('three series');
    const facts = (disc: DiscRecord, season: number, firstEpisode: number) => ({
      name: disc.name,
      tags: { ...disc.tags, series: 'Nets', season },
      firstEpisode,
      labels: disc.labels,
    });
    await saveFacts(db, one, facts(one, 1, 1));
    expect(await nextEpisode(db, two.fingerprint, 'Nets', 1)).toBe(4);
    await saveFacts(db, two, facts(two, 1, 4));
    expect(await nextEpisode(db, three.fingerprint, 'Nets', 1)).toBe(7);
    expect(await nextEpisode(db, three.fingerprint, 'Nets', 2)).toBe(1);
    expect(await nextEpisode(db, two.fingerprint, 'Nets', 1)).toBe(4); // itself does not count
  });

  test('reels that are not on the queue get what is now known; a name of the user’s own stays', async () => {
    await filled(40);
    const disc = (await db.discs.toArray()).find((d) => d.findings.kind === 'series');
    if (!disc) throw new Error('no series');
    const { reels } = proposeDraft({ ...disc, tags: { ...disc.tags, series: '' } }, DEFAULT_RULES);
    const before = { ...disc, tags: { ...disc.tags, series: '' } };
    const named = reels.map((r, i) => (i === 1 ? { ...r, reel: { ...r.reel, name: 'My own' } } : i === 2 ? { ...r, jobId: 'job' } : r));
    const now = { ...disc, tags: { ...disc.tags, series: 'Nets', season: 3 }, firstEpisode: 5 };
    const next = await reelsWithFacts(named, before, now);
    expect(next.map((r) => [r.reel.name, r.reel.tags?.episode ?? null])).toEqual([
      ['Episode 5', 5],
      ['My own', 6],
      [reels[2]?.reel.name, reels[2]?.reel.tags?.episode ?? null],
    ]);
  });
});
