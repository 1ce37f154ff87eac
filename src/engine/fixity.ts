import { readFileSync } from 'node:fs';
import { stat } from 'node:fs/promises';
import path from 'node:path';
import { algorithmOf } from '@/core/proof';
import {
  FixityStateSchema,
  NO_FIXITY,
  WorkError,
  toProblem,
  type CheckResult,
  type Differing,
  type FixityCheck,
  type FixityState,
} from '@/contract';
import { writeDurably } from '@/node/durable';
import { CheckHistory } from './check-history';
import type { DiscImages, KeptImage } from './disc-images';
import type { Helpers } from './helpers';
import type { Hub } from './hub';
import type { Outputs } from './outputs';
import type { Storages } from './storages';

const DAY_MS = 86_400_000;
/** Differing files that are named with the last check. */
const MOST_NAMED = 500;
const SAY_MS = 300;

interface Around {
  readonly dataFolder: string;
  readonly outputs: Pick<Outputs, 'all' | 'find'>;
  readonly images: Pick<DiscImages, 'kept' | 'isStill'>;
  readonly helpers: Pick<Helpers, 'run'>;
  readonly storages: Pick<Storages, 'known'>;
  readonly hub: Pick<Hub, 'send'>;
  readonly now?: () => number;
}

/** Looks whether all that is in the vault is still what it was: one file after the other, behind all other work. */
export class Fixity {
  private readonly file: string;
  private readonly histories = new Map<string, CheckHistory>();
  private controller: AbortController | null = null;
  private running: Promise<void> = Promise.resolve();
  state: FixityState;

  constructor(private readonly around: Around) {
    this.file = path.join(around.dataFolder, 'fixity.json');
    this.state = this.load();
  }

  private load(): FixityState {
    try {
      const kept = FixityStateSchema.parse(JSON.parse(readFileSync(this.file, 'utf8')));
      return { ...kept, running: null };
    } catch {
      return NO_FIXITY;
    }
  }

  private get now(): number {
    return (this.around.now ?? Date.now)();
  }

  private set(change: Partial<FixityState>, isKept = false): void {
    this.state = { ...this.state, ...change };
    if (isKept) writeDurably(this.file, JSON.stringify({ ...this.state, running: null }));
    this.around.hub.send({ type: 'fixity', fixity: this.state });
  }

  /** @throws system errors where it can not be written down. */
  schedule(everyDays: number): void {
    this.set({ everyDays }, true);
  }

  /** Begins where it is time, and nothing else is being done. */
  beginIfDue(isIdle: boolean): void {
    const { everyDays, last, running } = this.state;
    if (everyDays === 0 || running || !isIdle) return;
    if (last === null || this.now - Date.parse(last.at) >= everyDays * DAY_MS) this.begin();
  }

  /** Checks everything; what is under way goes on. */
  begin(): void {
    if (this.controller) return;
    const controller = new AbortController();
    this.controller = controller;
    this.set({ running: { done: 0, total: 0, path: '', found: 0 }, problem: null });
    this.running = this.run(controller.signal)
      .catch((error: unknown) => {
        if (!controller.signal.aborted) this.set({ problem: toProblem(error) });
      })
      .finally(() => {
        this.controller = null;
        this.set({ running: null });
      });
  }

  /** What was checked stays checked. */
  async stop(): Promise<void> {
    this.controller?.abort();
    await this.running;
  }

  private history(root: string): CheckHistory {
    const history = this.histories.get(root) ?? new CheckHistory(root);
    this.histories.set(root, history);
    return history;
  }

  private async run(signal: AbortSignal): Promise<void> {
    const entries: { path: string; id: string; of: Differing['of']; check: () => Promise<FixityCheck | null> }[] = [
      ...(await this.around.outputs.all()).map(({ id, path: at }) => ({
        ...{ path: at, id, of: 'result' as const },
        check: () => this.checkOne(id, signal),
      })),
      ...(await this.around.images.kept()).map((image) => ({
        ...{ path: image.path, id: image.id, of: 'image' as const },
        check: () => this.checkImage(image, signal),
      })),
    ];
    let [same, skipped, checked, said] = [0, 0, 0, 0];
    const differing: Differing[] = [];
    for (const [done, entry] of entries.entries()) {
      signal.throwIfAborted();
      if (this.now - said > SAY_MS || done === 0) {
        said = this.now;
        this.set({ running: { done, total: entries.length, path: entry.path, found: differing.length } });
      }
      const check = await entry.check();
      if (!check) {
        skipped++;
        continue;
      }
      checked++;
      if (check.result === 'same') same++;
      else differing.push({ ...check, id: entry.id, of: entry.of });
    }
    const at = new Date(this.now).toISOString();
    this.set({ last: { at, checked, same, skipped, differing: differing.slice(0, MOST_NAMED) } }, true);
  }

