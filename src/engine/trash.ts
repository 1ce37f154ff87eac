import { createHash, randomBytes } from 'node:crypto';
import { existsSync, lstatSync, mkdirSync, readFileSync, readdirSync, renameSync, rmSync } from 'node:fs';
import path from 'node:path';
import { z } from 'zod';
import { WorkError, type TrashEntry, withDigest } from '@/contract';
import { appendDurably, makeFolderDurably, syncFolder, writeDurably } from '@/node/durable';
import { WORKSHOP, holdStorage } from '@/node/storage-mark';
import { filesOf } from './bag-records';
import type { Outputs } from './outputs';
import type { Storages } from './storages';

interface Around {
  readonly outputs: Pick<Outputs, 'find'>;
  readonly storages: Pick<Storages, 'known' | 'states'>;
  /** Results have gone out of the library, or come back. */
  readonly changed: () => void;
}

const FOLDER = path.join(WORKSHOP, 'trash');
/** What was thrown away for good, in the storage: whoever misses a file finds when that was, and what it was. */
const EMPTIED = path.join(WORKSHOP, 'emptied.ndjson');
const RECORD = 'discarded.json';

const RecordFields = z.object({
  version: z.literal(1),
  at: z.string(),
  path: z.string().max(4096),
  name: z.string(),
  digest: z.string(),
  sizeBytes: z.number(),
  /** Inside the storage, by which each is known again; they stand aside under their place in this list. */
  files: z.array(z.object({ path: z.string().max(4096), inode: z.number() })).max(1000),
});
const RecordSchema = z.preprocess(withDigest, RecordFields);
type Record = z.infer<typeof RecordSchema>;

const inodeOf = (file: string): number | null => lstatSync(file, { throwIfNoEntry: false })?.ino ?? null;

/** Results set aside. Nothing is deleted but by emptying; a storage keeps its own. */
export class Trash {
  constructor(private readonly around: Around) {}

  /** Sets a result aside, with all that belongs to it. @throws WorkError `not-known`, and those of storages; system errors. */
  async discard(id: string): Promise<void> {
    const { output } = await this.around.outputs.find(id);
    const storage = await this.around.storages.known(output.storage);
    const held = await holdStorage(storage);
    try {
      const files = filesOf(output).flatMap((f) => {
        const inode = inodeOf(path.join(held.path, f.path));
        return inode === null ? [] : [{ path: f.path, inode }];
      });
      const { sidecar } = output;
      const record: Record = {
        version: 1,
        at: new Date().toISOString(),
        path: output.path,
        name: sidecar.reel.name,
        digest: sidecar.file.digest,
        sizeBytes: output.sizeBytes,
        files,
      };
      const folder = path.join(held.path, FOLDER, `${Date.now().toString(36)}-${randomBytes(4).toString('hex')}`);
      makeFolderDurably(folder);
      // First what is to be done: whoever finds it half done finishes it.
      writeDurably(path.join(folder, RECORD), JSON.stringify(record, null, 2));
      setAside(held.path, folder, record);
    } finally {
      held.release();
      this.around.changed();
    }
  }

  /** What was begun before the engine ended is finished. */
  start(): void {
    for (const { storage, folder, record } of this.all()) setAside(storage.path, folder, record);
  }

  private all() {
    return this.around.storages
      .states()
      .filter((s) => s.identity === 'known')
      .flatMap((storage) => {
        const root = path.join(storage.path, FOLDER);
        if (!existsSync(root)) return [];
        return readdirSync(root).flatMap((name) => {
          const folder = path.join(root, name);
          const record = readRecord(folder);
          return record ? [{ id: idOf(storage.id, name), storage, folder, record }] : [];
        });
      });
  }

  list(): TrashEntry[] {
    return this.all()
      .map(({ id, storage, record }) => ({
        id,
        storage: storage.id,
        storageName: storage.name,
        path: record.path,
        name: record.name,
        at: record.at,
        sizeBytes: record.sizeBytes,
        files: record.files.length,
      }))
      .sort((a, b) => b.at.localeCompare(a.at));
  }

  private find(id: string) {
    const found = this.all().find((e) => e.id === id);
    if (!found) throw new WorkError('not-known', 'It is no longer in the trash');
    return found;
  }

  /** @throws WorkError `name-taken` where anything has one of the names meanwhile: nothing is moved then. */
  async putBack(id: string): Promise<void> {
    const { storage, folder, record } = this.find(id);
    const held = await holdStorage(await this.around.storages.known(storage.id));
    try {
      const inside = path.join(held.path, path.relative(storage.path, folder));
      const aside = record.files
        .map((f, i) => ({ from: path.join(inside, String(i)), to: path.join(held.path, f.path) }))
        .filter((m) => existsSync(m.from));
      for (const { to } of aside)
        if (inodeOf(to) !== null) throw new WorkError('name-taken', `The library has a file ${path.basename(to)} again`);
      // The result last: it is not listed before its sidecar and all beside it stand there.
      for (const { from, to } of aside.reverse()) {
        mkdirSync(path.dirname(to), { recursive: true });
        renameSync(from, to);
        syncFolder(path.dirname(to));
      }
      rmSync(inside, { recursive: true, force: true });
      syncFolder(path.dirname(inside));
    } finally {
      held.release();
      this.around.changed();
    }
  }

  /** Deletes for good. @param ids null for everything. */
  empty(ids: readonly string[] | null): void {
    for (const { id, storage, folder, record } of this.all()) {
      if (ids !== null && !ids.includes(id)) continue;
      const { path: file, name, digest, sizeBytes, at } = record;
      const line = { at: new Date().toISOString(), discardedAt: at, path: file, name, digest, sizeBytes };
      appendDurably(path.join(storage.path, EMPTIED), `${JSON.stringify(line)}\n`, true);
      rmSync(folder, { recursive: true, force: true });
    }
  }
}

const idOf = (storage: string, name: string): string => createHash('sha256').update(`${storage}/${name}`).digest('hex').slice(0, 20);

function readRecord(folder: string): Record | null {
  try {
    return RecordSchema.parse(JSON.parse(readFileSync(path.join(folder, RECORD), 'utf8')));
  } catch {
    return null;
  }
}

/** Moves what is still in its place; only the very files that were meant. */
function setAside(root: string, folder: string, { files }: Record): void {
  for (const [i, { path: file, inode }] of files.entries()) {
    const from = path.join(root, file);
    if (inodeOf(from) !== inode || existsSync(path.join(folder, String(i)))) continue;
    renameSync(from, path.join(folder, String(i)));
    syncFolder(path.dirname(from));
  }
  syncFolder(folder);
}
