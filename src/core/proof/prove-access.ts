import type { MasterPromise } from './promise';
import type { Check, Proof } from './prove-master';

/** What a prober found in a finished access copy. */
export interface AccessFacts {
  readonly durationMs: number;
  readonly frames: number;
  readonly videoStreams: number;
  readonly audioStreams: number;
  readonly chapters: number;
  /** Lines that the decoder complained in while it decoded everything. */
  readonly decodeErrors: readonly string[];
}

/** An encode can not be bit-identical; what can be proven is that nothing is missing and everything decodes. */
export function proveAccess(facts: AccessFacts, promise: MasterPromise): Proof {
  const checks: Check[] = [];
  const check = (what: Check['what'], expected: string | number, found: string | number, passed = expected === found) => {
    checks.push({ what, track: null, expected: String(expected), found: String(found), passed });
  };
  const frameMs = promise.frames > 0 ? promise.durationMs / promise.frames : 40;
  check(
    'decodes',
    'every frame, no complaint',
    facts.decodeErrors.length === 0 ? 'every frame, no complaint' : facts.decodeErrors.slice(0, 3).join('; '),
  );
  check('packets', promise.frames, facts.frames);
  // AAC comes in frames of 21 ms: the sound may end that much later than the picture.
  check(
    'duration',
    Math.round(promise.durationMs),
    Math.round(facts.durationMs),
    Math.abs(facts.durationMs - promise.durationMs) <= frameMs + 25,
  );
  check(
    'streams',
    `1 video, ${promise.tracks.filter((t) => t.kind === 'audio').length} audio`,
    `${facts.videoStreams} video, ${facts.audioStreams} audio`,
  );
  check('chapters', promise.chapters.length, facts.chapters);
  const { wholeness, around } = promise;
  if (wholeness) {
    const found = wholeness.damage === 0 ? 'nothing damaged' : `${wholeness.damage} damaged places`;
    check('whole', around ? 'what there is, with its gaps' : 'nothing damaged', found, wholeness.damage === 0 || around);
  }
  return {
    passed: checks.every((c) => c.passed),
    checks,
    identicalTracks: 0,
    tracks: facts.videoStreams + facts.audioStreams,
    exceptions: wholeness?.faults ?? [],
    exceptionCount: wholeness?.count ?? 0,
    parts: [],
  };
}
