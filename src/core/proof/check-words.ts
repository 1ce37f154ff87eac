import type { Fault } from '../reading';
import { ac3IsSound, eac3IsSound, readTrueHdSync, trueHdIsSound } from '../streams';
import type { TrackPromise } from './promise';

/** Looks at the check words that frames of a track carry; null for codecs without any. */
type FrameLook = (data: Uint8Array) => boolean;

function lookFor(codecId: string): FrameLook | null {
  switch (codecId) {
    case 'A_AC3':
      return (data) => ac3IsSound(data, 0, data.byteLength);
    case 'A_EAC3':
      return (data) => eac3IsSound(data, 0, data.byteLength);
    case 'A_TRUEHD': {
      let subStreams = 0;
      return (data) => {
        subStreams = readTrueHdSync(data, 0, data.byteLength)?.subStreams ?? subStreams;
        return subStreams === 0 || trueHdIsSound(data, 0, data.byteLength, subStreams);
      };
    }
    default:
      return null;
  }
}

/** Frames this near to each other are one place. */
const NEAR_MS = 500;
const MOST_PLACES = 200;

/**
 * Frames of one track that do not agree with their own check words. They are kept as the disc has them; where they are is said.
 * Done while a file is proven, where the time for it is there: hashing the file takes longer.
 */
export class CheckWords {
  readonly places: Fault[] = [];
  frames = 0;
  wrong = 0;
  private readonly look: FrameLook | null;

  constructor(
    promise: TrackPromise,
    private readonly track: number,
  ) {
    this.look = lookFor(promise.codecId);
  }

  see(ms: number, data: Uint8Array): void {
    if (!this.look) return;
    this.frames++;
    if (this.look(data)) return;
    this.wrong++;
    const last = this.places.at(-1);
    if (last && ms - (last.atMs + (last.ms ?? 0)) <= NEAR_MS)
      this.places[this.places.length - 1] = { ...last, ms: Math.round(ms - last.atMs), count: last.count + 1 };
    else if (this.places.length < MOST_PLACES)
      this.places.push({
        kind: 'check word',
        track: this.track,
        atMs: Math.round(ms),
        ms: 0,
        content: null,
        firstSector: 0,
        lastSector: 0,
        count: 1,
      });
  }
}
