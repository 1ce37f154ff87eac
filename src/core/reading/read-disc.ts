import { DiscError } from '../bytes';
import type { Volume } from '../volume';
import { findMovieFolder } from './bluray/clip-files';
import type { Reading } from './model';
import type { ReadOptions } from './progress';
import { readBluray } from './bluray/read-bluray';
import { readDvd } from './dvd/read-dvd';
import { findVideoFolder } from './dvd/title-set-files';

/**
 * Examines a volume, whichever kind of disc it is.
 * @throws DiscError `not-a-disc` where it is none that is known; otherwise that of its main structure.
 */
export async function readDisc(volume: Volume, options: ReadOptions = {}): Promise<Reading> {
  options.onProgress?.({ step: 'opening', done: 0, total: 0 });
  const movies = await findMovieFolder(volume);
  if (movies !== null) return readBluray(volume, movies, options);
  const video = await findVideoFolder(volume);
  if (video !== null) return readDvd(volume, video, options);
  throw new DiscError('not-a-disc', { source: volume.name, byteOffset: 0 }, 'There is neither a VIDEO_TS folder nor a BDMV folder');
}
