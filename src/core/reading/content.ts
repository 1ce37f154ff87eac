import type { ByteSource } from '../bytes';
import type { Volume } from '../volume';
import { findMovieFolder, openClipContent } from './clip-files';
import { findVideoFolder, openTitleSetContent } from './title-set-files';

/**
 * Opens what segments stand in, by the name that they give: a title set ("VTS_01") or a clip ("00001").
 * @throws DiscError `not-found`.
 */
export async function openContent(volume: Volume, content: string): Promise<ByteSource> {
  const titleSet = /^VTS_(\d+)$/.exec(content)?.[1];
  if (titleSet !== undefined)
    return (await openTitleSetContent(volume, (await findVideoFolder(volume)) ?? 'VIDEO_TS', Number(titleSet))).source;
  return openClipContent(volume, (await findMovieFolder(volume)) ?? 'BDMV', content);
}
