import path from 'node:path';
import { algorithmOf } from '@/core/proof';
import type { Proof } from '@/core/proof';
import { VAULT_PAGE, WorkError, type Output, type VaultEntry } from '@/contract';
import { viewsInFile } from '@/node/play-both';
import type { EngineConfig } from './config';
import type { Helpers } from './helpers';
import type { Pool } from './pool';
import { VaultIndex, readSidecar, sidecarsIn, standingOf, type Listing, type Place } from './vault-index';

interface Located {
  readonly output: Output;
  readonly file: string;
  /** Of its storage. */
  readonly root: string;
}

/** A count or a list this old is good enough for a page that only shows it. */
const FRESH_MS = 5000;

/** What has been made, rebuilt from the sidecars alone: there is no other catalogue on the storage's side. */
export class Outputs {
  private readonly index: VaultIndex;
  private looking: Promise<Listing> | null = null;
  private listing: (Listing & { readonly at: number }) | null = null;
  private stamp = 0;
  private counted: { readonly at: number; readonly count: number } | null = null;
  /** Where each was when they were last seen: kept when a list has become old. */
  private places: ReadonlyMap<string, Place> = new Map();

  constructor(
    config: EngineConfig,
    isThere: (storage: EngineConfig['storages'][number]) => boolean,
    private readonly helpers: Helpers,
    private readonly pool: Pool,
  ) {
    this.index = new VaultIndex(config, isThere);
  }

  /** Looks through all storages; those who ask meanwhile get the same answer. */
  private look(): Promise<Listing> {
    this.looking ??= this.index
      .look()
      .then((found) => {
        this.places = found.places;
        this.listing = { ...found, at: Date.now() };
        this.stamp++;
        return found;
      })
      .finally(() => {
        this.looking = null;
      });
    return this.looking;
  }

  /** How many there are, as of a moment ago: by their names alone, none is opened for it. */
  async count(): Promise<number> {
    if (this.counted && Date.now() - this.counted.at < FRESH_MS) return this.counted.count;
    let count = 0;
    for (const { root } of await this.index.roots()) {
      const names = sidecarsIn(root);
      while (!(await names.next()).done) count++;
    }
    this.counted = { at: Date.now(), count };
    return count;
  }

  /** As last counted; for who can not wait. */
  get lastCount(): number {
    return this.counted?.count ?? 0;
  }

  /** Something was put into the library. */
  changed(): void {
    this.counted = null;
    this.listing = null;
  }

  /** A page of what there is, the newest first. @param from entries to pass over; only the first page looks anew. */
  async list(
    from: number,
  ): Promise<Pick<Listing, 'unread' | 'orphans'> & { stamp: number; total: number; outputs: readonly VaultEntry[] }> {
    const isOld = from === 0 && Date.now() - (this.listing?.at ?? 0) > FRESH_MS;
    const { entries, unread, orphans } = this.listing && !isOld ? this.listing : await this.look();
    return { stamp: this.stamp, total: entries.length, outputs: entries.slice(from, from + VAULT_PAGE), unread, orphans };
  }

  /** Everything that is there now, the newest first. */
  async all(): Promise<readonly VaultEntry[]> {
    return (await this.look()).entries;
  }

  /** One result, with its whole sidecar, read now. @throws WorkError `not-known`. */
  async find(id: string): Promise<Located> {
    if (!this.places.has(id)) await this.look();
    const place = this.places.get(id);
    const read = place ? await readSidecar(path.join(place.root, place.sidecar)) : null;
    if (!place || !read || !('written' in read)) throw new WorkError('not-known', 'This file is no longer in the vault');
    const standing = await standingOf(place, read.written.sidecar.file.sizeBytes);
    return { file: path.join(place.root, standing.path), root: place.root, output: { ...standing, ...read.written } };
  }

  /** One result as it is looked at: with what its file says of two views. @throws WorkError `not-known`. */
  async looked(id: string): Promise<Output> {
    const { file, output } = await this.find(id);
    const mayHold = output.presence === 'present' && file.endsWith('.mkv');
    const views = mayHold ? await viewsInFile(file).catch(() => null) : null; // what it is worth, its proof says
    return { ...output, firstEye: views?.firstEye ?? null };
  }

  /** Proves a file again, from its sidecar alone. */
  async prove(id: string, signal: AbortSignal): Promise<{ proof: Proof; digestMatches: boolean }> {
    const { file, output } = await this.find(id);
    const { sidecar } = output;
    if (output.presence === 'missing') throw new WorkError('not-known', `${output.path} is not there any more`);
    const order = {
      kind: 'prove' as const,
      file,
      recipe: sidecar.recipe,
      expects: sidecar.copy?.expects ?? null,
      promise: sidecar.promise,
      parts: sidecar.proof.parts,
      algorithm: algorithmOf(sidecar.file.digest),
      beside: sidecar.beside.map(({ name, digest }) => ({ file: path.join(path.dirname(file), path.basename(name)), digest })),
    };
    const { proof, digest, besideMatch } = await this.pool.run('later', signal, () => this.helpers.run(order, signal));
    return { proof, digestMatches: digest === sidecar.file.digest && besideMatch };
  }
}
