import { DiscError } from '../../bytes';
import type { AudioTrack, SubtitleTrack, Title, VideoTrack } from '../../reading';
import type { Reel, TakenTrack } from '../../reels/model';
import {
  readAc3Header,
  readDtsHdUnit,
  readDtsHeader,
  readEac3Unit,
  readMpegAudioHeader,
  type HdmvLpcmLayout,
  type LpcmLayout,
} from '../../streams';
import { hdmvLpcmFormat, trueHdFormat, unitFormat } from '../framers/audio-formats-hd';
import { framedFormat, lpcmFormat, type AudioFormat } from '../framers/audio-formats';
import { AudioFramer } from '../framers/audio-framer';
import type { EsBuffer } from '../framers/es-buffer';
import type { Framer, PictureFramer } from '../framers/framer';
import type { LpcmPacking } from '../framers/lpcm-repack';
import { PgsFramer } from '../framers/pgs-framer';
import { SubpictureFramer } from '../framers/subpicture-framer';
import { TextFramer } from '../framers/text-framer';
import type { Timeline } from '../timeline';

/** One track of the output, in the order of the reel: video first, then audio, then subtitles. */
export type AssembledTrack =
  | { readonly kind: 'video'; readonly source: VideoTrack }
  | { readonly kind: 'audio'; readonly source: AudioTrack; readonly taken: TakenTrack; readonly lpcm: LpcmPacking | null }
  | { readonly kind: 'subtitle'; readonly source: SubtitleTrack; readonly taken: TakenTrack; readonly palette: readonly number[] };

/**
 * Receives every byte of a track that is taken, in the disc's own packing and order: what hashing on the way in needs.
 * Packets that lie behind each other come as one piece; all have been seen once the assembly's `fill` has said false.
 */
export type TapBytes = (track: number, data: Uint8Array) => void;

/** A track on its way from the demultiplexer to the output. */
export interface Lane {
  readonly track: AssembledTrack;
  readonly framer: Framer;
  /** Null where nobody listens. */
  readonly run: TakenRun | null;
  /** Shows the tap a packet that is not one piece of the stream's buffer. */
  readonly seeDirectly: ((data: Uint8Array) => void) | null;
  /** Another track made of the same stream: forced subtitles beside all of them. */
  readonly twin: Lane | null;
}

/** Bytes after which a run is handed to the tap: large pieces are hashed faster than packets. */
const RUN_BYTES = 128 * 1024;

/** Packets of one track that lie behind each other in its buffer, seen by the tap as one piece. */
class TakenRun {
  private from = 0;
  private to = 0;
  constructor(
    private readonly es: EsBuffer,
    private readonly see: (data: Uint8Array) => void,
  ) {
    es.beforeMove = () => {
      this.flush();
    };
  }

  add(position: number, length: number): void {
    if (position !== this.to || this.to - this.from >= RUN_BYTES) {
      this.flush();
      this.from = position;
    }
    this.to = position + length;
  }

  flush(): void {
    if (this.to > this.from) this.see(this.es.view(this.from, this.to - this.from));
    this.from = this.to;
  }
}

const wrong = (code: 'unsupported' | 'out-of-range', detail: string) => new DiscError(code, { source: 'reel', byteOffset: 0 }, detail);

/** channel_assignment of Blu-ray by number of channels: which of two with the same number does not matter, both are stored alike. */
const HDMV_ASSIGNMENTS = [0, 1, 3, 4, 6, 8, 9, 10, 11] as const;

function lpcmPacking(track: AudioTrack, onDvd: boolean): LpcmPacking | null {
  if (track.codec !== 'LPCM') return null;
  const { bitDepth, sampleRateHz, channels } = track;
  const depths = bitDepth === 16 || bitDepth === 20 || bitDepth === 24;
  const rates = sampleRateHz === 48000 || sampleRateHz === 96000 || (sampleRateHz === 192000 && !onDvd);
  if (!depths || !rates || channels < 1 || channels > 8) throw wrong('out-of-range', 'The LPCM track has a layout that is not allowed');
  return { bitDepth, sampleRateHz, channels, assignment: onDvd ? null : (HDMV_ASSIGNMENTS[channels] ?? 0) };
}

