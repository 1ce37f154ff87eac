import { DiscError, throwIfCancelled } from '../bytes';
import {
  MatroskaWriter,
  type DescribedTrack,
  type MatroskaDescription,
  type MatroskaSink,
  type MatroskaTrack,
  type StreamBlock,
  type StreamPart,
} from '../matroska';
import { TICKS_PER_MS, avcConfiguration } from '../streams';
import { PairReader } from './coded-pictures';
import { UnitBuffer } from './escaping';
import { readSequenceSet, writeSequenceSet } from './parameter-sets';
import { broken, refusal } from './refusal';
import { Rewriter, type Met, type Written } from './rewriter';
import { ownPictureSet } from './stand-ins';

/** Where in the time of a picture the pictures of its moment stand, as shares of it. What shows them tells them apart by that. */
export const SHOWN_AT: Readonly<Record<Written['role'], number>> = { base: 0, copy: 0.25, dependent: 0.5 };

interface Options {
  readonly name: string;
  readonly application: string;
  /** How long a picture of one view is shown. */
  readonly frameMs: number;
  /** The tracks as their own file describes them, where what comes has left out what the second view needs. */
  readonly described?: readonly DescribedTrack[];
  /** Tracks beside the picture go along. */
  readonly everything: boolean;
  readonly signal?: AbortSignal | undefined;
}

const AVC = 'V_MPEG4/ISO/AVC';
/** Blocks are timed in tenths of a millisecond: half a picture is not a whole number of them. */
const SCALE_NS = 100_000;

/** Parameter sets of a decoder's configuration. ISO/IEC 14496-15 5.3.3.1.2. @returns null where it is cut off. */
function setsOf(configuration: Uint8Array): { readonly lengthBytes: number; readonly units: readonly Uint8Array[] } | null {
  const units: Uint8Array[] = [];
  let at = 5;
  for (const mask of [31, 255]) {
    const count = (configuration[at++] ?? 0) & mask;
    for (let i = 0; i < count; i++) {
      const size = ((configuration[at] ?? 0) << 8) | (configuration[at + 1] ?? 0);
      if (at + 2 + size > configuration.byteLength) return null;
      units.push(configuration.subarray(at + 2, at + 2 + size));
      at += 2 + size;
    }
  }
  return { lengthBytes: ((configuration[4] ?? 3) & 3) + 1, units };
}

/** Units behind lengths. A length that leaves the block ends it: what came before counts. */
function* unitsOf(data: Uint8Array, lengthBytes: number): Generator<Uint8Array> {
  for (let at = 0; at + lengthBytes < data.byteLength;) {
    let size = 0;
    for (let i = 0; i < lengthBytes; i++) size = size * 256 + (data[at + i] as number);
    at += lengthBytes;
    if (size > data.byteLength - at) return;
    if (size > 0) yield data.subarray(at, at + size);
    at += size;
  }
}

const describe = (track: DescribedTrack, uid: number, codecPrivate: Uint8Array | null): MatroskaTrack => ({
  ...{ kind: 'kept', type: track.kind === 'other' ? 'subtitle' : track.kind, uid: BigInt(uid), codecId: track.codecId, codecPrivate },
  ...{ defaultDurationNs: null, elements: track.elements, name: '', language: null, isDefault: true, isForced: false },
  ...{ isHearingImpaired: false, isVisuallyImpaired: false, isOriginal: false, isCommentary: false },
});

/** A picture track with two views, as both in turn. */
class PictureTrack {
  readonly reader = new PairReader();
  readonly rewriter = new Rewriter();
  readonly lengthBytes: number;
  readonly configuration: Uint8Array;

  constructor(track: DescribedTrack) {
    const base = setsOf(track.codecPrivate);
    const [first] = base?.units ?? [];
    if (track.codecId !== AVC || !base || !first) throw refusal('Its picture is not H.264 as masters hold it');
    this.lengthBytes = base.lengthBytes;
    for (const unit of base.units) this.reader.set(unit, 0);
    for (const unit of (track.secondView && setsOf(track.secondView)?.units) ?? []) this.reader.set(unit, 1);
    const sets = [writeSequenceSet(readSequenceSet(first, false), 0), ownPictureSet()].map((set) => {
      const escaped = new UnitBuffer();
      escaped.escape(set);
      return escaped.view();
    });
    this.configuration = avcConfiguration(sets.slice(0, 1), sets.slice(1));
  }
}

