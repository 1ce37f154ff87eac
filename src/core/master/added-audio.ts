import type { MatroskaTrack } from '../matroska';
import type { PayloadHash } from '../proof/hash';
import type { TrackPromise } from '../proof/promise';
import type { AddedAudio } from '../reels/model';
import { AddedStreamTrack } from './added-stream';
import { ADDED_STREAM } from './added-subtitles';

/** Stream numbers of added sound, behind those of added subtitles. */
const ADDED_AUDIO_STREAM = ADDED_STREAM + 0x1000;

/** Sound from a file beside the disc. */
export class AddedAudioTrack extends AddedStreamTrack {
  constructor(
    track: number,
    private readonly added: AddedAudio,
    hash: PayloadHash,
    private readonly place: number,
    chunks: AsyncIterable<Uint8Array>,
    signal?: AbortSignal,
  ) {
    super(track, added.source.path, added.offsetMs, hash, chunks, signal);
  }

  describe(uid: bigint): MatroskaTrack {
    const { added, described } = this;
    return {
      kind: 'kept',
      type: 'audio',
      uid,
      codecId: described?.codecId ?? '',
      codecPrivate: null, // among the elements
      elements: described?.elements ?? new Uint8Array(0),
      name: added.name,
      language: added.language,
      isDefault: added.isDefault,
      isForced: false,
      isCommentary: added.isCommentary,
      isHearingImpaired: false,
      isVisuallyImpaired: added.isVisuallyImpaired,
      isOriginal: false,
      defaultDurationNs: null,
    };
  }

  promise(): TrackPromise {
    return this.taken({ kind: 'audio', stream: ADDED_AUDIO_STREAM + this.place, language: this.added.language });
  }
}
