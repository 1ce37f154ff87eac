import type { MatroskaTrack } from '../matroska';
import type { PayloadHash } from '../proof/hash';
import type { MasterPromise, TrackPromise } from '../proof/promise';
import { MOST_FAULTS, type Wholeness } from '../reading/fault';
import type { OtherEye } from '../reels/model';
import { AddedStreamTrack } from './added-stream';
import { ADDED_STREAM } from './added-subtitles';

/** Stream number of the other eye's picture, behind those of all that is added. */
const OTHER_EYE_STREAM = ADDED_STREAM + 0x2000;

/** The picture of another title, which the other eye sees. */
export class OtherEyeTrack extends AddedStreamTrack {
  constructor(
    track: number,
    private readonly other: OtherEye,
    hash: PayloadHash,
    chunks: AsyncIterable<Uint8Array>,
    signal?: AbortSignal,
  ) {
    super(track, `title ${other.title}`, 0, hash, chunks, signal);
  }

  describe(uid: bigint): MatroskaTrack {
    const { other, described } = this;
    return {
      ...{ kind: 'kept', type: 'video', uid, codecId: described?.codecId ?? '', codecPrivate: null, defaultDurationNs: null },
      ...{
        elements: described?.elements ?? new Uint8Array(0),
        name: `${other.eye} eye`,
        language: null,
        isDefault: false,
        isForced: false,
      },
      ...{ isCommentary: false, isHearingImpaired: false, isVisuallyImpaired: false, isOriginal: false },
    };
  }

  promise(): TrackPromise {
    return this.taken({ kind: 'video', stream: OTHER_EYE_STREAM, language: null });
  }
}

/** What was promised of a reel, with what reading the other eye's title showed of the disc. Places are those of the result, for both. */
export function withOtherEye(own: MasterPromise, other: MasterPromise): MasterPromise {
  if (!own.wholeness || !other.wholeness) return own;
  const track = own.tracks.findIndex((t) => t.stream === OTHER_EYE_STREAM);
  const faults = [...own.wholeness.faults, ...other.wholeness.faults.map((f) => ({ ...f, track: f.track === null ? null : track }))];
  const sum = { ...own.wholeness.witnesses };
  for (const key of Object.keys(sum) as (keyof Wholeness['witnesses'])[]) sum[key] += other.wholeness.witnesses[key];
  const wholeness = {
    faults: faults.sort((a, b) => a.atMs - b.atMs).slice(0, MOST_FAULTS),
    count: own.wholeness.count + other.wholeness.count,
    damage: own.wholeness.damage + other.wholeness.damage,
    witnesses: sum,
  };
  return { ...own, wholeness };
}
