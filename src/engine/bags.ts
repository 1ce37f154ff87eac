import { randomBytes } from 'node:crypto';
import { existsSync, readdirSync, renameSync, rmSync } from 'node:fs';
import path from 'node:path';
import { safeFileName } from '@/core/reels';
import {
  BAG_FOLDER,
  ProblemError,
  WorkError,
  toProblem,
  type BagOrder,
  type BagState,
  type BagWish,
  type FixityCheck,
  type Output,
} from '@/contract';
import { makeFolderDurably, syncFolder } from '@/node/durable';
import { requireStorage } from '@/node/library';
import { WORKSHOP, holdStorage, type MarkedStorage } from '@/node/storage-mark';
import { APPLICATION } from '@/node/version';
import { dublinCoreOf, filesOf, inBag, premisOf, type BaggedOutput } from './bag-records';
import type { Helpers } from './helpers';
import type { Hub } from './hub';
import { comparable } from './names';
import type { Outputs } from './outputs';
import type { Storages } from './storages';

interface Around {
  readonly outputs: Pick<Outputs, 'find'>;
  readonly checksOf: (id: string) => Promise<readonly FixityCheck[]>;
  readonly storages: Pick<Storages, 'known' | 'states'>;
  readonly helpers: Pick<Helpers, 'run'>;
  readonly hub: Pick<Hub, 'send'>;
}

/** Of unfinished bags, in a storage's workshop. */
const UNFINISHED = 'bags';
const MOST_KEPT = 50;
const TELL_MS = 300;

/** Bags of results: made in the workshop, and given their name when they are whole. */
export class Bags {
  private list: BagState[] = [];
  private readonly controllers = new Map<string, AbortController>();
  private toldAt = 0;

  constructor(private readonly around: Around) {}

  get states(): readonly BagState[] {
    return this.list;
  }

  private set(id: string, change: Partial<BagState>, isNews = true): void {
    this.list = this.list.map((b) => (b.id === id ? { ...b, ...change } : b));
    if (!isNews && Date.now() - this.toldAt < TELL_MS) return;
    this.toldAt = Date.now();
    this.around.hub.send({ type: 'bags', bags: this.list });
  }

  /** Bags that were being made when the engine ended are nothing: they are begun anew by whoever wants them. */
  start(): void {
    for (const { path: storage, identity } of this.around.storages.states()) {
      const folder = path.join(storage, WORKSHOP, UNFINISHED);
      if (identity === 'known' && existsSync(folder))
        for (const name of readdirSync(folder)) rmSync(path.join(folder, name), { recursive: true, force: true });
    }
  }

  /** @throws WorkError `name-taken`, `not-known`, `file-changed`, and those of storages. */
  async make({ outputs: ids, storage, name: wished, organization, description }: BagWish): Promise<BagState> {
    const marked = await this.around.storages.known(storage);
    const name = safeFileName(wished);
    const target = path.join(marked.path, BAG_FOLDER, name);
    if (existsSync(target) || this.list.some((b) => b.state === 'making' && b.storage === storage && b.name === name))
      throw new WorkError('name-taken', `“${marked.name}” already has a bag “${name}”`);
    const chosen: (BaggedOutput & { readonly root: string })[] = [];
    for (const id of new Set(ids)) {
      const { output, root } = await this.around.outputs.find(id);
      if (output.presence !== 'present') throw new WorkError('file-changed', `${output.path} is ${output.presence}`);
      if (output.seal === 'broken') throw new WorkError('file-changed', `The sidecar of ${output.path} was changed`);
      chosen.push({ output, root, checks: await this.around.checksOf(id) });
    }
    const clash = firstTwice(chosen.map((c) => inBag(c.output.path)));
    if (clash !== null) throw new WorkError('name-taken', `Two of the files would both be ${clash}`);
    const bytes = chosen.reduce((sum, c) => sum + c.output.sidecar.file.sizeBytes, 0);
    const largest = Math.max(...chosen.map((c) => c.output.sidecar.file.sizeBytes));
    await requireStorage(marked, { all: bytes, largest });
    const id = randomBytes(8).toString('hex');
    const order = this.orderOf(id, chosen, marked, { organization, description });
    const state: BagState = {
      ...{ id, name, storage, state: 'making', doneBytes: 0, totalBytes: bytes, files: order.payload.length },
      at: new Date().toISOString(),
      problem: null,
    };
    this.list = [state, ...this.list].slice(0, MOST_KEPT);
    this.set(id, {});
    void this.run(state, order, marked);
    return state;
  }

  private orderOf(
    id: string,
    chosen: readonly (BaggedOutput & { readonly root: string })[],
    { path: storage }: MarkedStorage,
    { organization, description }: Pick<BagWish, 'organization' | 'description'>,
  ): BagOrder {
    const payload = chosen.flatMap(({ output, root }) =>
      filesOf(output).map((f) => ({ from: path.join(root, f.path), path: inBag(f.path), sha256: f.sha256 })),
    );
    return {
      kind: 'bag',
      folder: path.join(storage, WORKSHOP, UNFINISHED, id),
      payload,
      tags: [
        { path: 'metadata/premis.xml', text: premisOf(chosen) },
        { path: 'metadata/dublin-core.xml', text: dublinCoreOf(chosen, description) },
      ],
      info: [
        ['Source-Organization', organization],
        ['External-Description', description],
        ...accessions(chosen.map((c) => c.output)).map((a): [string, string] => ['External-Identifier', a]),
        ['Bagging-Date', new Date().toISOString().slice(0, 10)],
        ['Bag-Software-Agent', APPLICATION],
      ],
    };
  }

  private async run(state: BagState, order: BagOrder, storage: MarkedStorage): Promise<void> {
    const controller = new AbortController();
    this.controllers.set(state.id, controller);
    try {
      await this.around.helpers.run(order, controller.signal, (line) => {
        if (line.type === 'bagging') this.set(state.id, { doneBytes: Math.round(line.done) }, false);
      });
      const held = await holdStorage(storage);
      try {
        const folder = path.join(held.path, BAG_FOLDER);
        makeFolderDurably(folder);
        if (existsSync(path.join(folder, state.name))) throw new WorkError('name-taken', `There is a bag “${state.name}” already`);
        renameSync(path.join(held.path, WORKSHOP, UNFINISHED, state.id), path.join(folder, state.name));
        syncFolder(folder);
      } finally {
        held.release();
      }
      this.set(state.id, { state: 'done', doneBytes: state.totalBytes });
    } catch (error) {
      rmSync(order.folder, { recursive: true, force: true });
      const problem = error instanceof ProblemError ? error.problem : toProblem(error);
      this.set(state.id, problem.code === 'cancelled' ? { state: 'stopped' } : { state: 'failed', problem });
    } finally {
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

const accessions = (outputs: readonly Output[]): string[] => [
  ...new Set(outputs.flatMap((o) => (o.sidecar.reel.tags?.accession ? [o.sidecar.reel.tags.accession] : []))),
];

/** Names that a system which tells no cases apart would take for one. */
function firstTwice(names: readonly string[]): string | null {
  const seen = new Set<string>();
  for (const name of names) {
    const key = comparable(name);
    if (seen.has(key)) return name;
    seen.add(key);
  }
  return null;
}
