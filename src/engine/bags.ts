import path from 'node:path';
import { safeFileName } from '@/core/reels';
import { BAG_FOLDER, WorkError, type BagOrder, type BagState, type BagWish, type FixityCheck, type Output } from '@/contract';
import { requireStorage } from '@/node/library';
import { APPLICATION } from '@/node/version';
import { dublinCoreOf, filesOf, inBag, premisOf, type BaggedOutput } from './bag-records';
import type { Helpers } from './helpers';
import type { Hub } from './hub';
import { MadeFolders } from './made-folders';
import { comparable } from './names';
import type { Outputs } from './outputs';
import type { Storages } from './storages';

interface Around {
  readonly outputs: Pick<Outputs, 'find'>;
  readonly checksOf: (id: string) => Promise<readonly FixityCheck[]>;
  readonly storages: Pick<Storages, 'known' | 'states'>;
  readonly helpers: Pick<Helpers, 'run'>;
  readonly hub: Pick<Hub, 'send'>;
}

const MOST_KEPT = 50;
/** Of a bag that is put together, in its workshop. */
const WHOLE = 'bag';

/** Bags of results. */
export class Bags extends MadeFolders<BagState> {
  constructor(private readonly around: Around) {
    const tell = (bags: readonly BagState[]) => {
      around.hub.send({ type: 'bags', bags });
    };
    super({ unfinished: 'bags', placed: BAG_FOLDER, word: 'bag', most: MOST_KEPT, storages: around.storages, tell });
  }

  /** @throws WorkError `name-taken`, `not-known`, `file-changed`, and those of storages. */
  async make({ outputs: ids, storage, name: wished, organization, description }: BagWish): Promise<BagState> {
    const marked = await this.around.storages.known(storage);
    const name = safeFileName(wished);
    this.requireFree(marked, storage, [name]);
    const chosen: (BaggedOutput & { readonly root: string })[] = [];
    for (const id of new Set(ids)) {
      const { output, root } = await this.around.outputs.find(id);
      if (output.presence !== 'present') throw new WorkError('file-changed', `${output.path} is ${output.presence}`);
      if (output.seal === 'broken') throw new WorkError('file-changed', `The sidecar of ${output.path} was changed`);
      chosen.push({ output, root, checks: await this.around.checksOf(id) });
    }
    const clash = firstTwice(chosen.map((c) => inBag(c.output.path)));
    if (clash !== null) throw new WorkError('name-taken', `Two of the files would both be ${clash}`);
    const bytes = chosen.reduce((sum, c) => sum + c.output.sidecar.file.sizeBytes, 0);
    const largest = Math.max(...chosen.map((c) => c.output.sidecar.file.sizeBytes));
    await requireStorage(marked, { all: bytes, largest });
    const order = this.orderOf(chosen, { organization, description });
    return this.begin({ name, storage, totalBytes: bytes, files: order.payload.length }, marked, async (making) => {
      await this.around.helpers.run({ ...order, folder: path.join(making.workshop, WHOLE) }, making.signal, (line) => {
        if (line.type === 'bagging') making.progress({ doneBytes: Math.round(line.done) });
      });
      return { names: [[WHOLE, name]], change: { doneBytes: bytes } };
    });
  }

  private orderOf(
    chosen: readonly (BaggedOutput & { readonly root: string })[],
    { organization, description }: Pick<BagWish, 'organization' | 'description'>,
  ): Omit<BagOrder, 'folder'> {
    const payload = chosen.flatMap(({ output, root }) =>
      filesOf(output).map((f) => ({ from: path.join(root, f.path), path: inBag(f.path), digest: f.digest })),
    );
    return {
      kind: 'bag',
      payload,
      tags: [
        { path: 'metadata/premis.xml', text: premisOf(chosen) },
        { path: 'metadata/dublin-core.xml', text: dublinCoreOf(chosen, description) },
      ],
      info: [
        ['Source-Organization', organization],
        ['External-Description', description],
        ...accessions(chosen.map((c) => c.output)).map((a): [string, string] => ['External-Identifier', a]),
        ['Bagging-Date', new Date().toISOString().slice(0, 10)],
        ['Bag-Software-Agent', APPLICATION],
      ],
    };
  }
}

const accessions = (outputs: readonly Output[]): string[] => [
  ...new Set(outputs.flatMap((o) => (o.sidecar.reel.tags?.accession ? [o.sidecar.reel.tags.accession] : []))),
];

/** Names that a system which tells no cases apart would take for one. */
function firstTwice(names: readonly string[]): string | null {
  const seen = new Set<string>();
  for (const name of names) {
    const key = comparable(name);
    if (seen.has(key)) return name;
    seen.add(key);
  }
  return null;
}
