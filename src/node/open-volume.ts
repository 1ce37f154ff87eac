import type { ByteSource } from '@/core/bytes';
import { openContent } from '@/core/reading';
import { mappedSource, patientSource } from '@/core/rescue';
import { openImage, type Volume } from '@/core/volume';
import type { JobSource } from '@/contract';
import { isDiscIn, isSimulated, openSimulatedDrive } from './drive';
import { lookAtDevice } from './device';
import { openFileSource, openFolderVolume, type FileSource, type ReadingManner } from './files';
import { mapOf, readMap } from './image-map';

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
  /** A drive is read as images are taken, with everything tried before a sector is given up. Told of what did not come at once, in bytes. */
  readonly onRescued?: (from: number, to: number, lost: number) => void;
}

/** How often sectors that failed by themselves are tried again for a master. */
const RETRIES = 3;

/** Whether there is a disc where one is read from. */
export const isDiscThere = async (drive: string): Promise<boolean> =>
  isSimulated(drive) ? isDiscIn(drive) : !['empty', 'away'].includes((await lookAtDevice(drive, null)).state);

/**
 * Opens whatever a job or a reading reads from.
 * @throws DiscError of the source or the file system.
 */
export async function openVolume(source: VolumeSource, options: OpenOptions = {}): Promise<OpenedVolume> {
  if (source.kind === 'folder') {
    const folder = await openFolderVolume(source.path, options);
    return withContent(folder, () => folder.close());
  }
  const raw = await openRaw(source, options);
  const { onRescued, signal } = options;
  const isThere = () => isDiscThere(source.path);
  const isPatient = source.kind === 'drive' && onRescued;
  const file = isPatient ? { ...patientSource(raw, { isThere, retries: RETRIES, onRescued, signal }), close: () => raw.close() } : raw;
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
