import '@/test-support/browser';
import { DEFAULT_RULES } from '@/core/reels';
import { SHIPPED } from '@/core/recipes';
import type { Card, VaultEntry } from '@/contract';
import { sampleCatalogue } from '@/test-support/sample-catalogue';
import { keepCards, lookForCards, planFromCards } from './cards';
import { Catalogue } from './db';
import { proposeDraft } from './draft';
import { applyImport, planImport } from './exchange';

/** An empty browser is filled again from what the library has; nothing that somebody else wrote later is lost by it. */

const HERE = { id: 'here', name: 'Here' };
const BOTH = new Set(['a', 'b']);
let count = 0;
const databases: Catalogue[] = [];
const browser = () => {
  const db = new Catalogue(`cards-${++count}`);
  databases.push(db);
  return db;
};
afterAll(async () => {
  for (const db of databases) await db.delete();
});

/** A library that keeps what it is given, as the engine does. */
function library() {
  const kept = new Map<string, string>();
  const cards = async (): Promise<Card[]> =>
    Promise.all(
      [...kept].map(async ([key, text]) => {
        const [storage = '', name = ''] = key.split(' ');
        const digest = await crypto.subtle.digest('SHA-256', new TextEncoder().encode(text));
        const { exportedAt } = JSON.parse(text) as { exportedAt: string };
        return { storage, name, sha256: Buffer.from(digest).toString('hex'), exportedAt };
      }),
    );
  const keep = (name: string, storage: string, text: string) => Promise.resolve(void kept.set(`${storage} ${name}`, text));
  const text = (card: Card) => Promise.resolve(kept.get(`${card.storage} ${card.name}`) ?? '');
  return { kept, cards, keep, text, engine: { cards, keep, text } };
}
const output = (storage: string, fingerprint: string, label = 'L') =>
  ({ storage, sidecar: { disc: { fingerprint, label } } }) as unknown as VaultEntry;

test('what is said of discs goes into each library that has files of them, once, and fills an empty browser again', async () => {
  const db = browser();
  await applyImport(db, await planImport(db, HERE.id, sampleCatalogue(5)), false);
  const [one, two, three] = await db.discs.toArray();
  if (!one || !two || !three) throw new Error('no discs');
  await db.drafts.put({ ...proposeDraft(one, DEFAULT_RULES), changedAt: '2030-01-01T00:00:00Z' });
  await db.settings.put({ key: 'house rules', rules: { ...DEFAULT_RULES, languages: ['gd'] } });
  const [shipped] = SHIPPED;
  if (shipped) await db.recipes.put({ ...shipped, id: 'own-one', name: 'Ours' });
  const { kept, engine, cards, text } = library();
  const unknown = 'f'.repeat(64);
  const outputs = [
    ...[output('a', one.fingerprint), output('a', one.fingerprint), output('b', one.fingerprint), output('a', two.fingerprint)],
    ...[output('sealed', three.fingerprint), output('a', unknown, 'LOST_LABEL')],
  ];
  const keep = (from: Catalogue) => keepCards(from, HERE, outputs, BOTH, engine);
  expect(await keep(db)).toBe(5);
  expect([...kept.keys()].sort()).toEqual(
    ['a', 'b'].flatMap((s) => [`${s} house-rules`, `${s} ${one.fingerprint}`, ...(s === 'a' ? [`a ${two.fingerprint}`] : [])]).sort(),
  );
  expect(await keep(db)).toBe(0);
  await db.discs.update(two.fingerprint, { name: 'Renamed', labels: ['box 4'] });
  expect(await keep(db)).toBe(1);

  const empty = browser();
  // What knows nothing overwrites nothing.
  expect(await keep(empty)).toBe(0);
  const knows = await lookForCards(empty, outputs, cards);
  expect(knows.cards.map((c) => c.name).sort()).toEqual([one.fingerprint, two.fingerprint].sort());
  expect([...knows.nameless].sort()).toEqual(['L', 'LOST_LABEL']);
  const plan = await planFromCards(empty, HERE.id, knows, text);
  expect([plan.added.length, plan.wrong, plan.isForeign, plan.rulesDiffer, plan.recipes.map((r) => r.name)]).toEqual([
    2,
    [],
    false,
    true,
    ['Ours'],
  ]);
  await applyImport(empty, plan, true);
  for (const { fingerprint } of [one, two]) expect(await empty.discs.get(fingerprint)).toEqual(await db.discs.get(fingerprint));
  expect((await empty.drafts.get(one.fingerprint))?.reels).toEqual((await db.drafts.get(one.fingerprint))?.reels);
  expect((await empty.rules())?.languages).toEqual(['gd']);
  expect((await lookForCards(empty, outputs, cards)).cards).toEqual([]);
  // Both browsers say the same now: neither writes over the other for ever.
  expect(await keep(empty)).toBe(0);
  expect(await keep(db)).toBe(0);
});

test('a card that another browser has written later stays; one that is spoilt is named, and hides no other', async () => {
  const db = browser();
  await applyImport(db, await planImport(db, HERE.id, sampleCatalogue(2)), false);
  const [one, two] = await db.discs.toArray();
  if (!one || !two) throw new Error('no discs');
  const { kept, engine, cards, text } = library();
  const outputs = [output('a', one.fingerprint), output('a', two.fingerprint)];
  await keepCards(db, HERE, outputs, BOTH, engine);
  expect(kept.size).toBe(2); // the rules are as they came
  const later = (kept.get(`a ${one.fingerprint}`) ?? '').replace(/"exportedAt":"[^"]*"/, '"exportedAt":"2999-01-01T00:00:00Z"');
  kept.set(`a ${one.fingerprint}`, later);
  await db.discs.update(one.fingerprint, { name: 'Renamed here' });
  expect(await keepCards(db, HERE, outputs, BOTH, engine)).toBe(0);
  kept.set(`a ${two.fingerprint}`, '{"exportedAt":"2026-01-01T00:00:00Z","format":"something else"}');
  const empty = browser();
  const plan = await planFromCards(empty, HERE.id, await lookForCards(empty, outputs, cards), text);
  expect(plan.added.map((d) => d.fingerprint)).toEqual([one.fingerprint]);
  expect(plan.wrong).toHaveLength(1);
  expect(plan.wrong[0]?.name).toContain(two.fingerprint.slice(0, 12));
});
