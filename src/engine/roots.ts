import { readFile, readdir, realpath, stat } from 'node:fs/promises';
import path from 'node:path';
import { MakingSchema, WorkError, type EngineState, type FoundSource, type JobSource } from '@/contract';
import { isAudioFile } from '@/node/audio-file';
import { kindOfFile } from '@/node/open-source';
import type { EngineConfig } from './config';
import { Watched } from './watched';

type RootState = EngineState['roots'][number];

const MAX_ENTRIES = 5000;
/** Levels of folders that are gone through for discs. */
const MAX_DEPTH = 5;

/**
 * A path inside a configured folder. Links are followed and must end inside as well; nothing from the browser is taken on trust.
 * @throws WorkError `not-known` for an unknown root, a path that leaves it, or one that is not there.
 */
export async function resolveInside(rootPath: string, inside: string): Promise<string> {
  const lost = () => new WorkError('not-known', `There is no ${inside === '' ? 'such folder' : `“${inside}”`} in this place`);
  if (inside.includes('\0') || path.isAbsolute(inside)) throw lost();
  const root = await realpath(rootPath).catch(() => null);
  const full = root === null ? null : await realpath(path.join(root, inside)).catch(() => null);
  if (root === null || full === null || (full !== root && !full.startsWith(root + path.sep))) throw lost();
  return full;
}

async function holdsVideo(folder: string): Promise<boolean> {
  const names = (await readdir(folder).catch(() => [])).map((n) => n.toUpperCase());
  return ['VIDEO_TS', 'VIDEO_TS.IFO', 'VIDEO_TS.BUP', 'BDMV', 'INDEX.BDMV'].some((name) => names.includes(name));
}

/** What a file may be opened as; null for what is of no use here. */
function kindHere(name: string, forSound: boolean): FoundSource['kind'] | null {
  const kind = kindOfFile(name);
  if (forSound && isAudioFile(name)) return 'sound file';
  return kind === 'file' ? 'video file' : forSound ? null : kind;
}

/** How far the making of discs is by its file; null where none are made, or nothing can be made of what it says. */
async function howFar(file: string): Promise<RootState['making']> {
  try {
    return MakingSchema.parse(JSON.parse(await readFile(file, 'utf8')));
  } catch {
    return null;
  }
}

/** Folders and places that can be read as discs, one level at a time. */
export class Roots {
  private readonly watched: readonly Watched<RootState>[];

  constructor(private readonly config: EngineConfig) {
    this.watched = config.roots.map(
      ({ id, name, making }) =>
        new Watched<RootState>(
          async () => ({ id, name, available: true, found: await this.browse(id, ''), making: making ? await howFar(making) : null }),
          { id, name, available: false, found: [], making: null },
        ),
    );
  }

  private root(id: string) {
    const root = this.config.roots.find((r) => r.id === id);
    if (!root) throw new WorkError('not-known', 'This place is not configured');
    return root;
  }

  /** @param forSound files that sound may be taken from, instead of what is read as a disc. */
  async browse(id: string, inside: string, forSound = false): Promise<FoundSource[]> {
    const folder = await resolveInside(this.root(id).path, inside);
    const entries = (await readdir(folder, { withFileTypes: true }).catch(() => [])).slice(0, MAX_ENTRIES);
    const found: FoundSource[] = [];
    for (const entry of entries) {
      if (entry.name.startsWith('.')) continue;
      const relative = [...inside.split('/').filter(Boolean), entry.name].join('/');
      const full = await resolveInside(this.root(id).path, relative).catch(() => null);
      const info = full === null ? null : await stat(full).catch(() => null);
      if (full === null || !info) continue;
      if (info.isDirectory())
        found.push({
          root: id,
          path: relative,
          name: entry.name,
          kind: (await holdsVideo(full)) ? 'disc folder' : 'folder',
          sizeBytes: null,
        });
      else if (info.isFile()) {
        const kind = kindHere(entry.name, forSound);
        if (kind) found.push({ root: id, path: relative, name: entry.name, kind, sizeBytes: info.size });
      }
    }
    return found.sort((a, b) => a.name.localeCompare(b.name));
  }

  /** All discs in a place and in the folders below it. Plain video files are read when asked for: there may be any number. */
  async discsBelow(id: string): Promise<FoundSource[]> {
    const discs: FoundSource[] = [];
    const folders: { path: string; depth: number }[] = [{ path: '', depth: 0 }];
    for (let next = folders.shift(); next && discs.length < MAX_ENTRIES; next = folders.shift()) {
      for (const found of await this.browse(id, next.path)) {
        if (found.kind === 'image' || found.kind === 'disc folder') discs.push(found);
        else if (found.kind === 'folder' && next.depth < MAX_DEPTH) folders.push({ path: found.path, depth: next.depth + 1 });
      }
    }
    return discs;
  }

  /** As they were when they were last looked at. */
  states(): RootState[] {
    return this.watched.map((w) => w.last);
  }

  async look(): Promise<RootState[]> {
    return Promise.all(this.watched.map((w) => w.look()));
  }

  /** A file in a place. @throws WorkError `not-known` where it is none. */
  async file(id: string, inside: string): Promise<string> {
    const full = await resolveInside(this.root(id).path, inside);
    if (!(await stat(full)).isFile()) throw new WorkError('not-known', `“${inside}” is no file`);
    return full;
  }

  /** What a runner opens for this place. @throws WorkError `not-known`. */
  async source(id: string, inside: string): Promise<JobSource> {
    const full = await resolveInside(this.root(id).path, inside);
    const label = inside === '' ? this.root(id).name : inside;
    const kind = (await stat(full)).isDirectory() ? 'folder' : (kindOfFile(full) ?? 'image');
    return { kind, path: full, label };
  }
}
