import Dexie from 'dexie';
import { useSyncExternalStore } from 'react';
import { ArchiveSchema, type Archive } from '@/contract';
import { CATALOGUE_VERSION, Catalogue } from './db';

/**
 * A catalogue belongs to an archive, not to the address at which it happens to run: what was catalogued in one never stands on the
 * shelf of another. A page has one archive for as long as it is open; where another answers, it loads anew.
 */

/** The catalogue of versions that did not tell archives apart. */
const EARLIER = 'careful-vault';
/** The archive last seen at this address: what is shown while its engine is away. */
const LAST_SEEN = 'careful-vault archive';

export interface OpenArchive {
  readonly archive: Archive;
  /** Discs of an earlier catalogue of this browser that may or may not be this archive's: the user is asked. */
  readonly offered: number;
  /** Its catalogue was written by a newer version: it is not touched. */
  readonly isTooNew: boolean;
}

let open: (OpenArchive & { readonly db: Catalogue }) | null = null;
let opening: Promise<void> | null = null;
const listeners = new Set<() => void>();

function set(next: typeof open): void {
  open = next;
  for (const listener of listeners) listener();
}

/** The catalogue of the archive that is open. @throws Error before one is: pages are shown only then. */
export function catalogue(): Catalogue {
  if (!open) throw new Error('no archive is open yet');
  return open.db;
}

export const openedArchive = (): OpenArchive | null => open;

export const nameOfCatalogue = ({ id }: Pick<Archive, 'id'>): string => `${EARLIER} ${id}`;

/** The archive that is open, live; null until it is known which. */
export const useArchive = (): OpenArchive | null =>
  useSyncExternalStore(
    (listener) => {
      listeners.add(listener);
      return () => listeners.delete(listener);
    },
    () => open,
    () => null,
  );

/**
 * Opens the catalogue of the archive that answers; the same again changes only its name.
 * @param jobIds of its queue: by them an earlier catalogue is known to be this archive's.
 * @returns false where the page shows another archive: nothing of this one may reach it.
 */
export async function openArchive(archive: Archive, jobIds: readonly string[] = []): Promise<boolean> {
  await opening;
  if (open && open.archive.id !== archive.id) return false;
  remember(archive);
  if (open) {
    if (open.archive.name !== archive.name) set({ ...open, archive });
    return true;
  }
  opening = (async () => {
    const db = new Catalogue(nameOfCatalogue(archive));
    // Dexie opens what a newer version has written as if it were its own, and adds to it what it misses.
    const isTooNew = (await versionOf(db.name)) > CATALOGUE_VERSION;
    set({ archive, db, offered: isTooNew ? 0 : await takeOver(db, archive, jobIds), isTooNew });
  })().finally(() => {
    opening = null;
  });
  await opening;
  return true;
}

/** Version of a database as it stands; 0 where there is none. */
async function versionOf(name: string): Promise<number> {
  if (!(await Dexie.exists(name))) return 0;
  const found = new Dexie(name);
  try {
    await found.open();
    return Math.floor(found.verno);
  } finally {
    found.close();
  }
}

function remember(archive: Archive): void {
  localStorage.setItem(LAST_SEEN, JSON.stringify(archive));
}

/** The archive last seen here, to look at while nothing answers. */
export function lastArchive(): Archive | null {
  try {
    const parsed = ArchiveSchema.safeParse(JSON.parse(localStorage.getItem(LAST_SEEN) ?? 'null'));
    return parsed.success ? parsed.data : null;
  } catch {
    return null;
  }
}

/** Brings an earlier catalogue over where it can only be this archive's. @returns how many discs it has, where that must be asked. */
async function takeOver(db: Catalogue, archive: Archive, jobIds: readonly string[]): Promise<number> {
  if ((await db.settings.get('earlier catalogue')) || !(await Dexie.exists(EARLIER))) return 0;
  const earlier = new Catalogue(EARLIER);
  try {
    const answered = await earlier.settings.get('earlier catalogue');
    const discs = await earlier.discs.count();
    if (discs === 0 || answered) return 0;
    const known = new Set(jobIds);
    const jobs = await earlier.jobs.toCollection().primaryKeys();
    const isOurs = jobs.some((id) => known.has(id)) || (archive.isOlder && jobs.length === 0);
    if (!isOurs) return discs;
    await copyOver(earlier, db, archive);
    return 0;
  } finally {
    earlier.close();
  }
}

/** All or nothing; what is here already stays as it is. The earlier catalogue is left, and says where it went. */
async function copyOver(from: Catalogue, to: Catalogue, archive: Archive): Promise<void> {
  const tables = ['discs', 'drafts', 'jobs', 'settings'] as const;
  const all = await Promise.all(tables.map(async (name) => [name, (await from.table(name).toArray()) as object[]] as const));
  await to.transaction('rw', tables, async () => {
    for (const [name, records] of all) {
      const table = to.table<object, string>(name);
      const key = table.schema.primKey.keyPath as keyof object;
      const here = new Set(await table.toCollection().primaryKeys());
      await table.bulkAdd(records.filter((record) => !here.has(record[key])));
    }
    await to.settings.put({ key: 'earlier catalogue', answer: 'taken', archive: archive.id });
  });
  await from.settings.put({ key: 'earlier catalogue', answer: 'taken', archive: archive.id });
}

/** What the user says of an earlier catalogue: it is this archive's, or it is not. It stays where it is in either case. */
export async function answerEarlier(take: boolean): Promise<void> {
  if (!open) return;
  const { archive, db } = open;
  if (take) {
    const earlier = new Catalogue(EARLIER);
    try {
      await copyOver(earlier, db, archive);
    } finally {
      earlier.close();
    }
  } else await db.settings.put({ key: 'earlier catalogue', answer: 'left', archive: archive.id });
  set({ ...open, offered: 0 });
}
