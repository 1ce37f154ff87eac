import type { ByteSource } from '../bytes';
import type { Volume } from '../volume';
import { findMovieFolder, openClipContent, openNamed } from './bluray/clip-files';
import { DiscError } from '../bytes';
import { findVideoFolder, openTitleSetContent } from './dvd/title-set-files';

/** Name under which a clip's information is opened. */
export const clipInfoName = (clip: string): string => `${clip}.clpi`;

/**
 * Opens what segments stand in, by the name that they give: a title set ("VTS_01") a clip ("00001") or its information ("00001.clpi").
 * @throws DiscError `not-found`.
 */
export async function openContent(volume: Volume, content: string): Promise<ByteSource> {
  const titleSet = /^VTS_(\d+)$/.exec(content)?.[1];
  if (titleSet !== undefined)
    return (await openTitleSetContent(volume, (await findVideoFolder(volume)) ?? 'VIDEO_TS', Number(titleSet))).source;
  if (content.endsWith('.clpi')) {
    const folder = (await findMovieFolder(volume)) ?? 'BDMV';
    const file =
      (await openNamed(volume, folder, ['CLIPINF', content])) ?? (await openNamed(volume, folder, ['BACKUP', 'CLIPINF', content]));
    if (!file) throw new DiscError('not-found', { source: volume.name, byteOffset: 0 }, `${content} is not there`);
    return file;
  }
  return openClipContent(volume, (await findMovieFolder(volume)) ?? 'BDMV', content);
}
