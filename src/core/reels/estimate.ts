import { copyBytes, type TriedPicture } from '../recipes/estimate';
import { planEncode } from '../recipes/plan';
import { MASTER, type Recipe, type RecipeId } from '../recipes/recipe';
import { APART_STREAM, CORE_STREAM, partsOfAngle, type Reading, type Segment, type Title } from '../reading';
import { encodeFacts } from './encode-facts';
import type { Piece, Reel } from './model';
import { pieceSpan } from './pieces';

export interface ReelEstimate {
  readonly durationMs: number;
  /** Size of the lossless master. */
  readonly masterBytes: number;
  /** Size of each copy, by recipe; it depends on the picture, so these are the rates that encoders have usually given. */
  readonly copyBytes: ReadonlyMap<RecipeId, number>;
}

/** Share of a DVD's sectors that is not stream: pack and packet heads, navigation packs. */
const OVERHEAD_SHARE = 0.03;

/** Bytes of container per frame of a track: block head, and a share of clusters and cues. */
const FRAME_HEAD_BYTES = 7.5;
const HEAD_BYTES = 12_000;
/** Frames a second of audio, by the samples in one. */
const FRAMES: Readonly<Record<string, number>> = { TrueHD: 1200, LPCM: 200, DTS: 94, 'DTS-HD': 94, 'DTS-HD Master': 94 };
const USUAL_FRAMES = 31.25;
const USUAL_BITS = 192_000;

const blockBytes = (segment: Segment) =>
  segment.kind === 'clip' ? (segment.endPacket - segment.firstPacket) * 192 : (segment.lastSector - segment.firstSector + 1) * 2048;

interface Taken {
  readonly title: Title;
  readonly ms: number;
  /** Parts of the title that the piece reads, each with the share of it that is wanted. */
  readonly parts: readonly { readonly segment: Segment; readonly companion: string | null; readonly share: number }[];
}

/** What a piece reads: the parts of its angle, those at its ends in proportion. */
function takenOf(title: Title, piece: Piece, segments: ReadonlyMap<string, Segment>): Taken {
  const { fromMs, toMs } = pieceSpan(title, piece);
  let at = 0;
  const parts = partsOfAngle(title, piece.angle).flatMap((part) => {
    const segment = segments.get(part.segment);
    if (!segment) return [];
    const [start, end] = [at, at + segment.durationMs];
    at = end;
    const inside = Math.min(end, toMs) - Math.max(start, fromMs);
    if (inside <= 0 && segment.durationMs > 0) return [];
    return [{ segment, companion: part.companion, share: segment.durationMs > 0 ? Math.min(1, inside / segment.durationMs) : 1 }];
  });
  return { title, ms: toMs - fromMs, parts };
}

/** Bytes of the taken streams, where they were weighed; else null. */
function weighedBytes(reading: Reading, reel: Reel, { title, ms, parts }: Taken): number | null {
  const shares = new Map((reading.shares ?? []).map((s) => [`${s.content} ${s.stream}`, s]));
  const seconds = ms / 1000;
  const cores = title.audio.filter((t) => t.coreOf !== null);
  const coreBytes = (stream: number) => ((cores.find((t) => t.coreOf === stream)?.bitRate ?? 0) / 8) * seconds;
  let bytes = 0;
  for (const { segment, companion, share } of parts) {
    const of = (content: string, stream: number) => shares.get(`${content} ${stream}`);
    const video = of(segment.content, title.video.stream);
    if (!video || segment.kind !== 'clip') return null;
    const whole = blockBytes(segment) * share;
    bytes += whole * video.share;
    const second = companion !== null && title.video.secondView ? of(companion, title.video.secondView.stream) : undefined;
    if (second) bytes += second.contentBytes * second.share * Math.min(1, whole / video.contentBytes);
    const plain = [...reel.audio, ...reel.subtitles].filter((t) => t.stream < CORE_STREAM && !t.forcedOnly);
    for (const { stream } of plain) bytes += whole * (of(segment.content, stream)?.share ?? 0);
  }
  for (const { stream } of reel.audio) {
    if (stream >= APART_STREAM) continue;
    if (stream >= CORE_STREAM) bytes += coreBytes(stream - CORE_STREAM);
    else bytes -= coreBytes(stream);
  }
  return Math.max(0, bytes);
}

/** Sound that stands in clips beside the title's. */
const apartBytes = (title: Title, reel: Reel, ms: number): number =>
  title.audio
    .filter((t) => t.apart && reel.audio.some((a) => a.stream === t.stream))
    .reduce((sum, t) => sum + ((t.bitRate ?? USUAL_BITS) * ms) / 8000, 0);

/** What the container itself takes. */
function containerBytes(reel: Reel, { title, ms }: Taken): number {
  const audio = reel.audio.reduce(
    (sum, t) => sum + (FRAMES[title.audio.find((a) => a.stream === t.stream)?.codec ?? ''] ?? USUAL_FRAMES),
    0,
  );
  return HEAD_BYTES + ((27e6 / title.video.frameTicks + audio) * FRAME_HEAD_BYTES * ms) / 1000;
}

/** What is known of sizes beyond what encoders usually give. */
export interface SizeExperience {
  /** How much larger or smaller than estimated copies by a recipe have been here. */
  readonly factors: ReadonlyMap<RecipeId, number>;
  /** What a trial of these very settings said of the picture of a title; null where none was made. */
  readonly tried: (title: number, recipe: Recipe) => TriedPicture | null;
}
const NO_EXPERIENCE: SizeExperience = { factors: new Map(), tried: () => null };

/**
 * Estimates what a reel will take, from the disc's own tables and, on Blu-ray, from samples of its clips.
 */
