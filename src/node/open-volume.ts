import type { ByteSource } from '@/core/bytes';
import { openContent } from '@/core/reading';
import { mappedSource } from '@/core/rescue';
import { openImage, type Volume } from '@/core/volume';
import type { JobSource } from '@/contract';
import { openSimulatedDrive } from './drive';
import { openFileSource, openFolderVolume, type FileSource, type ReadingManner } from './files';
import { mapOf, readMap } from './image-map';

/** A simulated disc is a file that says so; a drive is a device. */
const isSimulated = (path: string): boolean => path.endsWith('.json');

export interface OpenedVolume {
  readonly volume: Volume;
  /** What segments stand in, by its name; opened once. */
  content(name: string): Promise<ByteSource>;
  close(): Promise<void>;
}

/** Everything that can be opened as a volume: all but plain video files. */
export type VolumeSource = Exclude<JobSource, { kind: 'file' }>;

export interface OpenOptions extends ReadingManner {
  /** A drive that has just been read needs no time to start. */
  readonly spunUp?: boolean;
  readonly signal?: AbortSignal;
}

/**
 * Opens whatever a job or a reading reads from.
 * @throws DiscError of the source or the file system.
 */
export async function openVolume(source: VolumeSource, options: OpenOptions = {}): Promise<OpenedVolume> {
  if (source.kind === 'folder') {
    const folder = await openFolderVolume(source.path, options);
    return withContent(folder, () => folder.close());
  }
  const file = await openRaw(source, options);
  try {
    return withContent(await openImage(file), () => file.close());
  } catch (error) {
    await file.close();
    throw error;
  }
}

/**
 * The bytes of a disc, whatever they stand in. An image beside which a map says what could not be read of its disc can not be read there.
 * @throws DiscError `read-failed`, `bad-map`.
 */
export async function openRaw(source: VolumeSource, options: OpenOptions = {}): Promise<FileSource> {
  if (source.kind === 'drive' && isSimulated(source.path)) return openSimulatedDrive(source.path, options.spunUp ?? true, options.signal);
  const file = await openFileSource(source.path, options);
  try {
    const map = source.kind === 'image' ? await readMap(mapOf(source.path), file.sizeBytes) : null;
    if (!map || map.gaps(0, file.sizeBytes).length === 0) return file;
    return { ...mappedSource(file, map), close: () => file.close() };
  } catch (error) {
    await file.close();
    throw error;
  }
}

function withContent(volume: Volume, close: () => Promise<void>): OpenedVolume {
  const opened = new Map<string, Promise<ByteSource>>();
  return {
    volume,
    content: (name) => {
      const content = opened.get(name) ?? openContent(volume, name);
      opened.set(name, content);
      return content;
    },
    close,
  };
}
