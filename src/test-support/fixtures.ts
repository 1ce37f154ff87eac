import { spawnSync } from 'node:child_process';
import { createHash, randomBytes } from 'node:crypto';
import {
  copyFileSync,
  existsSync,
  mkdirSync,
  readFileSync,
  realpathSync,
  renameSync,
  rmSync,
  statSync,
  utimesSync,
  writeFileSync,
} from 'node:fs';
import path from 'node:path';

/**
 * One cache of files that are made once: streams of the demo archive, discs of tests, sources of treatments. A file is known by what it
 * was made of and by the versions of the programs that made it, so that it need never be cleared by hand; whoever asks second finds it.
 */
export const FIXTURES = path.join(process.cwd(), '.cache', 'fixtures');
const FILES = path.join(FIXTURES, 'files');

/** Programs whose version decides what a file is, and how each says it. */
const TOOLS = { ffmpeg: ['-version'], dvdauthor: ['--version'], genisoimage: ['-version'] } as const;

interface Tool {
  readonly size: number;
  readonly changedMs: number;
  readonly version: string;
}

let versions: string | null = null;
/** Versions of the tools: each is asked once for as long as it is the same file. */
export function toolVersions(): string {
  if (versions !== null) return versions;
  const list = path.join(FIXTURES, 'tools.json');
  let known: Record<string, Tool> = {};
  try {
    known = JSON.parse(readFileSync(list, 'utf8')) as Record<string, Tool>;
  } catch {
    // none was asked yet
  }
  let isNew = false;
  for (const [name, how] of Object.entries(TOOLS)) {
    const folder = (process.env['PATH'] ?? '').split(path.delimiter).find((f) => existsSync(path.join(f, name)));
    const { size, mtimeMs } = folder === undefined ? { size: 0, mtimeMs: 0 } : statSync(realpathSync(path.join(folder, name)));
    if (known[name]?.size === size && known[name].changedMs === mtimeMs) continue;
    const { stdout, stderr } = spawnSync(name, how, { encoding: 'utf8' });
    known[name] = { size, changedMs: mtimeMs, version: (stdout || stderr || 'none').split('\n')[0] ?? '' };
    isNew = true;
  }
  if (isNew) {
    mkdirSync(FIXTURES, { recursive: true });
    const own = `${list}.${randomBytes(6).toString('hex')}`;
    writeFileSync(own, JSON.stringify(known));
    renameSync(own, list);
  }
  versions = Object.entries(known)
    .map(([name, { version }]) => `${name} ${version}`)
    .sort()
    .join('\n');
  return versions;
}

/** What a thing is known by: how it is made, and the tools it is made with. */
export const digestOf = (how: unknown): string =>
  createHash('sha256')
    .update(JSON.stringify([toolVersions(), how]))
    .digest('hex');

/** Where a file stands, and where it is made. Only what is whole gets its name, whoever makes it at the same time. */
function placeOf(how: unknown, extension: string): { readonly file: string; readonly unfinished: string; readonly isThere: boolean } {
  mkdirSync(FILES, { recursive: true });
  const file = path.join(FILES, `${digestOf(how).slice(0, 32)}.${extension}`);
  const isThere = existsSync(file);
  const now = new Date();
  if (isThere) utimesSync(file, now, now); // what nobody has asked for in a long time can be found by its date
  return { file, unfinished: path.join(FILES, `making-${randomBytes(6).toString('hex')}.${extension}`), isThere };
}

/**
 * A file of the cache. It belongs to everybody: whoever wants to change it takes a copy.
 * @param how all that decides what is in it, as plain data. @param make writes the file that it is given.
 */
export async function fixture(how: unknown, extension: string, make: (file: string) => Promise<unknown>): Promise<string> {
  const { file, unfinished, isThere } = placeOf(how, extension);
  if (isThere) return file;
  try {
    await make(unfinished);
    renameSync(unfinished, file);
  } finally {
    rmSync(unfinished, { force: true });
  }
  return file;
}

/** The same, for those who can not wait for a promise. */
export function fixtureNow(how: unknown, extension: string, make: (file: string) => void): string {
  const { file, unfinished, isThere } = placeOf(how, extension);
  if (isThere) return file;
  try {
    make(unfinished);
    renameSync(unfinished, file);
  } finally {
    rmSync(unfinished, { force: true });
  }
  return file;
}

/** Which encoders work on this machine, as engines keep it: tried by the first that needs to know, for all. */
const encoders = (): string => path.join(FIXTURES, `encoders-${digestOf('encoders').slice(0, 16)}.json`);

/** A data folder that knows which encoders work here, if any engine has found out before. */
export function seedEncoders(dataFolder: string): void {
  if (existsSync(encoders())) copyFileSync(encoders(), path.join(dataFolder, 'encoders.json'));
}

/** What an engine has found out is kept for those to come. */
export function keepEncoders(dataFolder: string): void {
  const found = path.join(dataFolder, 'encoders.json');
  if (existsSync(encoders()) || !existsSync(found)) return;
  copyFileSync(found, `${encoders()}.${process.pid}`);
  renameSync(`${encoders()}.${process.pid}`, encoders());
}
