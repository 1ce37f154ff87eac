import '@/test-support/browser';
import { SHIPPED, type Recipe } from '@/core/recipes';
import { DEFAULT_RULES } from '@/core/reels';
import { sampleCatalogue } from '@/test-support/sample-catalogue';
import { catalogue, openArchive } from './archive';
import { proposeDraft } from './draft';
import { applyImport, exportCatalogue, planImport } from './exchange';
import { RecipeFileError, copyRecipe, ownRecipes, recipeFile, saveRecipe, takeRecipes, usesOf } from './recipes';
import { saveRules } from './rules';

const ARCHIVE = { id: '00000000-0000-4000-8000-0000000000aa', name: 'Here', madeAt: '2026-01-01', isOlder: false };
const lending = SHIPPED.find((r) => r.id === 'lending') as Recipe;

beforeEach(async () => {
  await openArchive(ARCHIVE, []);
  await catalogue().recipes.clear();
  await catalogue().drafts.clear();
});

test('a duplicate is the archive’s own, by an identifier and an ending that are free', async () => {
  const first = await copyRecipe(lending);
  const second = await copyRecipe(lending);
  expect([first, second]).toEqual(['own-lending-copy', 'own-lending-copy-2']);
  expect((await ownRecipes()).map((r) => r.name)).toEqual(['Lending copy, changed', 'Lending copy, changed']);
  await expect(saveRecipe({ ...lending, id: 'own-x', suffix: '/../' })).rejects.toThrow();
  // What is in the catalogue and can not be read as a recipe hides no other.
  await catalogue().recipes.put({ ...lending, id: 'own-old', version: 7 as 4 });
  expect(await ownRecipes()).toHaveLength(2);
});

test('recipes go out and come back: known ones are not doubled, others of the same name stand beside them', async () => {
  const id = await copyRecipe(lending);
  const [own] = await ownRecipes();
  if (!own) throw new Error('nothing was copied');
  const file = recipeFile([own, lending]);
  expect(await takeRecipes(file)).toEqual([]);
  const changed = recipeFile([{ ...own, video: { ...own.video, quality: 30 } }]);
  expect(await takeRecipes(changed)).toEqual(['own-lending-copy-changed']);
  expect((await ownRecipes()).map((r) => r.video.quality).sort()).toEqual([23, 30]);
  expect((await ownRecipes()).find((r) => r.id === id)?.video.quality).toBe(23);
});

test.each([
  ['no JSON', '{'],
  ['another file', '{"kind":"other","version":1,"recipes":[]}'],
  ['arguments for a program', recipeFile([{ ...lending, arguments: ['-i', '/etc/passwd'] } as Recipe])],
  ['one bad among good ones', recipeFile([lending, { ...lending, id: 'own-b', container: 'EXE' as Recipe['container'] }])],
])('%s is refused, and nothing of it is taken', async (_name, text) => {
  await expect(takeRecipes(text)).rejects.toThrow(RecipeFileError);
  expect(await ownRecipes()).toEqual([]);
});

test('where it is used: planned reels, and house rules', async () => {
  const id = await copyRecipe(lending);
  await applyImport(catalogue(), await planImport(catalogue(), ARCHIVE.id, sampleCatalogue(1)), false);
  const [disc] = await catalogue().discs.toArray();
  if (!disc) throw new Error('no disc');
  expect(await usesOf(id)).toEqual({ reels: [], rules: false });
  const draft = proposeDraft(disc, DEFAULT_RULES);
  await catalogue().drafts.put({ ...draft, reels: draft.reels.map((r) => ({ ...r, reel: { ...r.reel, recipes: [id] } })) });
  await saveRules({ ...DEFAULT_RULES, recipes: ['master', id] });
  const uses = await usesOf(id);
  expect(uses.rules).toBe(true);
  expect(uses.reels).toHaveLength(draft.reels.length);
  expect(uses.reels[0]?.disc).toBe(disc.name);
});

test('a catalogue takes its recipes along; those that are here stay as they are unless rules are taken too', async () => {
  await copyRecipe(lending);
  const text = await exportCatalogue(catalogue(), ARCHIVE);
  await catalogue().recipes.clear();
  const plan = await planImport(catalogue(), ARCHIVE.id, text);
  expect(plan.recipes).toHaveLength(1);
  await applyImport(catalogue(), plan, false);
  const [own] = await ownRecipes();
  if (!own) throw new Error('it did not come back');
  await saveRecipe({ ...own, note: 'Changed here' });
  await applyImport(catalogue(), await planImport(catalogue(), ARCHIVE.id, text), false);
  expect((await ownRecipes())[0]?.note).toBe('Changed here');
  await applyImport(catalogue(), await planImport(catalogue(), ARCHIVE.id, text), true);
  expect((await ownRecipes())[0]?.note).toBe(lending.note);
});
