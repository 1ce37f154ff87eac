import { createHash } from 'node:crypto';
import { readFile, readdir, realpath, stat } from 'node:fs/promises';
import path from 'node:path';
import { proveAccess, type Proof } from '@/core/proof';
import { SidecarSchema, WorkError, type Output } from '@/contract';
import { examineAccessCopy } from '@/node/ffmpeg';
import { sha256File } from '@/node/hash';
import { WORKSHOP } from '@/node/library';
import { proveMasterFile } from '@/node/prove-file';
import { sealState } from '@/node/seal';
import type { EngineConfig } from './config';

const MAX_SIDECAR_BYTES = 16 * 1024 * 1024;
const MAX_DEPTH = 6;

interface Located {
  readonly output: Output;
  readonly file: string;
}

/** What has been made, rebuilt from the sidecars alone: there is no other catalogue on the storage's side. */
export class Outputs {
  constructor(private readonly config: EngineConfig) {}

  private async scan(): Promise<Located[]> {
    const all: Located[] = [];
    for (const storage of this.config.storages) {
      const root = await realpath(storage.path).catch(() => null);
      if (root !== null) await this.scanFolder(storage, root, '', 0, all);
    }
    return all.sort((a, b) => b.output.sidecar.madeAt.localeCompare(a.output.sidecar.madeAt));
  }

  private async scanFolder(
    storage: EngineConfig['storages'][number],
    root: string,
    inside: string,
    depth: number,
    all: Located[],
  ): Promise<void> {
    const entries = await readdir(path.join(root, inside), { withFileTypes: true }).catch(() => []);
    const names = new Set(entries.map((e) => e.name));
    for (const entry of entries) {
      const relative = path.join(inside, entry.name);
      if (entry.isDirectory() && entry.name !== WORKSHOP && depth < MAX_DEPTH)
        await this.scanFolder(storage, root, relative, depth + 1, all);
      if (!entry.isFile() || !/\.(mkv|mp4)\.json$/.test(entry.name)) continue;
      const located = await this.read(storage, root, relative, names);
      if (located) all.push(located);
    }
  }

  private async read(
    storage: EngineConfig['storages'][number],
    root: string,
    sidecarPath: string,
    names: ReadonlySet<string>,
  ): Promise<Located | null> {
    try {
      const full = path.join(root, sidecarPath);
      if ((await stat(full)).size > MAX_SIDECAR_BYTES) return null;
      const written: unknown = JSON.parse(await readFile(full, 'utf8'));
      const sidecar = SidecarSchema.parse(written);
      const relative = sidecarPath.slice(0, -'.json'.length);
      const file = path.join(root, relative);
      const size = names.has(path.basename(relative)) ? (await stat(file)).size : null;
      const id = createHash('sha256').update(`${storage.id}\n${relative}`).digest('hex').slice(0, 24);
      const presence = size === null ? 'missing' : size === sidecar.file.sizeBytes ? 'present' : 'changed';
      return {
        file,
        output: {
          id,
          storage: storage.id,
          storageName: storage.name,
          path: relative,
          sizeBytes: size ?? 0,
          presence,
          seal: sealState(written),
          sidecar,
        },
      };
    } catch {
      return null; // some other program's JSON, or one that is being written
    }
  }

  async list(): Promise<Output[]> {
    return (await this.scan()).map((l) => l.output);
  }

  async find(id: string): Promise<Located> {
    const located = (await this.scan()).find((l) => l.output.id === id);
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
