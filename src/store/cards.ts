import Dexie from 'dexie';
import {
  EXCHANGE_VERSION,
  ExchangeDiscSchema,
  ExchangeDraftSchema,
  ExchangeSchema,
  HouseRulesSchema,
  RecipeSchema,
  RULES_CARD,
  type Archive,
  type Card,
  type VaultEntry,
} from '@/contract';
import { call } from './api';
import type { Catalogue } from './db';
import { catalogueText, planImport, type ImportPlan } from './exchange';

/** What the catalogue says of discs is kept in the library too, so that an empty browser can have all of it again. */

type Identity = Pick<Archive, 'id' | 'name'>;

/** All that is known of one disc, as text; null where the catalogue does not have it. The same catalogue gives the same text. */
export async function cardOf(db: Catalogue, archive: Identity, fingerprint: string): Promise<{ text: string; at: string } | null> {
  const kept = await db.discs.get(fingerprint);
  // Through the schema, so that its parts stand in one order whichever way they came into this browser.
  const disc = ExchangeDiscSchema.safeParse(kept).data;
  if (!disc) return null;
  const planned = await db.drafts.get(fingerprint);
  const draft = ExchangeDraftSchema.safeParse(planned).data;
  const at = [disc.readAt, planned?.changedAt ?? ''].sort().at(-1) ?? '';
  return { at, text: catalogueText(archive, { rules: null, recipes: [], discs: [disc], drafts: draft ? [draft] : [] }, at) };
}

/** The house rules and recipes as text; null while they are as they came, which says nothing of anybody's wishes. */
async function rulesCard(db: Catalogue, archive: Identity): Promise<string | null> {
  const rules = HouseRulesSchema.safeParse(await db.rules()).data ?? null;
  const recipes = (await db.recipes.toArray()).flatMap((r) => RecipeSchema.safeParse(r).data ?? []);
  if (rules === null && recipes.length === 0) return null;
  return catalogueText(archive, { rules, recipes, discs: [], drafts: [] }, '0000-00-00T00:00:00Z');
}

async function sha256(text: string): Promise<string> {
  const digest = await crypto.subtle.digest('SHA-256', new TextEncoder().encode(text));
  return [...new Uint8Array(digest)].map((b) => b.toString(16).padStart(2, '0')).join('');
}

/** Of each disc, as it was last: what has not changed is not made into a card again. */
type Made = Map<string, { readonly raw: string; readonly text: string }>;
const madeBefore = new WeakMap<Catalogue, Made>();

/**
 * Brings the library's cards to what this catalogue says of the discs that it has files of. One that another browser has written later is
 * left. @param writable storages. @returns how many were written. @throws ApiError.
 */
export async function keepCards(
  db: Catalogue,
  archive: Identity,
  outputs: readonly VaultEntry[],
  writable: ReadonlySet<string>,
  { cards, keep } = fromEngine,
): Promise<number> {
  const known = new Map((await cards()).map((c) => [`${c.storage} ${c.name}`, c]));
  const wanted = new Map<string, Set<string>>();
  const storages = new Set<string>();
  for (const { storage, sidecar } of outputs) {
    if (!writable.has(storage)) continue;
    storages.add(storage);
    const { fingerprint } = sidecar.disc;
    wanted.set(fingerprint, (wanted.get(fingerprint) ?? new Set()).add(storage));
  }
  let written = 0;
  const bring = async (name: string, to: Iterable<string>, text: string, at: string): Promise<string> => {
    const digest = await sha256(text);
    for (const storage of to) {
      const there = known.get(`${storage} ${name}`);
      if (there && (there.sha256 === digest || there.exportedAt > at)) continue;
      await keep(name, storage, text);
      written++;
    }
    return digest;
  };
  const made: Made = madeBefore.get(db) ?? new Map<string, { readonly raw: string; readonly text: string }>();
  madeBefore.set(db, made);
  for (const [fingerprint, to] of wanted) {
    const raw = await sha256(JSON.stringify([archive, await db.discs.get(fingerprint), await db.drafts.get(fingerprint)]));
    const before = made.get(fingerprint);
    if (before?.raw === raw && [...to].every((storage) => known.get(`${storage} ${fingerprint}`)?.sha256 === before.text)) continue;
    const card = await cardOf(db, archive, fingerprint);
    if (!card) continue;
    made.set(fingerprint, { raw, text: await bring(fingerprint, to, card.text, card.at) });
  }
  const rules = await rulesCard(db, archive);
  if (rules !== null) await bring(RULES_CARD, storages, rules, '9');
  return written;
}

