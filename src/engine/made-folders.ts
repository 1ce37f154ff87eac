import { randomBytes } from 'node:crypto';
import { existsSync, readdirSync, renameSync, rmSync } from 'node:fs';
import path from 'node:path';
import { ProblemError, WorkError, toProblem, type MadeFolderState } from '@/contract';
import { makeFolderDurably, syncFolder } from '@/node/durable';
import { WORKSHOP, holdStorage, type MarkedStorage } from '@/node/storage-mark';
import type { Storages } from './storages';

const TELL_MS = 300;

/** What tells kinds of such folders apart. */
interface Kind<State> {
  /** Of unfinished ones, in a storage's workshop. */
  readonly unfinished: string;
  /** Of finished ones, in the storage. */
  readonly placed: string;
  /** For people: "bag". */
  readonly word: string;
  /** Kept in the list. */
  readonly most: number;
  readonly storages: Pick<Storages, 'states'>;
  readonly tell: (list: readonly State[]) => void;
}

/** One that is being made. */
export interface Making<State> {
  readonly signal: AbortSignal;
  /** Says how far it is; now and then. */
  readonly progress: (change: Partial<State>) => void;
  /** Where it is put together, in the storage's workshop. */
  readonly workshop: string;
}

/** What has been made, and is given its name: in this order, names in the workshop and in the folder of finished ones. */
interface Made<State> {
  readonly names: readonly (readonly [from: string, to: string])[];
  readonly change: Partial<State>;
}

/** Folders that are made in a storage's workshop, and given their name when they are whole. */
export class MadeFolders<State extends MadeFolderState> {
  private list: readonly State[] = [];
  private readonly controllers = new Map<string, AbortController>();
  private toldAt = 0;

  constructor(private readonly kind: Kind<State>) {}

  get states(): readonly State[] {
    return this.list;
  }

  private set(id: string, change: Partial<State>, isNews = true): void {
    this.list = this.list.map((f) => (f.id === id ? { ...f, ...change } : f));
    if (!isNews && Date.now() - this.toldAt < TELL_MS) return;
    this.toldAt = Date.now();
    this.kind.tell(this.list);
  }

  /** What was being made when the engine ended is nothing: it is begun anew by whoever wants it. */
  start(): void {
    for (const { path: storage, identity } of this.kind.storages.states()) {
      const folder = path.join(storage, WORKSHOP, this.kind.unfinished);
      if (identity === 'known' && existsSync(folder))
        for (const name of readdirSync(folder)) rmSync(path.join(folder, name), { recursive: true, force: true });
    }
  }

  /** @param names in the folder of finished ones, the first its own. @throws WorkError `name-taken`. */
  requireFree(storage: MarkedStorage, storageId: string, names: readonly [string, ...string[]]): void {
    const [name] = names;
    const isThere = names.some((n) => existsSync(path.join(storage.path, this.kind.placed, n)));
    if (isThere || this.list.some((f) => f.state === 'making' && f.storage === storageId && f.name === name))
      throw new WorkError('name-taken', `“${storage.name}” already has a ${this.kind.word} “${name}”`);
  }

  /** Begins one, and gives it its names when `make` has made it. */
  begin(
    given: Omit<State, 'id' | 'state' | 'doneBytes' | 'at' | 'problem'>,
    storage: MarkedStorage,
    make: (making: Making<State>) => Promise<Made<State>>,
  ): State {
    const id = randomBytes(8).toString('hex');
    const at = new Date().toISOString();
    const state = { ...given, id, state: 'making', doneBytes: 0, at, problem: null } as MadeFolderState as State;
    this.list = [state, ...this.list].slice(0, this.kind.most);
    this.set(id, {});
    void this.run(state, storage, make);
    return state;
  }

  private async run(state: State, storage: MarkedStorage, make: (making: Making<State>) => Promise<Made<State>>): Promise<void> {
    const { id } = state;
    const controller = new AbortController();
    this.controllers.set(id, controller);
    const workshop = path.join(storage.path, WORKSHOP, this.kind.unfinished, id);
    const ended = (change: Pick<MadeFolderState, 'state'> & Partial<MadeFolderState>) => {
      this.set(id, change as Partial<State>);
    };
    try {
      const progress = (change: Partial<State>) => {
        this.set(id, change, false);
      };
      const { names, change } = await make({ signal: controller.signal, progress, workshop });
      await this.place(state, storage, names);
      ended({ ...change, state: 'done' });
    } catch (error) {
      const problem = error instanceof ProblemError ? error.problem : toProblem(error);
      ended(problem.code === 'cancelled' ? { state: 'stopped' } : { state: 'failed', problem });
    } finally {
      rmSync(workshop, { recursive: true, force: true });
      this.controllers.delete(id);
    }
  }

  private async place({ id, name }: State, storage: MarkedStorage, names: Made<State>['names']): Promise<void> {
    const held = await holdStorage(storage);
    try {
      const folder = path.join(held.path, this.kind.placed);
      makeFolderDurably(folder);
      if (existsSync(path.join(folder, name))) throw new WorkError('name-taken', `There is a ${this.kind.word} “${name}” already`);
      const workshop = path.join(held.path, WORKSHOP, this.kind.unfinished, id);
      for (const [from, to] of names) renameSync(path.join(workshop, from), path.join(folder, to));
      syncFolder(folder);
    } finally {
      held.release();
    }
  }

  stop(id: string): void {
    this.controllers.get(id)?.abort();
  }

  stopAll(): void {
    for (const controller of this.controllers.values()) controller.abort();
  }
}
