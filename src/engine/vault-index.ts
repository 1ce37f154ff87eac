import { createHash } from 'node:crypto';
import { readFileSync } from 'node:fs';
import { lstat, readFile, readdir, realpath, rename, writeFile } from 'node:fs/promises';
import path from 'node:path';
import { z } from 'zod';
import { isResultName } from '@/core/recipes';
import { FAULT_WEIGHTS, type Fault } from '@/core/reading/fault';
import {
  DISC_FOLDERS,
  SidecarSchema,
  VaultEntrySchema,
  type Output,
  type OrphanFilm,
  type Sidecar,
  type UnreadSidecar,
  type VaultEntry,
} from '@/contract';
import { sealState } from '@/node/seal';
import { WORKSHOP } from '@/node/storage-mark';
import type { EngineConfig } from './config';

type Storage = EngineConfig['storages'][number];

const MAX_SIDECAR_BYTES = 16 * 1024 * 1024;
const MAX_DEPTH = 6;
/** More files than this are none of an archive's library; those beyond are not listed. */
const MOST_SIDECARS = 100_000;
/** Files looked at side by side. */
const AT_ONCE = 32;
/** Unreadable ones named in a list, and films without any. */
const MOST_UNREAD = 200;

/** What an unchanged sidecar was found to say: enough for lists, a kilobyte each. */
const KnownSchema = z.object({
  stamp: z.string(),
  brief: VaultEntrySchema.pick({ sidecar: true, seal: true }).nullable(),
  reason: z.string(),
});
type Known = z.infer<typeof KnownSchema>;
/** Version 1 did not know the digest of each file, 2 called it SHA-256. */
const KeptSchema = z.object({ version: z.literal(3), known: z.record(z.string(), KnownSchema) });

/** Where a result stands. */
export interface Place {
  readonly storage: Storage;
  readonly root: string;
  /** Of its sidecar, inside the storage. */
  readonly sidecar: string;
}
export interface Listing {
  readonly entries: readonly VaultEntry[];
  readonly unread: readonly UnreadSidecar[];
  /** Films that nothing tells the origin of. */
  readonly orphans: readonly OrphanFilm[];
  /** Where each result stands, by its id. */
  readonly places: ReadonlyMap<string, Place>;
}

/**
 * Names that sidecars have, below a folder. Links are not followed, and what is in bags is a copy for somebody else.
 * @param onOrphan hears of films beside which no sidecar stands.
 */
export async function* sidecarsIn(root: string, onOrphan?: (film: string) => void, inside = '', depth = 0): AsyncGenerator<string> {
  const entries = await readdir(path.join(root, inside), { withFileTypes: true }).catch(() => []);
  if (entries.some((e) => e.name === 'bagit.txt')) return;
  const names = new Set(entries.map((e) => e.name));
  for (const entry of entries) {
    const relative = path.join(inside, entry.name);
    const isOurs = entry.name === WORKSHOP || (depth === 0 && entry.name === DISC_FOLDERS);
    if (entry.isDirectory() && !isOurs && depth < MAX_DEPTH) yield* sidecarsIn(root, onOrphan, relative, depth + 1);
    else if (entry.isFile() && entry.name.endsWith('.json') && isResultName(entry.name.slice(0, -'.json'.length))) yield relative;
    else if (onOrphan && entry.isFile() && isResultName(entry.name) && !names.has(`${entry.name}.json`)) onOrphan(relative);
  }
}

export const idOf = (storage: Storage, film: string): string =>
  createHash('sha256').update(`${storage.id}\n${film}`).digest('hex').slice(0, 24);

type Read = { readonly written: { readonly sidecar: Sidecar; readonly seal: Output['seal'] } } | { readonly reason: string };

/** Reads one sidecar whole: foreign input, believed in nothing. */
export async function readSidecar(file: string): Promise<Read> {
  try {
    const info = await lstat(file);
    if (!info.isFile()) return { reason: 'it is no file' };
    if (info.size === 0) return { reason: 'it is empty: its writing was cut off' };
    if (info.size > MAX_SIDECAR_BYTES) return { reason: 'it is larger than any sidecar' };
    const parsed: unknown = JSON.parse(await readFile(file, 'utf8'));
    const sidecar = SidecarSchema.safeParse(parsed);
    if (sidecar.success) return { written: { sidecar: sidecar.data, seal: sealState(parsed) } };
    const [issue] = sidecar.error.issues;
    return { reason: `it is no sidecar, or of another version: ${issue?.path.join('.') ?? ''} ${issue?.message ?? ''}` };
  } catch (error) {
    return { reason: error instanceof SyntaxError ? 'it is no JSON: torn, or another program’s' : 'it can not be read' };
  }
}

const damageIn = (faults: readonly Fault[]) => faults.filter((f) => FAULT_WEIGHTS[f.kind] === 'damage');

