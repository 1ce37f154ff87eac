import path from 'node:path';
import { proveAccess, type Proof } from '@/core/proof';
import { VAULT_PAGE, WorkError, type Output, type UnreadSidecar, type VaultEntry } from '@/contract';
import { examineAccessCopy } from '@/node/ffmpeg';
import { sha256File } from '@/node/hash';
import { proveMasterFile } from '@/node/prove-file';
import type { EngineConfig } from './config';
import { VaultIndex, readSidecar, sidecarsIn, standingOf, type Listing, type Place } from './vault-index';

interface Located {
  readonly output: Output;
  readonly file: string;
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
  /** Where each was when it was last seen. */
  private readonly places = new Map<string, Place>();

  constructor(config: EngineConfig, isThere: (storage: EngineConfig['storages'][number]) => boolean) {
    this.index = new VaultIndex(config, isThere);
  }

  /** Looks through all storages; those who ask meanwhile get the same answer. */
  private look(): Promise<Listing> {
    this.looking ??= this.index
      .look((id, place) => {
        this.places.set(id, place);
      })
      .then((found) => {
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
  async list(from: number): Promise<{ stamp: number; total: number; outputs: readonly VaultEntry[]; unread: readonly UnreadSidecar[] }> {
    const isOld = !this.listing || (from === 0 && Date.now() - this.listing.at > FRESH_MS);
    const { entries, unread } = isOld || !this.listing ? await this.look() : this.listing;
    return { stamp: this.stamp, total: entries.length, outputs: entries.slice(from, from + VAULT_PAGE), unread };
  }

  /** One result, with its whole sidecar, read now. @throws WorkError `not-known`. */
  async find(id: string): Promise<Located> {
    if (!this.places.has(id)) await this.look();
    const place = this.places.get(id);
    const read = place ? await readSidecar(path.join(place.root, place.sidecar)) : null;
    if (!place || !read || !('written' in read)) throw new WorkError('not-known', 'This file is no longer in the vault');
    const standing = await standingOf(place, read.written.sidecar.file.sizeBytes);
    return { file: path.join(place.root, standing.path), output: { ...standing, ...read.written } };
  }

  /** Proves a file again, from its sidecar alone. */
  async prove(id: string, signal: AbortSignal): Promise<{ proof: Proof; sha256Matches: boolean }> {
    const { file, output } = await this.find(id);
    const { sidecar } = output;
    if (output.presence === 'missing') throw new WorkError('not-known', `${output.path} is not there any more`);
    let besideMatch = true;
    for (const { name, sha256 } of sidecar.beside) {
      const found = await sha256File(path.join(path.dirname(file), path.basename(name)), signal).catch(() => null);
      besideMatch &&= found === sha256;
    }
    if (sidecar.recipe === 'master') {
      const { proof, sha256 } = await proveMasterFile(file, sidecar.promise, signal, { parts: sidecar.proof.parts });
      return { proof, sha256Matches: sha256 === sidecar.file.sha256 && besideMatch };
    }
    const proof = proveAccess(await examineAccessCopy(file, signal), sidecar.promise);
    return { proof, sha256Matches: (await sha256File(file, signal)) === sidecar.file.sha256 && besideMatch };
  }
}