const fromEngine = {
  cards: async () => (await call('cards')).cards,
  keep: async (name: string, storage: string, text: string) => {
    await call('keepCard', { id: name, body: { storage, text } });
  },
  text: async (card: Card) => (await call('card', { id: card.name, query: { storage: card.storage } })).text,
};

/** Of what is said of discs. Jobs change with every progress. */
const TOLD_TABLES = ['discs', 'drafts', 'settings', 'recipes'] as const;

/** Calls back when anything that cards tell of has changed, in whichever page. @returns what ends it. */
export function onCatalogueChange(db: Catalogue, listener: () => void): () => void {
  const parts = TOLD_TABLES.map((table) => `idb://${db.name}/${table}/`);
  const hear = (changed: object) => {
    if (Object.keys(changed).some((part) => parts.some((p) => part.startsWith(p)))) listener();
  };
  Dexie.on('storagemutated', hear);
  return () => {
    Dexie.on.storagemutated.unsubscribe(hear);
  };
}

/** What the library knows and this catalogue does not. */
export interface LibraryKnows {
  /** Of discs, the latest of each. */
  readonly cards: readonly Card[];
  readonly rules: Card | null;
  /** Discs of which there are files and no card: they must be read once. */
  readonly nameless: readonly string[];
}

/** Compares. @throws ApiError. */
export async function lookForCards(db: Catalogue, outputs: readonly VaultEntry[], cards = fromEngine.cards): Promise<LibraryKnows> {
  const here = new Set(await db.discs.toCollection().primaryKeys());
  const latest = new Map<string, Card>();
  for (const card of await cards()) {
    const before = latest.get(card.name);
    if (!before || before.exportedAt < card.exportedAt) latest.set(card.name, card);
  }
  const rules = latest.get(RULES_CARD) ?? null;
  latest.delete(RULES_CARD);
  const nameless = new Map(outputs.map(({ sidecar: { disc } }) => [disc.fingerprint, disc.label]));
  for (const fingerprint of nameless.keys()) if (here.has(fingerprint) || latest.has(fingerprint)) nameless.delete(fingerprint);
  return { cards: [...latest.values()].filter((c) => !here.has(c.name)), rules, nameless: [...nameless.values()] };
}

/** Reads the cards, and says what taking them in would change, as of any exported catalogue. @throws ApiError, ImportError. */
export async function planFromCards(
  db: Catalogue,
  mine: string | null,
  { cards, rules }: Pick<LibraryKnows, 'cards' | 'rules'>,
  textOf = fromEngine.text,
): Promise<ImportPlan> {
  const merged = { rules: null as unknown, recipes: [] as unknown[], discs: [] as unknown[], drafts: [] as unknown[] };
  let archive: unknown = null;
  let [at, application] = ['', ''];
  for (const card of [...cards, ...(rules ? [rules] : [])]) {
    const text = await textOf(card);
    const parsed = ExchangeSchema.safeParse(JSON.parse(text));
    if (!parsed.success) {
      // Named in the plan, as what can not be read.
      merged.discs.push({ name: `the card ${card.name.slice(0, 12)}… of the library` });
      continue;
    }
    const { data } = parsed;
    archive ??= data.archive;
    application = data.application;
    if (data.exportedAt > at) at = data.exportedAt;
    merged.rules ??= data.rules;
    merged.recipes.push(...data.recipes);
    merged.discs.push(...data.discs);
    merged.drafts.push(...data.drafts);
  }
  const whole = { format: 'careful-vault catalogue', version: EXCHANGE_VERSION, application, exportedAt: at, archive, ...merged };
  return planImport(db, mine, JSON.stringify(whole));
}
