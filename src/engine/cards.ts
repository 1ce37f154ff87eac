import { createHash } from 'node:crypto';
import { readFile, readdir, stat } from 'node:fs/promises';
import path from 'node:path';
import { CARD_NAME, ExchangeSchema, MOST_CARDS, MOST_CARD_BYTES, RULES_CARD, WorkError, type Card } from '@/contract';
import { makeFolderDurably, writeDurably } from '@/node/durable';
import { WORKSHOP, holdStorage } from '@/node/storage-mark';
import type { Storages } from './storages';

const FOLDER = path.join(WORKSHOP, 'catalogue');
const ENDING = '.json';

/** What the catalogue says of each disc, kept in the library: a browser that knows nothing is told by it. */
export class Cards {
  private readonly seen = new Map<string, { readonly stamp: string; readonly card: Card }>();

  constructor(private readonly storages: Pick<Storages, 'known' | 'states'>) {}

  async list(): Promise<Card[]> {
    const cards: Card[] = [];
    for (const { id: storage, path: root, identity } of this.storages.states()) {
      if (identity !== 'known') continue;
      const folder = path.join(root, FOLDER);
      for (const file of (await readdir(folder).catch(() => [])).slice(0, MOST_CARDS)) {
        const name = file.slice(0, -ENDING.length);
        if (!file.endsWith(ENDING) || !CARD_NAME.test(name)) continue;
        const card = await this.cardOf(storage, name, path.join(folder, file));
        if (card) cards.push(card);
      }
    }
    return cards;
  }

  /** @returns null where it is no exported catalogue, or too large for one of a disc. */
  private async cardOf(storage: string, name: string, file: string): Promise<Card | null> {
    const info = await stat(file).catch(() => null);
    if (!info || info.size > MOST_CARD_BYTES) return null;
    const stamp = `${info.ino} ${info.size} ${info.mtimeMs}`;
    const before = this.seen.get(file);
    if (before?.stamp === stamp) return before.card;
    const text = await readFile(file, 'utf8').catch(() => null);
    // Near its beginning, as it is written: thousands of them are not taken apart for a list.
    const exportedAt = text === null ? undefined : /"exportedAt":"([^"]{10,40})"/.exec(text.slice(0, 500))?.[1];
    if (text === null || exportedAt === undefined) return null;
    const card = { storage, name, sha256: createHash('sha256').update(text).digest('hex'), exportedAt };
    this.seen.set(file, { stamp, card });
    return card;
  }

  /** @throws WorkError `not-known`. */
  async text(name: string, storage: string): Promise<string> {
    const root = (await this.storages.known(storage)).path;
    const file = path.join(root, FOLDER, name + ENDING);
    const size = CARD_NAME.test(name) ? ((await stat(file).catch(() => null))?.size ?? null) : null;
    if (size === null || size > MOST_CARD_BYTES) throw new WorkError('not-known', 'The library does not have this card');
    return readFile(file, 'utf8');
  }

  /** Writes one, or the next state of it. @throws WorkError `bad-request` where it is not of that disc; those of storages, system errors. */
  async keep(name: string, storage: string, text: string): Promise<void> {
    requireCard(name, text);
    const held = await holdStorage(await this.storages.known(storage));
    try {
      const folder = path.join(held.path, FOLDER);
      makeFolderDurably(folder);
      writeDurably(path.join(folder, name + ENDING), text);
    } finally {
      held.release();
    }
  }
}

function requireCard(name: string, text: string): void {
  let given: unknown;
  try {
    given = JSON.parse(text);
  } catch (error) {
    throw new WorkError('bad-request', 'The card is no JSON', { cause: error });
  }
  const { success, data } = ExchangeSchema.safeParse(given);
  const of = success ? data.discs.map((d) => (d as { fingerprint?: unknown } | null)?.fingerprint) : [];
  const isMeant = name === RULES_CARD ? of.length === 0 : of.length === 1 && of[0] === name;
  if (!success || !CARD_NAME.test(name) || !isMeant) throw new WorkError('bad-request', 'The card is not of what it is said to be of');
}
