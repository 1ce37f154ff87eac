import { access } from 'node:fs/promises';
import { WorkError, type JobSource, type JobState } from '@/contract';
import type { RoomNeeded } from '@/core/reels';
import { roomFor, roomTaken } from '@/node/library';
import { storageAway } from '@/node/storage-mark';
import type { Drives } from './drives';
import { masterBytesThere, type JobFolder } from '@/node/job-folder';
import type { Phase } from './lanes';
import type { Storages } from './storages';

export interface ObstacleSurroundings {
  readonly drives: Pick<Drives, 'lacks' | 'content'>;
  readonly storages: Pick<Storages, 'isAway' | 'hasRoom'>;
}

/** What is looked at of a job. */
interface Waiter {
  readonly order: { readonly storages: readonly { path: string; name: string }[]; readonly source: JobSource };
  readonly phase: Phase;
  readonly told: Pick<JobState, 'problem'>;
  readonly journal: Pick<JobFolder, 'readJob' | 'readProgress'>;
}

/** A source that is gone is looked for this often, milliseconds. */
const LOOK_MS = 2000;

/** What is known of a job only while it waits. */
export class Waiting {
  /** Bytes that its storages must have, by their places; worked out once. */
  private room: ReadonlyMap<string, RoomNeeded> | null = null;
  /** What lay in its drive when it was another disc than its own. */
  private wrongDisc: string | null = null;
  private readonly since = Date.now();
  private lookedAt = 0;
  private isGone = true;

  /** @param mayTry nobody knows what lay in its drive: it stopped before this engine was there. */
  constructor(private readonly mayTry = false) {}

  private async needed(record: Waiter): Promise<ReadonlyMap<string, RoomNeeded>> {
    if (this.room) return this.room;
    const job = record.journal.readJob();
    this.room = roomFor(job, await roomTaken(job, masterBytesThere(record.journal.readProgress())));
    return this.room;
  }

  private async isSourceGone(record: Waiter): Promise<boolean> {
    if (Date.now() - this.lookedAt < LOOK_MS) return this.isGone;
    this.isGone = await access(record.order.source.path).then(
      () => false,
      () => true,
    );
    this.lookedAt = Date.now();
    return this.isGone;
  }

  /**
   * What a job has to wait for before it is begun: what is away now, or was when it came to a stop and has not changed since.
   * @returns null where it can be begun. @throws what reading its order throws.
   */
  async obstacle(record: Waiter, { drives, storages }: ObstacleSurroundings): Promise<WorkError | 'as said' | null> {
    const { order, told } = record;
    const away = order.storages.find((s) => storages.isAway(s.path));
    if (away) return storageAway(away.name);
    const { source } = order;
    if (record.phase === 'reading' && source.kind === 'drive' && drives.lacks(source))
      return new WorkError('disc-away', `“${source.label}” is not in its drive`);
    switch (told.problem?.code) {
      case 'storage-full':
        for (const [place, { all }] of await this.needed(record)) if (!storages.hasRoom(place, all, this.since)) return 'as said';
        return null;
      case 'source-missing':
        return (await this.isSourceGone(record)) ? 'as said' : null;
      case 'other-disc': {
        if (source.kind !== 'drive' || this.mayTry) return null;
        const content = drives.content(source.drive);
        const isFirst = this.wrongDisc === null;
        this.wrongDisc ??= content;
        return isFirst || this.wrongDisc === content ? 'as said' : null;
      }
      default:
        return null;
    }
  }
}
