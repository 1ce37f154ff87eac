import { DiscError } from '../../bytes';
import { sameName, pathParts, type Volume, type VolumeFile } from '../../volume';

const join = (folder: string, ...names: readonly string[]) => [...pathParts(folder), ...names].join('/');

/**
 * Finds the folder that holds index.bdmv: in the volume, in a folder given as the volume, or one folder below.
 * @returns its path in the volume, or null.
 */
export async function findMovieFolder(volume: Volume): Promise<string | null> {
  const holds = async (path: string) => {
    const names = (await volume.list(path))?.map((e) => e.name) ?? [];
    return names.some((n) => sameName(n, 'PLAYLIST')) && names.some((n) => sameName(n, 'STREAM') || sameName(n, 'CLIPINF'));
  };
  for (const path of ['BDMV', '']) if (await holds(path)) return path;
  for (const entry of (await volume.list('')) ?? []) {
    if (entry.kind !== 'folder') continue;
    for (const path of [`${entry.name}/BDMV`, entry.name]) if (await holds(path)) return path;
  }
  return null;
}

/** Names that file systems with short names make of those of the standard. */
const SHORT_NAMES: Readonly<Record<string, string>> = { 'index.bdmv': 'INDEX.BDM', 'MovieObject.bdmv': 'MOVIEOBJ.BDM' };
const SHORT_ENDINGS: Readonly<Record<string, string>> = { mpls: 'MPL', clpi: 'CPI', m2ts: 'MTS' };

/** A name of the standard, and what it is called where names are short. */
export function namesOf(name: string): readonly string[] {
  const dot = name.lastIndexOf('.');
  const ending = SHORT_ENDINGS[name.slice(dot + 1)];
  const short = SHORT_NAMES[name] ?? (ending === undefined ? null : `${name.slice(0, dot)}.${ending}`);
  return short === null ? [name] : [name, short];
}

/** Opens a file of the movie folder under whichever of its names it has; null where there is none. */
export async function openNamed(volume: Volume, folder: string, inside: readonly string[]): Promise<VolumeFile | null> {
  const path = inside.slice(0, -1);
  for (const name of namesOf(inside.at(-1) ?? '')) {
    const file = await volume.open(join(folder, ...path, name));
    if (file) return file;
  }
  return null;
}

/** @returns null where there is no such clip. */
export const openClip = (volume: Volume, folder: string, clip: string): Promise<VolumeFile | null> =>
  openNamed(volume, folder, ['STREAM', `${clip}.m2ts`]);

/** @throws DiscError `not-found`. */
export async function openClipContent(volume: Volume, folder: string, clip: string): Promise<VolumeFile> {
  const file = await openClip(volume, folder, clip);
  if (file) return file;
  throw new DiscError('not-found', { source: volume.name, byteOffset: 0 }, `Clip ${clip} is not there`);
}

/** Names without ending of the files of a folder that have that ending, in order. */
export async function listNumbered(volume: Volume, folder: string, inside: string, endings: readonly string[]): Promise<string[]> {
  const names = ((await volume.list(join(folder, inside))) ?? []).filter((e) => e.kind === 'file').map((e) => e.name);
  const found = names.flatMap((name) => {
    const match = /^(\d{5})\.(\w+)$/.exec(name);
    return match?.[1] && endings.some((e) => sameName(e, match[2] ?? '')) ? [match[1]] : [];
  });
  return [...new Set(found)].sort();
}

export const CLIP_FILE_ENDINGS: readonly string[] = ['m2ts', 'MTS'];
export const inMovieFolder = join;