export function estimateReel(
  reading: Reading,
  reel: Reel,
  recipes: ReadonlyMap<RecipeId, Recipe> = new Map(),
  experience: SizeExperience = NO_EXPERIENCE,
): ReelEstimate {
  const segments = new Map(reading.segments.map((s) => [s.id, s]));
  let durationMs = 0;
  let masterBytes = 0;
  for (const piece of reel.pieces) {
    const title = reading.titles.find((t) => t.number === piece.title);
    if (!title) continue;
    const taken = takenOf(title, piece, segments);
    const { ms, parts } = taken;
    const weighed = weighedBytes(reading, reel, taken);
    masterBytes += apartBytes(title, reel, ms);
    if (weighed !== null) masterBytes += weighed + containerBytes(reel, taken);
    else {
      // Units of several angles stand between each other: of an interleaved cell only one angle's are read.
      const read = parts.reduce((sum, p) => {
        const between = p.segment.kind === 'cell' && p.segment.interleaved ? Math.max(1, title.angles) : 1;
        return sum + (blockBytes(p.segment) * p.share) / between;
      }, 0);
      const left = title.audio
        .filter((t) => !t.apart && !reel.audio.some((a) => a.stream === t.stream))
        .reduce((sum, t) => sum + (t.bitRate ?? 0), 0);
      const overhead = reading.kind === 'Video file' ? 0 : OVERHEAD_SHARE;
      masterBytes += Math.max(0, read * (1 - overhead) - (left * ms) / 8000);
    }
    durationMs += ms;
  }
  for (const { source, durationMs: ms } of reel.addedAudio ?? []) {
    masterBytes += source.sizeBytes * Math.min(1, durationMs / Math.max(1, ms));
  }
  // The other eye's picture is about as large as the reel's own.
  if (reel.otherEye) masterBytes *= 2;
  masterBytes = Math.round(masterBytes);
  return { durationMs, masterBytes, copyBytes: copiesOf(reading, reel, recipes, durationMs, masterBytes, experience) };
}

function copiesOf(
  reading: Reading,
  reel: Reel,
  recipes: ReadonlyMap<RecipeId, Recipe>,
  durationMs: number,
  masterBytes: number,
  { factors, tried }: SizeExperience,
): Map<RecipeId, number> {
  const facts = encodeFacts(reading, reel);
  if (!facts) return new Map();
  return new Map(
    reel.recipes.flatMap((id) => {
      const recipe = recipes.get(id);
      if (!recipe) return [];
      const [title, ...others] = new Set(reel.pieces.map((p) => p.title));
      // A trial is one of a title: of a reel of several it says too little.
      const known = title !== undefined && others.length === 0 ? tried(title, recipe) : null;
      const bytes = copyBytes(planEncode(recipe, facts), facts, durationMs, masterBytes, known);
      return [[id, known ? bytes : Math.round(bytes * (factors.get(id) ?? 1))]];
    }),
  );
}

/** Room that a storage must have, in bytes. */
export interface RoomNeeded {
  readonly all: number;
  /** The largest single file. */
  readonly largest: number;
}

/**
 * Room that a reel's files take in all, by storages: what is unfinished stands in the storage that it goes to and only gets its name in
 * the end. Every copy is made from the master, whether that is kept or not; while one is put together its pieces are still there.
 * @param at the storage of a recipe's result, by any name that tells storages apart.
 */
export function neededAt(estimate: ReelEstimate, at: (recipe: RecipeId) => string): Map<string, RoomNeeded> {
  const copies = new Map<string, { all: number; largest: number }>();
  for (const [recipe, bytes] of estimate.copyBytes) {
    const { all, largest } = copies.get(at(recipe)) ?? { all: 0, largest: 0 };
    copies.set(at(recipe), { all: all + bytes, largest: Math.max(largest, bytes) });
  }
  const { masterBytes } = estimate;
  const needed = new Map<string, RoomNeeded>([[at(MASTER), { all: masterBytes, largest: masterBytes }]]);
  for (const [storage, { all, largest }] of copies) {
    const master = needed.get(storage) ?? { all: 0, largest: 0 };
    needed.set(storage, { all: master.all + all + largest, largest: Math.max(master.largest, largest) });
  }
  return needed;
}

/** What the time depends on that a reel's work takes. */
export function expectedOf(
  reading: Reading,
  reel: Reel,
): { readonly masterBytes: number; readonly durationMs: number; readonly pixels: number } {
  const { masterBytes, durationMs } = estimateReel(reading, reel);
  const video = reading.titles.find((t) => t.number === reel.pieces[0]?.title)?.video;
  return { masterBytes, durationMs, pixels: video ? video.widthPixels * video.heightPixels : 0 };
}

/**
 * Room that several reels take on each storage, one after the other: what is only there meanwhile makes room for the next.
 * @param at the storage of a recipe's result.
 */
export function roomAt(
  reels: readonly (ReelEstimate & Pick<Reel, 'recipes'>)[],
  at: (recipe: RecipeId) => string,
): Map<string, { readonly kept: number; readonly passing: number }> {
  const room = new Map<string, { kept: number; passing: number }>();
  for (const reel of reels) {
    const kept = new Map<string, number>();
    for (const recipe of reel.recipes) {
      const bytes = recipe === MASTER ? reel.masterBytes : (reel.copyBytes.get(recipe) ?? 0);
      kept.set(at(recipe), (kept.get(at(recipe)) ?? 0) + bytes);
    }
    for (const [storage, { all: bytes }] of neededAt(reel, at)) {
      const stays = kept.get(storage) ?? 0;
      const before = room.get(storage) ?? { kept: 0, passing: 0 };
      room.set(storage, { kept: before.kept + stays, passing: Math.max(before.passing, bytes - stays) });
    }
  }
  return room;
}
