import { restoreLpcm } from '../assembly';
import type { ByteSource } from '../bytes';
import { readMatroska, type Crc32, type ReadSummary } from '../matroska';
import { MOST_FAULTS, type Fault } from '../reading/fault';
import type { MasterPromise, TrackPromise } from './promise';
import { CheckWords } from './check-words';
import type { CreateHash, PayloadHash } from './hash';

/** One thing checked, and how it came out. */
export interface Check {
  readonly what:
    | 'track identical'
    | 'packets'
    | 'timestamps'
    | 'moments'
    | 'duration'
    | 'chapters'
    | 'checksums'
    | 'structure'
    | 'index'
    | 'parts'
    | 'decodes'
    | 'streams'
    | 'not empty'
    | 'whole';
  /** Track from 0 it is about; null for the file. */
  readonly track: number | null;
  readonly passed: boolean;
  readonly expected: string;
  readonly found: string;
}

/** A part of the file beside its frames, and a payload hash over it: where one changes, it can be named. */
export interface FilePart {
  readonly name: string;
  readonly hash: string;
}

export interface Proof {
  readonly passed: boolean;
  readonly checks: readonly Check[];
  /** Tracks whose bytes were shown to be the disc's own, of how many. */
  readonly identicalTracks: number;
  readonly tracks: number;
  /** Places where the disc is not whole, or not as it says of itself: taken around, or kept as they are. */
  readonly exceptions: readonly Fault[];
  /** All there are, listed or not. */
  readonly exceptionCount: number;
  readonly parts: readonly FilePart[];
}

/** Pictures stand in the order of decoding: one may come this much before another that is shown earlier. Sound and subtitles never do. */
const REORDER_MS = 500;
/** Times in the file are rounded to its unit. */
const ROUNDING_MS = 1;
const MS_IN_NS = 1e6;

export interface ProofOptions {
  readonly createHash: CreateHash;
  readonly crc32?: Crc32;
  readonly signal?: AbortSignal;
  readonly onProgress?: (bytes: number, total: number) => void;
  /** Parts as an earlier proof of the same file found them. */
  readonly parts?: readonly FilePart[];
}

/** What was found of one track in the file. */
class FoundTrack {
  readonly hash: PayloadHash;
  readonly words: CheckWords;
  packets = 0;
  disorder = 0;
  firstMs: number | null = null;
  lastMs = 0;
  private readonly scratch = { bytes: new Uint8Array(64 * 1024) };

  constructor(
    readonly promise: TrackPromise,
    index: number,
    createHash: CreateHash,
  ) {
    this.hash = createHash();
    this.words = new CheckWords(promise, index);
  }

  see(ms: number, data: Uint8Array): void {
    const { lpcm, kind } = this.promise;
    this.packets++;
    if (this.firstMs !== null && ms < this.lastMs - (kind === 'video' ? REORDER_MS : 0)) this.disorder++;
    this.firstMs = Math.min(this.firstMs ?? ms, ms);
    this.lastMs = Math.max(this.lastMs, ms);
    this.hash.update(lpcm ? restoreLpcm(lpcm, data, this.scratch) : data);
    this.words.see(ms, data);
  }
}

const count = (of: number, all: number) => `${of} of ${all}`;

/** Chapters by time and name, one a line. */
const chapterLines = (chapters: readonly { readonly startMs: number; readonly name: string }[]) =>
  chapters.map((c) => `${(Math.round(c.startMs) / 1000).toFixed(3)} ${c.name}`);

/** The first lines in which two lists differ. */
function differing(expected: readonly string[], found: readonly string[]): { expected: string; found: string } {
  const at = Array.from({ length: Math.max(expected.length, found.length) }, (_, i) => i).find((i) => expected[i] !== found[i]);
  if (at === undefined) return { expected: `${expected.length} alike`, found: `${found.length} alike` };
  return { expected: expected[at] ?? 'none', found: found[at] ?? 'none' };
}

/**
 * Reads a finished master through and compares it with what was promised while it was made: the payload of every
 * track hashed again, number of frames, order of time stamps, first and last moments, chapters by time and name, the index,
 * checksums. And what was read with what the disc says there is: `whole` passes where nothing was damaged, or where the
 * archivist chose to go around it; then every place is named among the exceptions. A file without any picture is no master.
 * @throws DiscError where the file can not be read as Matroska at all.
 */
