import '@/test-support/browser';
import { DEFAULT_RULES, type SetChoice } from '@/core/reels';
import { sampleCatalogue } from '@/test-support/sample-catalogue';
import { openArchive, catalogue } from './archive';
import { proposalNow } from './draft';
import { applyImport, planImport } from './exchange';
import { keepChoice, readRules, saveRules } from './rules';

/** House rules, and what is kept for the discs of a set, as more than one place writes them. */

beforeAll(() => openArchive({ id: '00000000-0000-4000-8000-000000000002', name: 'A', madeAt: '2026-01-01', isOlder: false }));
beforeEach(() => catalogue().settings.clear());

const choice = (series: string, recipes: SetChoice['recipes'] = ['master']): SetChoice => ({
  ...{ series, role: 'episode', audio: [], subtitles: [], recipes, subtitleFiles: false },
});

test('choices that are kept at once are all kept, a later one of a set in the place of the earlier, and no other rule is touched', async () => {
  await saveRules({ ...DEFAULT_RULES, storage: 'shelf' });
  await Promise.all([keepChoice(choice('Inland Water')), keepChoice(choice('Tide Tables')), keepChoice(choice('Low Light'))]);
  await keepChoice(choice('Tide Tables', ['access']));
  const { sets, storage } = await readRules();
  expect(storage).toBe('shelf');
  expect(sets.map((s) => [s.series, ...s.recipes])).toEqual([
    ['Inland Water', 'master'],
    ['Low Light', 'master'],
    ['Tide Tables', 'access'],
  ]);
});

test('a disc is proposed as it and the rules are kept now, whatever a page still shows of them', async () => {
  const db = catalogue();
  await applyImport(db, await planImport(db, 'here', sampleCatalogue(1)), false);
  const [shown] = await db.discs.toArray();
  if (!shown) throw new Error('no disc');
  const stale = { ...shown, tags: { ...shown.tags, series: '' } };
  await saveRules({ ...DEFAULT_RULES, recipes: ['access'] });
  await db.discs.put({ ...shown, tags: { ...shown.tags, series: 'Inland Water' } });
  const { reels } = await proposalNow(stale);
  expect(reels.length).toBeGreaterThan(0);
  for (const reel of reels) expect([reel.recipes, reel.tags?.series]).toEqual([['access'], 'Inland Water']);
});
