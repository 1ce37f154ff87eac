import { readFileSync } from 'node:fs';
import path from 'node:path';
import { z } from 'zod';
import { WorkError, type StorageState } from '@/contract';
import { writeDurably } from '@/node/durable';
import { checkStorage } from '@/node/library';
import { plug, shareAt } from '@/node/simulated-share';
import { markStorage, readMark, storageAway } from '@/node/storage-mark';
import type { EngineConfig } from './config';
import { Watched } from './watched';

type Configured = EngineConfig['storages'][number];

/** Marks of the storages that were taken as libraries, by the place where they are mounted. */
const TakenSchema = z.object({ version: z.literal(1), taken: z.record(z.string(), z.string()) });

const AWAY = {
  available: false,
  writable: false,
  freeBytes: null,
  fileSystem: null,
  largestFile: null,
  identity: 'away',
  simulated: false,
} as const;

/** The library storages: which of them are there, and whether they are what was once taken as a library. */
export class Storages {
  private readonly file: string;
  private readonly taken: Record<string, string>;
  private readonly watched: ReadonlyMap<string, Watched<StorageState>>;

  constructor(private readonly config: EngineConfig) {
    this.file = path.join(config.dataFolder, 'storages.json');
    this.taken = this.readTaken();
    this.watched = new Map(
      config.storages.map((s) => [s.id, new Watched(() => this.examine(s), { id: s.id, name: s.name, path: s.path, ...AWAY })]),
    );
  }

  /** What is not readable is asked for once more: nothing is lost by that but a click. */
  private readTaken(): Record<string, string> {
    try {
      return { ...TakenSchema.parse(JSON.parse(readFileSync(this.file, 'utf8'))).taken };
    } catch {
      return {};
    }
  }

  /** Looks at all of them once, and takes those that need no asking. */
  async start(): Promise<void> {
    for (const storage of this.config.storages)
      if (storage.taken && this.taken[storage.path] === undefined) await this.markAs(storage).catch(() => undefined);
    await this.look();
  }

  /** As they were when they were last looked at. */
  states(): StorageState[] {
    return [...this.watched.values()].map((w) => w.last);
  }

  async look(): Promise<StorageState[]> {
    return Promise.all([...this.watched.values()].map((w) => w.look()));
  }

  private async examine(storage: Configured): Promise<StorageState> {
    const { id, name, path: place } = storage;
    const check = await checkStorage(place);
    const simulated = (await shareAt(place)) !== null;
    if (!check.available) return { id, name, path: place, ...AWAY, simulated };
    const expected = this.taken[place];
    const identity = expected === undefined ? 'new' : (await readMark(place))?.id === expected ? 'known' : 'other';
    return { id, name, path: place, ...check, identity, simulated };
  }

  private find(id: string): { storage: Configured; watched: Watched<StorageState> } {
    const storage = this.config.storages.find((s) => s.id === id);
    const watched = this.watched.get(id);
    if (!storage || !watched) throw new WorkError('not-known', 'This storage is not configured');
    return { storage, watched };
  }

  private async markAs(storage: Configured): Promise<void> {
    const mark = await markStorage(storage.path);
    writeDurably(this.file, JSON.stringify({ version: 1, taken: { ...this.taken, [storage.path]: mark.id } }, null, 2));
    this.taken[storage.path] = mark.id;
  }

  /** Unplugs a simulated share, or plugs it in again. @throws WorkError `not-known`, `bad-request`. */
  async plug(id: string, isPlugged: boolean): Promise<void> {
    const { storage, watched } = this.find(id);
    await plug(storage.path, isPlugged);
    await watched.look();
  }

  /** The user says that what is there is the library. @throws WorkError `not-known`, `storage-missing`; system errors where it can not be marked. */
  async take(id: string): Promise<void> {
    const { storage, watched } = this.find(id);
    if ((await watched.look()).identity === 'away') throw storageAway(storage.name);
    await this.markAs(storage);
    await watched.look();
  }

  /** A storage that a job may be ordered for, with its mark. @throws WorkError `not-known`, `storage-missing`, `storage-new`. */
  async known(id: string): Promise<Configured & { readonly mark: string }> {
    const { storage, watched } = this.find(id);
    const { identity } = await watched.look();
    const mark = this.taken[storage.path];
    if (identity === 'away') throw storageAway(storage.name);
    if (identity === 'new' || mark === undefined)
      throw new WorkError('storage-new', `Nobody has said yet that “${storage.name}” is a library`);
    if (identity === 'other')
      throw new WorkError('storage-missing', `What is mounted for “${storage.name}” is not the library that was taken as this`);
    return { ...storage, mark };
  }

  /** As last seen, it is not there or does not answer. */
  isSilent(id: string): boolean {
    return this.watched.get(id)?.last.identity === 'away';
  }

  /** @returns whether a storage was seen to have so much room since a moment; where nobody knows how much it has, it is tried. */
  hasRoom(place: string, bytes: number, since: number): boolean {
    const storage = this.config.storages.find((s) => s.path === place);
    const watched = storage && this.watched.get(storage.id);
    return !watched || (watched.lookedAt > since && (watched.last.freeBytes ?? bytes) >= bytes);
  }

  /** As last seen: may a job for this place be begun? One that is not configured any more is looked at by its runner. */
  isAway(place: string): boolean {
    const storage = this.config.storages.find((s) => s.path === place);
    return storage !== undefined && this.watched.get(storage.id)?.last.identity !== 'known';
  }
}
