import type { AccessFacts } from '../recipes/access';
import type { MasterPromise } from '../recipes/master';
import type { Check, Proof } from './prove-master';

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
    `1 video, ${String(promise.tracks.filter((t) => t.kind === 'audio').length)} audio`,
    `${String(facts.videoStreams)} video, ${String(facts.audioStreams)} audio`,
  );
  check('chapters', promise.chapters.length, facts.chapters);
  const { wholeness, around } = promise;
  if (wholeness) {
    const found = wholeness.damage === 0 ? 'nothing damaged' : `${String(wholeness.damage)} damaged places`;
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