/** How the frames of a track are found. */
function audioFormat(track: AudioTrack, lpcm: LpcmPacking | null): AudioFormat {
  switch (track.codec) {
    case 'LPCM':
      return lpcm?.assignment == null ? lpcmFormat(lpcm as LpcmLayout) : hdmvLpcmFormat(lpcm as HdmvLpcmLayout);
    case 'AC-3':
      return framedFormat(readAc3Header);
    case 'E-AC-3':
      return unitFormat(readEac3Unit);
    case 'TrueHD':
      return trueHdFormat();
    case 'DTS':
      return framedFormat(readDtsHeader);
    case 'DTS-HD':
    case 'DTS-HD Master':
    case 'DTS Express':
      return unitFormat(readDtsHdUnit);
    default:
      return framedFormat(readMpegAudioHeader);
  }
}

/** Finds the tracks that a reel takes in a title. @throws DiscError `unsupported` for one that is not there, or is taken twice. */
export function findTaken<T extends { readonly stream: number }>(
  title: Title,
  tracks: readonly T[],
  taken: readonly TakenTrack[],
  kind: string,
): T[] {
  return taken.map(({ stream, forcedOnly }, i) => {
    const name = `${kind} stream ${stream.toString(16)}`;
    const same = (t: TakenTrack) => t.stream === stream && Boolean(t.forcedOnly) === Boolean(forcedOnly);
    if (taken.findIndex(same) !== i) throw wrong('unsupported', `The reel takes ${name} twice`);
    const track = tracks.find((t) => t.stream === stream);
    if (!track) throw wrong('unsupported', `Title ${title.number} has no ${name}`);
    return track;
  });
}

/**
 * Makes the lanes of a reel's tracks.
 * @param tap who sees the bytes taken; null for nobody.
 * @throws DiscError `unsupported`, `out-of-range`.
 */
export function makeLanes(title: Title, reel: Reel, video: PictureFramer, timeline: Timeline, tap: TapBytes | null): Lane[] {
  const onDvd = title.playlist === null;
  const audio = findTaken(title, title.audio, reel.audio, 'audio').map((source, i) => {
    const lpcm = lpcmPacking(source, onDvd);
    const framer = new AudioFramer(timeline, audioFormat(source, lpcm));
    return { track: { kind: 'audio' as const, source, taken: reel.audio[i] as TakenTrack, lpcm }, framer };
  });
  const subtitles = findTaken(title, title.subtitles, reel.subtitles, 'subtitle').map((source, i) => {
    return {
      track: { kind: 'subtitle' as const, source, taken: reel.subtitles[i] as TakenTrack, palette: source.palette ?? title.palette },
      framer: source.apart
        ? new TextFramer(timeline, source.apart)
        : source.codec === 'PGS'
          ? new PgsFramer(timeline, reel.subtitles[i]?.forcedOnly)
          : new SubpictureFramer(timeline, reel.subtitles[i]?.forcedOnly),
    };
  });
  const lanes = [{ track: { kind: 'video' as const, source: title.video }, framer: video }, ...audio, ...subtitles].map(
    (lane, index): Lane => ({
      ...lane,
      twin: null,
      seeDirectly:
        tap &&
        ((data: Uint8Array) => {
          tap(index, data);
        }),
      run:
        tap &&
        new TakenRun(lane.framer.es, (data) => {
          tap(index, data);
        }),
    }),
  );
  return lanes.map((lane, i) => {
    const twin = lanes
      .slice(i + 1)
      .find((other) => other.track.source.stream === lane.track.source.stream && other.track.kind === 'subtitle');
    return lane.track.kind === 'subtitle' && twin ? { ...lane, twin } : lane;
  });
}

/** Which lane a stream feeds during a piece. */
export function lanesByStream(lanes: readonly Lane[], streams: readonly (number | null)[]): Map<number, Lane> {
  const found = new Map<number, Lane>();
  lanes.forEach((lane, i) => {
    const stream = streams[i];
    if (stream !== null && stream !== undefined && !found.has(stream)) found.set(stream, lane);
  });
  return found;
}