export async function proveMaster(source: ByteSource, promise: MasterPromise, options: ProofOptions): Promise<Proof> {
  const tracks = promise.tracks.map((p, i) => new FoundTrack(p, i, options.createHash));
  const parts: FilePart[] = [];
  let strayBlocks = 0;
  const summary = await readMatroska(
    source,
    {
      block: (number, ms, _key, data) => {
        const track = tracks[number - 1];
        if (track) track.see(ms, data);
        else strayBlocks++;
      },
      part: (name, bytes) => {
        const hash = options.createHash();
        hash.update(bytes);
        parts.push({ name, hash: hash.digest() });
      },
      progress: (bytes) => options.onProgress?.(bytes, source.sizeBytes),
    },
    options,
  );
  const checks: Check[] = [];
  const check = (
    what: Check['what'],
    track: number | null,
    expected: string | number,
    found: string | number,
    passed = expected === found,
  ) => {
    checks.push({ what, track, expected: String(expected), found: String(found), passed });
  };
  const isSound = summary.finished && strayBlocks === 0;
  const soundText = 'finished, no stray blocks';
  check('structure', null, soundText, isSound ? soundText : `finished: ${summary.finished}, stray: ${strayBlocks}`);
  checkStreams(promise, summary, check);
  for (const [i, track] of tracks.entries()) {
    check('track identical', i, track.promise.hash, track.hash.digest());
    check('packets', i, track.promise.packets, track.packets);
    check('timestamps', i, '0 out of order', `${track.disorder} out of order`);
    checkMoments(track, i, check);
  }
  if (promise.frames > 0 || promise.tracks.some((t) => t.kind === 'video'))
    check('not empty', null, 'at least one picture', tracks[0]?.packets ? 'at least one picture' : 'none');
  else check('not empty', null, 'at least one packet', tracks.some((t) => t.packets > 0) ? 'at least one packet' : 'none');
  const { durationMs } = promise;
  check('duration', null, Math.round(durationMs), Math.round(summary.durationMs), Math.abs(durationMs - summary.durationMs) < 2);
  const chapters = differing(
    chapterLines(promise.chapters),
    chapterLines(summary.chapters.map((c) => ({ startMs: c.startNs / MS_IN_NS, name: c.name }))),
  );
  check('chapters', null, chapters.expected, chapters.found);
  check('index', null, '0 entries astray', `${summary.strayCues} entries astray`);
  check(
    'checksums',
    null,
    count(summary.checksums, summary.checksums),
    count(summary.checksums - summary.wrongChecksums, summary.checksums),
    summary.wrongChecksums === 0 && summary.checksums >= summary.clusters,
  );
  if (options.parts) {
    const changed = changedParts(options.parts, parts);
    check('parts', null, 'unchanged', changed.length === 0 ? 'unchanged' : `changed: ${changed.join(', ')}`);
  }
  const words = tracks.flatMap((t) => t.words.places);
  const wrongWords = tracks.reduce((sum, t) => sum + t.words.wrong, 0);
  checkWhole(promise, check);
  return {
    passed: checks.every((c) => c.passed),
    checks,
    tracks: tracks.length,
    identicalTracks: checks.filter((c) => c.what === 'track identical' && c.passed).length,
    exceptions: [...(promise.wholeness?.faults ?? []), ...words].sort((a, b) => a.atMs - b.atMs).slice(0, MOST_FAULTS),
    exceptionCount: (promise.wholeness?.count ?? 0) + wrongWords,
    parts,
  };
}

type AddCheck = (what: Check['what'], track: number | null, expected: string | number, found: string | number, passed?: boolean) => void;

/** Tracks of the file by codec and language, in order. */
function checkStreams(promise: MasterPromise, summary: ReadSummary, check: AddCheck): void {
  const line = (codecId: string, language: string | null) => `${codecId} ${language ?? 'und'}`;
  const { expected, found } = differing(
    promise.tracks.map((t) => line(t.codecId, t.kind === 'video' ? null : t.language)),
    summary.tracks.map((t, i) => line(t.codecId, promise.tracks[i]?.kind === 'video' ? null : t.language)),
  );
  check('streams', null, expected, found);
}

function checkMoments(track: FoundTrack, index: number, check: AddCheck): void {
  const { fromMs, toMs } = track.promise;
  if (fromMs === null || toMs === null || track.firstMs === null) return;
  const text = (from: number, to: number) => `${Math.round(from)} to ${Math.round(to)} ms`;
  const near = Math.abs(track.firstMs - fromMs) <= ROUNDING_MS && Math.abs(track.lastMs - toMs) <= ROUNDING_MS;
  check('moments', index, text(fromMs, toMs), text(track.firstMs, track.lastMs), near);
}

/** The third leg: what was read is all that the disc says there is. Of a plain file nobody says anything but its container. */
export function checkWhole({ wholeness, around }: MasterPromise, check: AddCheck): void {
  if (!wholeness) return;
  const { damage } = wholeness;
  const found = damage === 0 ? 'nothing damaged' : `${damage} damaged ${damage === 1 ? 'place' : 'places'}`;
  check('whole', null, around ? 'what there is, with its gaps' : 'nothing damaged', found, damage === 0 || around);
}

/** Parts of the file that are not as they were, by name. */
function changedParts(before: readonly FilePart[], now: readonly FilePart[]): string[] {
  const key = (parts: readonly FilePart[], name: string) => parts.flatMap((p) => (p.name === name ? [p.hash] : [])).join(' ');
  const names = new Set([...before, ...now].map((p) => p.name));
  return [...names].filter((name) => key(before, name) !== key(now, name));
}
