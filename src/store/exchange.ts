import type { z } from 'zod';
import {
  EXCHANGE_FORMAT,
  EXCHANGE_VERSION,
  ExchangeDiscSchema,
  ExchangeDraftSchema,
  ExchangeSchema,
  HouseRulesSchema,
  type Archive,
} from '@/contract';
import type { Recipe } from '@/core/recipes';
import type { HouseRules } from '@/core/reels';
import type { Catalogue, DiscRecord, DraftRecord } from './db';

/** The whole catalogue out and in: nothing is lost by changing the browser. */

const APPLICATION = 'Careful Vault';

/** What an exported catalogue holds. */
interface Contents {
  readonly rules: HouseRules | null;
  readonly recipes: readonly Recipe[];
  readonly discs: readonly (DiscRecord | ExchangeDisc)[];
  readonly drafts: readonly Pick<DraftRecord, 'fingerprint' | 'reels' | 'storage' | 'folder'>[];
}

/** A catalogue, or a part of one, as its file has it. @param at when it was so. */
export function catalogueText(
  archive: Pick<Archive, 'id' | 'name'> | null,
  { rules, recipes, discs, drafts }: Contents,
  at: string,
): string {
  return JSON.stringify({
    format: EXCHANGE_FORMAT,
    version: EXCHANGE_VERSION,
    application: APPLICATION,
    exportedAt: at,
    archive: archive && { id: archive.id, name: archive.name },
    rules,
    recipes,
    discs,
    drafts: drafts.map(({ fingerprint, reels, storage, folder }) => ({ fingerprint, reels, storage, folder })),
  });
}

export async function exportCatalogue(
  db: Catalogue,
  archive: Pick<Archive, 'id' | 'name'> | null,
  only?: ReadonlySet<string>,
  now = new Date().toISOString(),
): Promise<string> {
  const wanted = (fingerprint: string) => only === undefined || only.has(fingerprint);
  const discs = (await db.discs.toArray()).filter((d) => wanted(d.fingerprint));
  const drafts = (await db.drafts.toArray()).filter((d) => wanted(d.fingerprint));
  return catalogueText(archive, { rules: await db.rules(), recipes: await db.recipes.toArray(), discs, drafts }, now);
}

type ExchangeDisc = z.infer<typeof ExchangeDiscSchema>;

/** What an import would do, before anything is done. */
export interface ImportPlan {
  readonly exportedAt: string;
  /** Whose catalogue it is; null in files of earlier versions. */
  readonly archive: { readonly id: string; readonly name: string } | null;
  /** It is another archive's: where its discs were read means nothing here. */
  readonly isForeign: boolean;
  readonly added: readonly ExchangeDisc[];
  /** Discs that are here already, and what would change of them. */
  readonly changed: readonly { readonly disc: ExchangeDisc; readonly what: readonly string[] }[];
  readonly same: number;
  readonly drafts: readonly z.infer<typeof ExchangeDraftSchema>[];
  readonly rules: HouseRules | null;
  /** Recipes that are not here, or not so. */
  readonly recipes: readonly Recipe[];
  readonly rulesDiffer: boolean;
  /** Entries that can not be read, with the reason. */
  readonly wrong: readonly { readonly name: string; readonly reason: string }[];
}

/** A file that is no catalogue. */
export class ImportError extends Error {
  override readonly name = 'ImportError';
}

const same = (a: unknown, b: unknown) => JSON.stringify(a) === JSON.stringify(b);

function changesOf(now: DiscRecord, disc: ExchangeDisc): string[] {
  const what: string[] = [];
  if (now.name !== disc.name) what.push(`name “${now.name}” becomes “${disc.name}”`);
  if (!same(now.tags, disc.tags) || now.firstEpisode !== disc.firstEpisode) what.push('what is said of it');
  if (!same([...now.labels], disc.labels)) what.push('labels');
  if (now.readAt < disc.readAt && !same(now.reading, disc.reading)) what.push('a newer reading');
  return what;
}

/**
 * Reads an exported catalogue and says what importing it would change. Changes nothing.
 * @param mine id of the archive it would go into. @throws ImportError where the file is none.
 */
export async function planImport(db: Catalogue, mine: string | null, text: string): Promise<ImportPlan> {
  let data: unknown;
  try {
    data = JSON.parse(text);
  } catch (error) {
    throw new ImportError('This file is no JSON', { cause: error });
  }
  const outer = ExchangeSchema.safeParse(data);
  if (!outer.success) {
    const version = (data as { version?: unknown } | null)?.version;
    const newer = typeof version === 'number' && version > EXCHANGE_VERSION;
    throw new ImportError(newer ? `It was exported by a newer version (${version})` : 'This file is no exported catalogue');
  }
  const added: ExchangeDisc[] = [];
  const changed: { disc: ExchangeDisc; what: string[] }[] = [];
  const wrong: { name: string; reason: string }[] = [];
  let equal = 0;
  const isForeign = outer.data.archive !== null && outer.data.archive.id !== mine;
  for (const [i, entry] of outer.data.discs.entries()) {
    const disc = ExchangeDiscSchema.safeParse(entry);
    if (!disc.success) {
      const name = (entry as { name?: unknown } | null)?.name;
      const issue = disc.error.issues[0];
      wrong.push({
        name: typeof name === 'string' ? name : `disc ${i + 1}`,
        reason: `${issue?.path.join('.') ?? ''}: ${issue?.message ?? ''}`,
      });
      continue;
    }
    const now = await db.discs.get(disc.data.fingerprint);
    const what = now ? changesOf(now, disc.data) : [];
    const coming = isForeign ? { ...disc.data, sources: [...(now?.sources ?? [])] } : disc.data;
    if (!now) added.push(coming);
    else if (what.length > 0) changed.push({ disc: coming, what });
    else equal++;
  }
  const drafts = [];
  for (const entry of outer.data.drafts) {
    const draft = ExchangeDraftSchema.safeParse(entry);
    if (!draft.success) wrong.push({ name: 'a draft', reason: draft.error.issues[0]?.message ?? '' });
    else if (!(await db.drafts.get(draft.data.fingerprint))) drafts.push(draft.data);
  }
  const { rules, exportedAt, archive } = outer.data;
  const here = new Map((await db.recipes.toArray()).map((r) => [r.id, r]));
  const recipes = outer.data.recipes.filter((r) => !same(r, here.get(r.id)));
  const own = HouseRulesSchema.safeParse(await db.rules());
  return {
    exportedAt,
    archive,
    isForeign,
    added,
    changed,
    same: equal,
    drafts,
    rules,
    recipes,
    rulesDiffer: rules !== null && !same(rules, own.data ?? null),
    wrong,
  };
}

/** Does what was planned, all of it or nothing. @param withRules also take the house rules over. */
export async function applyImport(db: Catalogue, plan: ImportPlan, withRules: boolean): Promise<void> {
  await db.transaction('rw', db.discs, db.drafts, db.settings, db.recipes, async () => {
    await db.discs.bulkPut([...plan.added, ...plan.changed.map((c) => c.disc)]);
    const drafts: DraftRecord[] = plan.drafts.map((d) => ({ ...d, past: [], future: [], changedAt: '' }));
    await db.drafts.bulkPut(drafts);
    const here = new Set(await db.recipes.toCollection().primaryKeys());
    await db.recipes.bulkPut(plan.recipes.filter((r) => withRules || !here.has(r.id)));
    if (withRules && plan.rules) await db.settings.put({ key: 'house rules', rules: plan.rules });
  });
}
