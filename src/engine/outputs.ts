import { createHash } from 'node:crypto';
import { lstat, readFile, readdir, realpath } from 'node:fs/promises';
import path from 'node:path';
import { proveAccess, type Proof } from '@/core/proof';
import { SidecarSchema, WorkError, type Output, type Sidecar } from '@/contract';
import { examineAccessCopy } from '@/node/ffmpeg';
import { sha256File } from '@/node/hash';
import { sidecarOf } from '@/node/placing';
import { proveMasterFile } from '@/node/prove-file';
import { sealState } from '@/node/seal';
import { WORKSHOP } from '@/node/storage-mark';
import type { EngineConfig } from './config';

const MAX_SIDECAR_BYTES = 16 * 1024 * 1024;
const MAX_DEPTH = 6;

interface Located {
  readonly output: Output;
  readonly file: string;
}

/** Sidecars are kept as they were read, until they change; of very many, the first. Characters of their text, all together. */
const MOST_KEPT = 96_000_000;
/** A count this old is good enough for a page that only shows it. */
const COUNT_MS = 5000;

/** Files looked at side by side. */
const AT_ONCE = 64;

interface Kept {
  readonly stamp: string;
  readonly characters: number;
  readonly written: { readonly sidecar: Sidecar; readonly seal: Output['seal'] } | null;
}

/** Names that sidecars have, below a folder. */
async function* sidecarsIn(root: string, inside: string, depth: number): AsyncGenerator<string> {
  for (const entry of await readdir(path.join(root, inside), { withFileTypes: true }).catch(() => [])) {
    const relative = path.join(inside, entry.name);
    if (entry.isDirectory() && entry.name !== WORKSHOP && depth < MAX_DEPTH) yield* sidecarsIn(root, relative, depth + 1);
    else if (entry.isFile() && /\.(mkv|mp4)\.json$/.test(entry.name)) yield relative;
  }
}

/** What has been made, rebuilt from the sidecars alone: there is no other catalogue on the storage's side. */
export class Outputs {
  private readonly kept = new Map<string, Kept>();
  private keptCharacters = 0;
  private scanning: Promise<Located[]> | null = null;
  private counted: { readonly at: number; readonly count: number } | null = null;
  /** Where each was when it was last seen. */
  private readonly places = new Map<
    string,
    { readonly storage: EngineConfig['storages'][number]; readonly root: string; readonly sidecar: string }
  >();

  constructor(private readonly config: EngineConfig) {}

  /** Looks through all storages; those who ask meanwhile get the same answer. */
  private scan(): Promise<Located[]> {
    this.scanning ??= this.scanAll().finally(() => {
      this.scanning = null;
    });
    return this.scanning;
  }

  private async scanAll(): Promise<Located[]> {
    const all: Located[] = [];
    for (const storage of this.config.storages) {
      const root = await realpath(storage.path).catch(() => null);
      if (root === null) continue;
      const sidecars: string[] = [];
      for await (const sidecar of sidecarsIn(root, '', 0)) sidecars.push(sidecar);
      for (let i = 0; i < sidecars.length; i += AT_ONCE) {
        const read = await Promise.all(sidecars.slice(i, i + AT_ONCE).map((sidecar) => this.read(storage, root, sidecar)));
        for (const located of read) if (located) all.push(located);
      }
    }
    const seen = new Set(all.map((l) => sidecarOf(l.file)));
    for (const [file, { characters }] of this.kept) {
      if (seen.has(file)) continue;
      this.kept.delete(file);
      this.keptCharacters -= characters;
    }
    return all.sort((a, b) => b.output.sidecar.madeAt.localeCompare(a.output.sidecar.madeAt));
  }

  private async read(storage: EngineConfig['storages'][number], root: string, sidecarPath: string): Promise<Located | null> {
    const full = path.join(root, sidecarPath);
    const written = await this.sidecarAt(full);
    if (!written) return null;
    const relative = sidecarPath.slice(0, -'.json'.length);
    const file = path.join(root, relative);
    // Links and special files are nothing that was made here, whatever stands beside them.
    const info = await lstat(file).catch(() => null);
    const size = info?.isFile() ? info.size : null;
    const id = createHash('sha256').update(`${storage.id}\n${relative}`).digest('hex').slice(0, 24);
    const presence = size === null ? 'missing' : size === written.sidecar.file.sizeBytes ? 'present' : 'changed';
    this.places.set(id, { storage, root, sidecar: sidecarPath });
    const output = {
      id,
      storage: storage.id,
      storageName: storage.name,
      path: relative,
      sizeBytes: size ?? 0,
      presence,
      ...written,
    } as const;
    return { file, output };
  }

  /** A sidecar, read anew where it has changed; null for some other program's JSON, or one that is being written. */
  private async sidecarAt(file: string): Promise<Kept['written']> {
    const info = await lstat(file).catch(() => null);
    if (!info?.isFile() || info.size > MAX_SIDECAR_BYTES) return null;
    const stamp = [info.ino, info.size, info.mtimeMs, info.ctimeMs].join(' ');
    const before = this.kept.get(file);
    if (before?.stamp === stamp) return before.written;
    let written: Kept['written'] = null;
    try {
      const parsed: unknown = JSON.parse(await readFile(file, 'utf8'));
      written = { sidecar: SidecarSchema.parse(parsed), seal: sealState(parsed) };
    } catch {
      written = null;
    }
    this.keptCharacters -= before?.characters ?? 0;
    this.kept.delete(file);
    if (this.keptCharacters + info.size <= MOST_KEPT) {
      this.kept.set(file, { stamp, characters: info.size, written });
      this.keptCharacters += info.size;
    }
    return written;
  }

  /** How many there are, as of a moment ago: by their names alone, none is opened for it. */
  async count(): Promise<number> {
    if (this.counted && Date.now() - this.counted.at < COUNT_MS) return this.counted.count;
    let count = 0;
    for (const storage of this.config.storages) {
      const root = await realpath(storage.path).catch(() => null);
      const names = root === null ? null : sidecarsIn(root, '', 0);
      while (names && !(await names.next()).done) count++;
    }
    this.counted = { at: Date.now(), count };
    return count;
  }

  /** Something was put into the library. */
  changed(): void {
    this.counted = null;
  }

  async list(): Promise<Output[]> {
    return (await this.scan()).map((l) => l.output);
  }

  async find(id: string): Promise<Located> {
    // A player asks for one file again and again: the others need not be looked at for that.
    const place = this.places.get(id);
    const known = place ? await this.read(place.storage, place.root, place.sidecar) : null;
    const located = known ?? (await this.scan()).find((l) => l.output.id === id);
    if (!located) throw new WorkError('not-known', 'This file is no longer in the vault');
    return located;
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
