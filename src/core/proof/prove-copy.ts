import { packetDistanceMs, type MasterPromise } from './promise';
import { checkWhole, type Check, type Proof } from './prove-master';

/** What a prober found in a finished copy. */
export interface CopyFacts {
  readonly durationMs: number;
  readonly frames: number;
  readonly videoStreams: number;
  readonly audioStreams: number;
  readonly subtitleStreams: number;
  readonly chapters: readonly { readonly startMs: number; readonly name: string }[];
  /** Pictures that stand for the film, and are no part of it. */
  readonly covers: number;
  /** Lines that the decoder complained in while it decoded everything. */
  readonly decodeErrors: readonly string[];
}

/** What a copy must hold. */
export interface CopyExpectation {
  /** Pictures, at the least and at the most: the same where each of the source's becomes one or two. */
  readonly leastFrames: number;
  readonly mostFrames: number;
  readonly durationMs: number;
  readonly audioStreams: number;
  readonly subtitleStreams: number;
  readonly chapters: number;
  readonly covers: number;
  /** How much longer it takes than what it was made from: 1 for as long. */
  readonly slower: number;
}

/** Sound comes in frames of up to 32 ms (AC-3): it may end that much later than the picture, and begin a little before. */
const SOUND_SLACK_MS = 45;

/** What copies were expected to hold before their recipe was written beside them: every picture, every track of sound, no subtitles. */
export const plainExpectation = ({ frames, durationMs, chapters, tracks }: MasterPromise): CopyExpectation => ({
  leastFrames: frames,
  mostFrames: frames,
  durationMs,
  audioStreams: tracks.filter((t) => t.kind === 'audio').length,
  subtitleStreams: 0,
  chapters: chapters.length,
  covers: 0,
  slower: 1,
});

/** Slides stand for seconds: by that no length is measured. */
const LONGEST_FRAME_MS = 100;

/** Containers count milliseconds, or ticks of their own. */
const CHAPTER_SLACK_MS = 3;
/** Longer names are cut in some containers. */
const NAME_BYTES = 250;

/** Chapters that are elsewhere or called otherwise than was promised. What begins later than the film may be moved to its beginning: MP4 has no place before. */
function wrongChapters(found: CopyFacts['chapters'], slower: number, { chapters }: MasterPromise): string[] {
  return chapters.flatMap(({ startMs, name }, i) => {
    const at = found[i];
    if (!at) return [];
    const isThere = Math.abs(at.startMs - startMs * slower) <= CHAPTER_SLACK_MS || (i === 0 && at.startMs === 0);
    const isCalled = at.name.trim() === name.trim() || name.length > NAME_BYTES;
    return isThere && isCalled ? [] : [`${i + 1} is “${at.name}” at ${Math.round(at.startMs)} ms`];
  });
}

/** How long a picture stands on an average. */
function pictureMs({ frames, durationMs, tracks }: MasterPromise): number {
  return packetDistanceMs(tracks.find((t) => t.kind === 'video')) ?? (frames > 0 ? durationMs / frames : 40);
}

/** An encode can not be bit-identical; what can be proven is that nothing is missing and everything decodes. */
export function proveCopy(facts: CopyFacts, expected: CopyExpectation, promise: MasterPromise): Proof {
  const { wholeness } = promise;
  const checks: Check[] = [];
  const check = (what: Check['what'], wanted: string | number, found: string | number, passed = wanted === found) => {
    checks.push({ what, track: null, expected: String(wanted), found: String(found), passed });
  };
  const standsMs = pictureMs(promise);
  check(
    'decodes',
    'every frame, no complaint',
    facts.decodeErrors.length === 0 ? 'every frame, no complaint' : facts.decodeErrors.slice(0, 3).join('; '),
  );
  const { leastFrames, mostFrames } = expected;
  const wanted = leastFrames === mostFrames ? leastFrames : `${leastFrames} to ${mostFrames}`;
  check('packets', wanted, facts.frames, facts.frames >= leastFrames && facts.frames <= mostFrames);
  // Of sound alone its length says whether there is any.
  const isSound = mostFrames === 0;
  if (!isSound) check('not empty', 'at least one picture', facts.frames > 0 ? 'at least one picture' : 'none');
  else check('not empty', 'some sound', facts.audioStreams > 0 && facts.durationMs > 0 ? 'some sound' : 'none');
  check(
    'duration',
    Math.round(expected.durationMs),
    Math.round(facts.durationMs),
    // The last picture may be said to stand as long as the one before it; a copy that ends before it has stood is one that lacks something.
    facts.durationMs - expected.durationMs <= standsMs + SOUND_SLACK_MS &&
      expected.durationMs - facts.durationMs <= Math.min(standsMs, LONGEST_FRAME_MS) + SOUND_SLACK_MS,
  );
  const streams = (audio: number, subtitles: number, covers: number) =>
    `${audio} audio${subtitles > 0 ? `, ${subtitles} subtitle` : ''}${covers > 0 ? ', cover' : ''}`;
  check(
    'streams',
    `${isSound ? 0 : 1} video, ${streams(expected.audioStreams, expected.subtitleStreams, expected.covers)}`,
    `${facts.videoStreams} video, ${streams(facts.audioStreams, facts.subtitleStreams, facts.covers)}`,
  );
  const wrong = expected.chapters > 0 ? wrongChapters(facts.chapters, expected.slower, promise) : [];
  check(
    'chapters',
    expected.chapters,
    wrong.length > 0 ? `${facts.chapters.length}, not as promised: ${wrong.slice(0, 3).join('; ')}` : facts.chapters.length,
  );
  checkWhole(promise, (what, _track, wanted, found, passed) => {
    check(what, wanted, found, passed);
  });
  return {
    passed: checks.every((c) => c.passed),
    checks,
    identicalTracks: 0,
    tracks: facts.videoStreams + facts.audioStreams + facts.subtitleStreams,
    exceptions: wholeness?.faults ?? [],
    exceptionCount: wholeness?.count ?? 0,
    parts: [],
  };
}
