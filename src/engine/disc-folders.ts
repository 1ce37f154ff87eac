import { randomBytes } from 'node:crypto';
import { existsSync, readdirSync, renameSync, rmSync } from 'node:fs';
import { stat } from 'node:fs/promises';
import path from 'node:path';
import { DISC_FOLDERS, ProblemError, WorkError, toProblem, type DiscFolderOrder, type DiscFolderState } from '@/contract';
import { makeFolderDurably, syncFolder } from '@/node/durable';
import { requireStorage } from '@/node/library';
import { WORKSHOP, holdStorage, type MarkedStorage } from '@/node/storage-mark';
import type { DiscImages } from './disc-images';
import type { Helpers } from './helpers';
import type { Hub } from './hub';
import type { Storages } from './storages';

interface Around {
  readonly images: Pick<DiscImages, 'kept'>;
  readonly storages: Pick<Storages, 'known' | 'states'>;
  readonly helpers: Pick<Helpers, 'run'>;
  readonly hub: Pick<Hub, 'send'>;
}

const UNFINISHED = 'folders';
const DIGESTS = '.sha256';
const MOST_KEPT = 100;
const TELL_MS = 300;

/** Disc folders out of images that stand in the library, beside them in the same storage. They have no names before they are whole. */
export class DiscFolders {
  private list: readonly DiscFolderState[] = [];
  private readonly controllers = new Map<string, AbortController>();
  private told = 0;

  constructor(private readonly around: Around) {}

  get states(): readonly DiscFolderState[] {
    return this.list;
  }

  /** What an engine before this one has left half made goes. */
  start(): void {
    for (const { path: storage, identity } of this.around.storages.states()) {
      const folder = path.join(storage, WORKSHOP, UNFINISHED);
      if (identity === 'known' && existsSync(folder))
        for (const name of readdirSync(folder)) rmSync(path.join(folder, name), { recursive: true, force: true });
    }
  }

  private set(id: string, change: Partial<DiscFolderState>, isNews = true): void {
    this.list = this.list.map((f) => (f.id === id ? { ...f, ...change } : f));
    const now = Date.now();
    if (!isNews && now - this.told < TELL_MS) return;
    this.told = now;
    this.around.hub.send({ type: 'folders', folders: this.list });
  }

  /** @param imageId of a finished image. @throws WorkError `not-known`, `name-taken`, and those of storages. */
  async make(imageId: string): Promise<DiscFolderState> {
    const image = (await this.around.images.kept()).find((i) => i.id === imageId);
    if (!image) throw new WorkError('not-known', 'There is no such image, or it is being read');
    const storage = await this.around.storages.known(image.storage);
    const name = path.basename(image.path, path.extname(image.path));
    const target = path.join(storage.path, DISC_FOLDERS, name);
    const isTaken = existsSync(target) || existsSync(target + DIGESTS);
    if (isTaken || this.list.some((f) => f.state === 'making' && f.storage === image.storage && f.name === name))
      throw new WorkError('name-taken', `“${storage.name}” already has a disc folder “${name}”`);
    const { size } = await stat(path.join(image.root, image.path));
    await requireStorage(storage, { all: size, largest: 0 });
    const id = randomBytes(8).toString('hex');
    const state: DiscFolderState = {
      ...{ id, name, storage: image.storage, image: imageId, state: 'making', doneBytes: 0, totalBytes: size, files: 0 },
      at: new Date().toISOString(),
      problem: null,
    };
    this.list = [state, ...this.list].slice(0, MOST_KEPT);
    this.set(id, {});
    const folder = path.join(storage.path, WORKSHOP, UNFINISHED, id);
    const source = { kind: 'image' as const, path: path.join(image.root, image.path), label: name };
    void this.run(
      state,
      { kind: 'disc folder', source, folder: path.join(folder, 'disc'), digests: path.join(folder, 'digests') },
      storage,
    );
    return state;
  }

  private async run(state: DiscFolderState, order: DiscFolderOrder, storage: MarkedStorage): Promise<void> {
    const controller = new AbortController();
    this.controllers.set(state.id, controller);
    const workshop = path.dirname(order.folder);
    try {
      const { files, bytes } = await this.around.helpers.run(order, controller.signal, (line) => {
        if (line.type === 'taking out') this.set(state.id, { doneBytes: Math.round(line.done), totalBytes: line.total }, false);
      });
      const held = await holdStorage(storage);
      try {
        const folder = path.join(held.path, DISC_FOLDERS);
        makeFolderDurably(folder);
        if (existsSync(path.join(folder, state.name))) throw new WorkError('name-taken', `There is a disc folder “${state.name}” already`);
        const from = (name: string) => path.join(held.path, WORKSHOP, UNFINISHED, state.id, name);
        // The digests first: whoever sees the folder finds them beside it.
        renameSync(from('digests'), path.join(folder, state.name + DIGESTS));
        renameSync(from('disc'), path.join(folder, state.name));
        syncFolder(folder);
      } finally {
        held.release();
      }
      this.set(state.id, { state: 'done', doneBytes: bytes, totalBytes: bytes, files });
    } catch (error) {
      const problem = error instanceof ProblemError ? error.problem : toProblem(error);
      this.set(state.id, problem.code === 'cancelled' ? { state: 'stopped' } : { state: 'failed', problem });
    } finally {
      rmSync(workshop, { recursive: true, force: true });
      this.controllers.delete(state.id);
    }
  }

  stop(id: string): void {
    this.controllers.get(id)?.abort();
  }

  stopAll(): void {
    for (const controller of this.controllers.values()) controller.abort();
  }
}
