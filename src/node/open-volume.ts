import type { ByteSource } from '@/core/bytes';
import { openTitleSetContent, findVideoFolder } from '@/core/reading';
import { openImage, type Volume } from '@/core/volume';
import type { JobSource } from '@/contract';
import { openSimulatedDrive } from './drive';
import { openFileSource, openFolderVolume } from './files';

export interface OpenedVolume {
  readonly volume: Volume;
  /** Content of a title set; opened once. */
  content(titleSet: number): Promise<ByteSource>;
  close(): Promise<void>;
}

/**
 * Opens whatever a job or a reading reads from.
 * @param spunUp a drive that has just been read needs no time to start.
 * @throws DiscError of the source or the file system.
 */
export async function openVolume(source: JobSource, spunUp = true, signal?: AbortSignal): Promise<OpenedVolume> {
  if (source.kind === 'folder') {
    const folder = await openFolderVolume(source.path);
    return withContent(folder, () => folder.close());
  }
  const file = source.kind === 'drive' ? await openSimulatedDrive(source.path, spunUp, signal) : await openFileSource(source.path);
  try {
    return withContent(await openImage(file), () => file.close());
  } catch (error) {
    await file.close();
    throw error;
  }
}

function withContent(volume: Volume, close: () => Promise<void>): OpenedVolume {
  const opened = new Map<number, Promise<ByteSource>>();
  return {
    volume,
    content: (titleSet) => {
      let content = opened.get(titleSet);
      if (!content) {
        content = findVideoFolder(volume).then(
          async (folder) => (await openTitleSetContent(volume, folder ?? 'VIDEO_TS', titleSet)).source,
        );
        opened.set(titleSet, content);
      }
      return content;
    },
    close,
  };
}
