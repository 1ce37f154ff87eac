import { stat } from 'node:fs/promises';
import path from 'node:path';
import { DISC_FOLDERS, WorkError, type DiscFolderState } from '@/contract';
import { requireStorage } from '@/node/library';
import type { DiscImages } from './disc-images';
import type { Helpers } from './helpers';
import type { Hub } from './hub';
import { MadeFolders } from './made-folders';
import type { Storages } from './storages';

interface Around {
  readonly images: Pick<DiscImages, 'kept'>;
  readonly storages: Pick<Storages, 'known' | 'states'>;
  readonly helpers: Pick<Helpers, 'run'>;
  readonly hub: Pick<Hub, 'send'>;
}

const DIGESTS = '.sha256';
const MOST_KEPT = 100;

/** Disc folders out of images that stand in the library, beside them in the same storage. */
export class DiscFolders extends MadeFolders<DiscFolderState> {
  constructor(private readonly around: Around) {
    const tell = (folders: readonly DiscFolderState[]) => {
      around.hub.send({ type: 'folders', folders });
    };
    super({ unfinished: 'folders', placed: DISC_FOLDERS, word: 'disc folder', most: MOST_KEPT, storages: around.storages, tell });
  }

  /** @param imageId of a finished image. @throws WorkError `not-known`, `name-taken`, and those of storages. */
  async make(imageId: string): Promise<DiscFolderState> {
    const image = (await this.around.images.kept()).find((i) => i.id === imageId);
    if (!image) throw new WorkError('not-known', 'There is no such image, or it is being read');
    const storage = await this.around.storages.known(image.storage);
    const name = path.basename(image.path, path.extname(image.path));
    this.requireFree(storage, image.storage, [name, name + DIGESTS]);
    const file = path.join(image.root, image.path);
    const { size } = await stat(file);
    await requireStorage(storage, { all: size, largest: 0 });
    const source = { kind: 'image' as const, path: file, label: name };
    return this.begin({ name, storage: image.storage, image: imageId, totalBytes: size, files: 0 }, storage, async (making) => {
      const inside = (part: string) => path.join(making.workshop, part);
      const order = { kind: 'disc folder' as const, source, folder: inside('disc'), digests: inside('digests') };
      const { files, bytes } = await this.around.helpers.run(order, making.signal, (line) => {
        if (line.type === 'taking out') making.progress({ doneBytes: Math.round(line.done), totalBytes: line.total });
      });
      // The digests first: whoever sees the folder finds them beside it.
      const names = [
        ['digests', name + DIGESTS],
        ['disc', name],
      ] as const;
      return { names, change: { doneBytes: bytes, totalBytes: bytes, files } };
    });
  }
}