  /**
   * One file, now. @returns null where its storage is away, or it was taken out of the vault meanwhile: that says nothing of it.
   * @throws ProblemError `cancelled`; system errors where the storage can not be written.
   */
  async checkOne(id: string, signal: AbortSignal): Promise<FixityCheck | null> {
    const found = await this.around.outputs.find(id).catch((error: unknown) => {
      if (error instanceof WorkError && error.code === 'not-known') return null;
      throw error;
    });
    if (!found || !(await this.isThere(found.output.storage))) return null;
    const { file, root, output } = found;
    const { sidecar, presence, seal } = output;
    const check = async (result: CheckResult, digest: string | null): Promise<FixityCheck | null> => {
      // A share that went away in the middle of it would make everything seem to be missing.
      if (result !== 'same' && !(await this.isThere(output.storage))) return null;
      return this.note(root, { path: output.path, result, digest, sizeBytes: output.sizeBytes });
    };
    if (presence === 'missing') return await check('missing', null);
    // Another size can not have the same hash: nothing need be read for that.
    if (presence === 'changed') return await check('changed', null);
    try {
      const { digest } = await this.around.helpers.run({ kind: 'hash', file, algorithm: algorithmOf(sidecar.file.digest) }, signal);
      if (digest !== sidecar.file.digest) return await check('changed', digest);
      for (const { name, digest: wanted } of sidecar.beside) {
        const beside = path.join(path.dirname(file), path.basename(name));
        if ((await this.around.helpers.run({ kind: 'hash', file: beside, algorithm: algorithmOf(wanted) }, signal)).digest !== wanted)
          return await check('changed', digest);
      }
      return await check(seal === 'broken' ? 'sidecar changed' : 'same', digest);
    } catch (error) {
      if (signal.aborted) throw error;
      return await check('unreadable', null);
    }
  }

  /** What one file was found to be is written down where it stands. */
  private note(root: string, found: Omit<FixityCheck, 'at'>): FixityCheck {
    const check = { at: new Date(this.now).toISOString(), ...found };
    this.history(root).add(check);
    return check;
  }

  /** One image of a disc, as `checkOne` does; null also where it has been changed since: it is being gone on with. */
  private async checkImage(image: KeptImage, signal: AbortSignal): Promise<FixityCheck | null> {
    if (!(await this.isThere(image.storage))) return null;
    const file = path.join(image.root, image.path);
    const size = (await stat(file).catch(() => null))?.size ?? null;
    const [result, digest] = await this.imageResult(image, file, size, signal);
    if (!this.around.images.isStill(image) || !(await this.isThere(image.storage))) return null;
    return this.note(image.root, { path: image.path, result, digest, sizeBytes: size ?? 0 });
  }

  private async imageResult(
    image: KeptImage,
    file: string,
    size: number | null,
    signal: AbortSignal,
  ): Promise<[result: CheckResult, digest: string | null]> {
    if (size === null) return ['missing', null];
    if (size !== image.sizeBytes) return ['changed', null];
    try {
      const { digest } = await this.around.helpers.run({ kind: 'hash', file, algorithm: algorithmOf(image.digest) }, signal);
      return [digest === image.digest ? 'same' : 'changed', digest];
    } catch (error) {
      if (signal.aborted) throw error;
      return ['unreadable', null];
    }
  }

  /** What checks of an image have found, the latest first. */
  async ofImage(id: string): Promise<readonly FixityCheck[]> {
    const image = (await this.around.images.kept()).find((i) => i.id === id);
    return image ? this.history(image.root).of(image.path) : [];
  }

  /** The very library that was taken, and no other that stands in its place. */
  private isThere(storage: string): Promise<boolean> {
    return this.around.storages.known(storage).then(
      () => true,
      () => false,
    );
  }

  /** What checks of one file have found, the latest first. @throws WorkError `not-known`. */
  async of(id: string): Promise<readonly FixityCheck[]> {
    const { root, output } = await this.around.outputs.find(id);
    return this.history(root).of(output.path);
  }
}