function briefOf({ sidecar, seal }: Extract<Read, { written: unknown }>['written']): NonNullable<Known['brief']> {
  const { recipe, copy, outcome, jobId, madeAt, file, disc, reel, promise, proof } = sidecar;
  const { wholeness } = promise;
  return {
    seal,
    sidecar: {
      recipe,
      copy: copy && { recipe: { name: copy.recipe.name, container: copy.recipe.container, video: copy.recipe.video } },
      outcome: outcome && { estimatedBytes: outcome.estimatedBytes },
      jobId,
      madeAt,
      file: { sizeBytes: file.sizeBytes, digest: file.digest },
      disc: { label: disc.label, fingerprint: disc.fingerprint },
      reel: { name: reel.name, pieces: reel.pieces },
      promise: { durationMs: promise.durationMs, wholeness: wholeness && { faults: damageIn(wholeness.faults), damage: wholeness.damage } },
      proof: { passed: proof.passed, exceptions: damageIn(proof.exceptions) },
    },
  };
}

/**
 * What the libraries hold, by their sidecars. Each is read once and again when it changes; what it said is kept in the data folder, so
 * that a start looks only at names and times. The file is a convenience: without it everything is read anew.
 */
export class VaultIndex {
  private known = new Map<string, Known>();
  private isChanged = false;
  private readonly file: string;

  /** @param isThere one that hangs is not asked. */
  constructor(
    private readonly config: EngineConfig,
    private readonly isThere: (storage: Storage) => boolean,
  ) {
    this.file = path.join(config.dataFolder, 'vault-index.json');
    try {
      this.known = new Map(Object.entries(KeptSchema.parse(JSON.parse(readFileSync(this.file, 'utf8'))).known));
    } catch {
      // not there, torn, or of another version
    }
  }

  /** The storages that are there, as they are found. */
  async roots(): Promise<{ storage: Storage; root: string }[]> {
    const there = this.config.storages.filter((s) => this.isThere(s));
    const roots = await Promise.all(there.map(async (storage) => ({ storage, root: await realpath(storage.path).catch(() => null) })));
    return roots.flatMap(({ storage, root }) => (root === null ? [] : [{ storage, root }]));
  }

  /** Looks through all storages. */
  async look(): Promise<Listing> {
    const entries: VaultEntry[] = [];
    const unread: UnreadSidecar[] = [];
    const orphans: OrphanFilm[] = [];
    const places = new Map<string, Place>();
    const seen = new Set<string>();
    for (const { storage, root } of await this.roots()) {
      const sidecars: string[] = [];
      const onOrphan = (film: string) => {
        if (orphans.length < MOST_UNREAD) orphans.push({ storageName: storage.name, path: film });
      };
      for await (const sidecar of sidecarsIn(root, onOrphan)) if (sidecars.length < MOST_SIDECARS) sidecars.push(sidecar);
      for (let i = 0; i < sidecars.length; i += AT_ONCE) {
        const some = sidecars.slice(i, i + AT_ONCE).map((sidecar) => ({ storage, root, sidecar }));
        const looked = await Promise.all(some.map(async (place) => ({ place, entry: await this.entryAt(place) })));
        for (const { place, entry } of looked) {
          seen.add(path.join(root, place.sidecar));
          if (typeof entry === 'string') {
            if (unread.length < MOST_UNREAD) unread.push({ storageName: storage.name, path: place.sidecar, reason: entry });
            continue;
          }
          places.set(entry.id, place);
          entries.push(entry);
        }
      }
    }
    for (const file of this.known.keys())
      if (!seen.has(file)) {
        this.known.delete(file);
        this.isChanged = true;
      }
    await this.keep();
    return { entries: entries.sort((a, b) => b.sidecar.madeAt.localeCompare(a.sidecar.madeAt)), unread, orphans, places };
  }

  /** @returns why it can not be used, where it can not. */
  private async entryAt({ storage, root, sidecar }: Place): Promise<VaultEntry | string> {
    const { brief, reason } = await this.knownAt(path.join(root, sidecar));
    return brief ? { ...(await standingOf({ storage, root, sidecar }, brief.sidecar.file.sizeBytes)), ...brief } : reason;
  }

  private async knownAt(file: string): Promise<Known> {
    const info = await lstat(file).catch(() => null);
    const stamp = info ? [info.ino, info.size, info.mtimeMs, info.ctimeMs].join(' ') : 'gone';
    const before = this.known.get(file);
    if (before?.stamp === stamp) return before;
    const read = await readSidecar(file);
    const known = 'written' in read ? { stamp, brief: briefOf(read.written), reason: '' } : { stamp, brief: null, reason: read.reason };
    this.known.set(file, known);
    this.isChanged = true;
    return known;
  }

  private async keep(): Promise<void> {
    if (!this.isChanged) return;
    this.isChanged = false;
    try {
      await writeFile(`${this.file}.new`, JSON.stringify({ version: 3, known: Object.fromEntries(this.known) }));
      await rename(`${this.file}.new`, this.file);
    } catch {
      this.isChanged = true; // no room: the next start reads the sidecars again
    }
  }
}

/** A result’s place, and whether its film is there. Links and special files are nothing that was made here, whatever stands beside them. */
export async function standingOf({ storage, root, sidecar }: Place, expectedBytes: number): Promise<Omit<Output, 'sidecar' | 'seal'>> {
  const film = sidecar.slice(0, -'.json'.length);
  const info = await lstat(path.join(root, film)).catch(() => null);
  const size = info?.isFile() ? info.size : null;
  return {
    id: idOf(storage, film),
    storage: storage.id,
    storageName: storage.name,
    path: film,
    sizeBytes: size ?? 0,
    presence: size === null ? 'missing' : size === expectedBytes ? 'present' : 'changed',
  };
}
