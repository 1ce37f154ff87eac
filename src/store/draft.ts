import { useCallback, useEffect, useReducer } from 'react';
import { applyRules, type HouseRules, type NamePart, type Proposal } from '@/core/reels';
import { catalogue } from './archive';
import { readRules } from './rules';
import type { DiscRecord, DraftRecord, DraftReel } from './db';
import { readDraft, saveDraft } from './unsaved';

const MAX_UNDO = 100;
/** Steps that are kept through a reload. */
const KEPT_UNDO = 40;

type Proposed = Pick<DiscRecord, 'fingerprint' | 'reading' | 'findings' | 'tags' | 'firstEpisode'>;

/** What the house rules make of a disc. */
export function proposalOf(disc: Proposed, rules: HouseRules): Proposal {
  const { series, season } = disc.tags;
  const set = series === '' ? null : { series, season, firstEpisode: disc.firstEpisode ?? 1 };
  return applyRules(disc.reading, disc.findings, rules, disc.tags, set);
}

/** What the house rules make of a disc as the catalogue has both now: what a page shows of them may be a moment old. */
export async function proposalNow(disc: Proposed): Promise<Proposal> {
  return proposalOf((await catalogue().discs.get(disc.fingerprint)) ?? disc, await readRules());
}

/** What the Bench proposes for a disc that has not been worked on. The same reading and rules give the same proposal. */
export function proposeDraft(disc: Proposed, rules: HouseRules): DraftRecord {
  const reels = proposalOf(disc, rules).reels.map((reel, i) => ({
    id: `${disc.fingerprint.slice(0, 12)}-${i + 1}`,
    reel,
    jobId: null,
  }));
  return { fingerprint: disc.fingerprint, storage: rules.storage, folder: rules.folder, changedAt: '', reels, past: [], future: [] };
}

export interface DraftHistory {
  readonly record: DraftRecord | null;
  readonly past: readonly (readonly DraftReel[])[];
  readonly future: readonly (readonly DraftReel[])[];
}

export type DraftAction =
  | { readonly type: 'load'; readonly record: DraftRecord }
  | { readonly type: 'change'; readonly make: (reels: readonly DraftReel[]) => readonly DraftReel[] }
  | { readonly type: 'undo' | 'redo' }
  | { readonly type: 'place'; readonly storage?: string; readonly folder?: readonly NamePart[] }
  | { readonly type: 'plan again'; readonly reelId: string }
  | { readonly type: 'queued'; readonly reelId: string; readonly jobId: string };

/** Reels as they were, with the jobs made since: undoing a change must not forget a job. */
function withJobs(reels: readonly DraftReel[], now: readonly DraftReel[]): DraftReel[] {
  const jobs = new Map(now.map((n) => [n.id, n.jobId]));
  return reels.map((r) => ({ ...r, jobId: jobs.get(r.id) === undefined ? r.jobId : (jobs.get(r.id) ?? null) }));
}

/** Composing, with undo and redo. Pure. */
export function reduceDraft(state: DraftHistory, action: DraftAction): DraftHistory {
  if (action.type === 'load') return { record: action.record, past: action.record.past, future: action.record.future };
  const { record, past, future } = state;
  if (!record) return state;
  switch (action.type) {
    case 'change':
      return { record: { ...record, reels: action.make(record.reels) }, past: [...past.slice(-MAX_UNDO), record.reels], future: [] };
    case 'undo': {
      const reels = past.at(-1);
      return reels
        ? { record: { ...record, reels: withJobs(reels, record.reels) }, past: past.slice(0, -1), future: [...future, record.reels] }
        : state;
    }
    case 'redo': {
      const reels = future.at(-1);
      return reels
        ? { record: { ...record, reels: withJobs(reels, record.reels) }, past: [...past, record.reels], future: future.slice(0, -1) }
        : state;
    }
    case 'place':
      return { ...state, record: { ...record, storage: action.storage ?? record.storage, folder: action.folder ?? record.folder } };
    case 'plan again':
      return { ...state, record: { ...record, reels: record.reels.map((r) => (r.id === action.reelId ? { ...r, jobId: null } : r)) } };
    case 'queued':
      return {
        ...state,
        record: { ...record, reels: record.reels.map((r) => (r.id === action.reelId ? { ...r, jobId: action.jobId } : r)) },
      };
  }
}

export interface Draft {
  readonly record: DraftRecord | null;
  /** Changes the reels; can be undone. */
  readonly change: (make: (reels: readonly DraftReel[]) => readonly DraftReel[]) => void;
  /** Says where results go: the storage, the folder in it, or both. */
  readonly setPlace: (place: { readonly storage?: string; readonly folder?: readonly NamePart[] }) => void;
  /** Unlocks a reel whose job has failed, was cancelled or is gone. */
  readonly planAgain: (reelId: string) => void;
  /** Notes a job that was made of a reel. Not undone: the job is real. */
  readonly queued: (reelId: string, jobId: string) => void;
  readonly undo: (() => void) | null;
  readonly redo: (() => void) | null;
}

const NOTHING: DraftHistory = { record: null, past: [], future: [] };

/** The draft of a disc: kept in the catalogue with every change. */
export function useDraft(disc: DiscRecord | null): Draft {
  const [state, dispatch] = useReducer(reduceDraft, NOTHING);
  const fingerprint = disc?.fingerprint;
  useEffect(() => {
    if (!disc || state.record?.fingerprint === disc.fingerprint) return;
    let current = true;
    void readDraft(disc.fingerprint).then(async (kept) => {
      const record = kept ?? proposeDraft(disc, await readRules());
      if (current) dispatch({ type: 'load', record });
    });
    return () => {
      current = false;
    };
  }, [disc, state.record?.fingerprint]);
  useEffect(() => {
    if (!state.record) return;
    const past = state.past.slice(-KEPT_UNDO);
    void saveDraft({ ...state.record, past, future: state.future.slice(-KEPT_UNDO), changedAt: new Date().toISOString() });
  }, [state.record, state.past, state.future]);
  const change = useCallback<Draft['change']>((make) => dispatch({ type: 'change', make }), []);
  const setPlace = useCallback<Draft['setPlace']>((place) => dispatch({ type: 'place', ...place }), []);
  const planAgain = useCallback((reelId: string) => dispatch({ type: 'plan again', reelId }), []);
  const queued = useCallback((reelId: string, jobId: string) => dispatch({ type: 'queued', reelId, jobId }), []);
  const undo = useCallback(() => dispatch({ type: 'undo' }), []);
  const redo = useCallback(() => dispatch({ type: 'redo' }), []);
  const fresh = state.record?.fingerprint === fingerprint;
  return {
    record: fresh ? state.record : null,
    change,
    setPlace,
    planAgain,
    queued,
    undo: state.past.length > 0 ? undo : null,
    redo: state.future.length > 0 ? redo : null,
  };
}