/** Takes a file's parts, and writes them with both views in turn. */
class BothViewsWriter {
  private readonly pictures = new Map<number, PictureTrack>();
  private readonly places = new Map<number, number>();
  private open: { readonly writer: MatroskaWriter; readonly description: MatroskaDescription } | null = null;

  constructor(
    private readonly sink: MatroskaSink,
    private readonly options: Options,
  ) {}

  async begin(tracks: readonly DescribedTrack[]): Promise<void> {
    const { name, application, everything, described: full } = this.options;
    const own = tracks.filter((t) => t.kind === 'video');
    if (own.length === 0) throw new DiscError('unsupported', { source: name, byteOffset: 0, structure: 'Tracks' }, 'There is no picture');
    const taken = [...own, ...(everything ? tracks.filter((t) => t.kind === 'audio' || t.kind === 'subtitle') : [])];
    // A decoder reads it at once.
    const writer = new MatroskaWriter(this.sink, taken.length, 0, null);
    const written = taken.map((track, place) => {
      this.places.set(track.number, place);
      if (track.kind === 'subtitle') writer.wantsDuration.add(place);
      // What comes may be asked for again under the same bytes.
      if (track.kind !== 'video') return describe({ ...track, elements: track.elements.slice() }, place + 1, null);
      const known = full?.find((t) => t.kind === 'video') ?? track;
      const picture = new PictureTrack(known);
      this.pictures.set(track.number, picture);
      return describe({ ...track, elements: known.picture.slice() }, place + 1, picture.configuration);
    });
    const description = {
      ...{ title: '', application, seed: 'both views', tracks: written, chapters: [], tags: [], durationNs: 0 },
      timestampScaleNs: SCALE_NS,
    };
    this.open = { writer, description };
    await writer.begin(description);
  }

  async block(block: StreamBlock): Promise<void> {
    if (!this.open) throw broken('Blocks come before their tracks');
    const { writer } = this.open;
    const track = this.places.get(block.track);
    if (track === undefined) return;
    const durationTicks = block.durationMs === null ? null : block.durationMs * TICKS_PER_MS;
    const add = async (ms: number, data: Uint8Array, key: boolean, discardable: boolean) => {
      writer.add({ track, ticks: ms * TICKS_PER_MS, durationTicks, key, discardable, data });
      if (writer.pending) await writer.flush();
    };
    const picture = this.pictures.get(block.track);
    if (!picture) return add(block.timestampMs, block.data, block.key, block.discardable);
    const pair = picture.reader.read([...unitsOf(block.data, picture.lengthBytes)]);
    const made = pair.base && picture.rewriter.accessUnit(pair.base, pair.dependent);
    if (!made) return;
    for (const { role, from, to } of made.pictures)
      await add(
        block.timestampMs + SHOWN_AT[role] * this.options.frameMs,
        made.units.subarray(from, to),
        role === 'base' && made.key,
        false,
      );
  }

  async finish(): Promise<Met> {
    const [first] = this.pictures.values();
    if (!this.open || !first) throw new DiscError('unsupported', { source: this.options.name, byteOffset: 0 }, 'It holds no track');
    await this.open.writer.finish(this.open.description);
    return first.rewriter.met;
  }
}

/**
 * Writes picture tracks with two views as such of a single view, in which both are shown in turn: a decoder of one view decodes both. It is
 * Matroska, on the clock of what comes; see `SHOWN_AT` for the times. One access unit is held at a time.
 * @param parts a master with two views in each block of its picture track. @returns what was met on the way, in the first of them.
 * @throws DiscError `unsupported` with the reason where they can not be decoded this way; what reading throws.
 */
export async function writeBothViews(parts: AsyncIterable<StreamPart>, sink: MatroskaSink, options: Options): Promise<Met> {
  const writer = new BothViewsWriter(sink, options);
  for await (const part of parts) {
    throwIfCancelled(options.signal, options.name);
    if (part.kind === 'tracks') await writer.begin(part.tracks);
    else for (const block of part.blocks) await writer.block(block);
  }
  return writer.finish();
}
