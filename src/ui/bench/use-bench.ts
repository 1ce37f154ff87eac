import { useCallback, useMemo, useState } from 'react';
import { joinProblem } from '@/core/assembly/plan';
import {
  choiceFrom,
  dividingChapters,
  divideAt,
  divideByAngles,
  divideByChapters,
  folderOf,
  mergeReels,
  wholeTitleReel,
  withTracksLike,
  type HouseRules,
  type Reel,
} from '@/core/reels';
import type { VaultEntry } from '@/contract';
import type { DiscRecord, DraftReel } from '@/store/db';
import { fileNameFor, proposalOf, valuesOf, type Draft } from '@/store/draft';
import { saveRules } from '@/store/rules';
import { ROLE_PLURAL } from '../words';
import type { ReelActions } from './reel/reel-menu';
import type { EditorPart } from './reel/reel-editor';

/** Where a reel's file will be, and whether something of that name is planned or there. */
export interface ReelPlace {
  readonly path: string;
  readonly clash: boolean;
}

/** File names and folders of all reels, with clashes between them and with what the storage has. */
export function placesOf(
  disc: DiscRecord,
  draft: Draft,
  rules: HouseRules,
  outputs: readonly VaultEntry[],
  storage: string | null,
): Map<string, ReelPlace> {
  const reels = draft.record?.reels ?? [];
  const paths = reels.map(({ reel }) =>
    [folderOf(draft.record?.folder ?? '', valuesOf(disc, reel)), fileNameFor(disc, reel, rules)].filter((p) => p !== '').join('/'),
  );
  const key = (path: string) => path.normalize('NFC').toLowerCase();
  const there = new Set(
    outputs.filter((o) => storage === null || o.storage === storage).map((o) => key(o.path.replace(/\.[a-z0-9]+$/i, ''))),
  );
  return new Map(
    reels.map(({ id, jobId }, i) => {
      const own = key(paths[i] ?? '');
      const twice = paths.some((p, n) => n !== i && key(p) === own && reels[n]?.jobId === null);
      return [id, { path: paths[i] ?? '', clash: jobId === null && (twice || there.has(own)) }];
    }),
  );
}

/** What can be done on the Bench with titles and reels. Every change can be undone. */
export function useBench(disc: DiscRecord | null, draft: Draft, rules: HouseRules, moment: { title: number; ms: number } | null) {
  const [editing, setEditing] = useState<{ id: string; part: EditorPart } | null>(null);
  const [chosen, setChosen] = useState<ReadonlySet<string>>(new Set());
  const [dividing, setDividing] = useState<string | null>(null);
  const [said, setSaid] = useState<string | null>(null);
  const reels = useMemo(() => draft.record?.reels ?? [], [draft.record]);
  const { change } = draft;
  const titleOf = useCallback((number: number) => disc?.reading.titles.find((t) => t.number === number), [disc]);
  const proposal = useMemo(() => (disc ? proposalOf(disc, rules) : null), [disc, rules]);

  const replace = useCallback(
    (id: string, made: readonly Reel[]) => {
      change((all) =>
        all.flatMap((r) => (r.id === id ? made.map((reel, i) => ({ id: i === 0 ? id : crypto.randomUUID(), reel, jobId: null })) : [r])),
      );
    },
    [change],
  );

  /** A title as the house rules would take it, were they to take it at all. */
  const ruledReel = useCallback(
    (number: number): Reel | null => {
      const title = titleOf(number);
      if (!disc || !title || (title.state !== 'usable' && title.state !== 'damaged')) return null;
      const proposed = proposal?.reels.find((r) => r.pieces[0]?.title === number);
      if (proposed) return proposed;
      const isMatter = disc.findings.mainTitle === number && disc.findings.kind === 'film';
      const whole = wholeTitleReel(title, isMatter ? disc.name : `${disc.name} - title ${number}`);
      const like = proposal?.reels[0];
      return { ...(like ? withTracksLike(disc.reading, whole, like) : whole), recipes: rules.recipes, tags: { ...disc.tags, work: '' } };
    },
    [disc, titleOf, proposal, rules],
  );

  /** Why pieces of a title can not be joined to a reel without re-encoding; null where they can. */
  const refusal = useCallback(
    (draftReel: DraftReel | undefined, titles: readonly number[]): string | null => {
      const first = titleOf(draftReel?.reel.pieces[0]?.title ?? -1);
      if (!first || !draftReel) return null;
      if (draftReel.jobId !== null) return 'This reel is on the queue already';
      for (const number of titles) {
        const other = titleOf(number);
        if (!other || (other.state !== 'usable' && other.state !== 'damaged')) return `Title ${number} can not be taken`;
        const problem = joinProblem(first, other);
        if (problem) return `${problem}: they can not be joined without re-encoding. Make a reel of each.`;
      }
      return null;
    },
    [titleOf],
  );

  const merge = useCallback(
    (into: string, from: string) => {
      change((all) => {
        const [target, source] = [all.find((r) => r.id === into), all.find((r) => r.id === from)];
        if (!target || !source || into === from) return all;
        return all.filter((r) => r.id !== from).map((r) => (r.id === into ? { ...r, reel: mergeReels(target.reel, source.reel) } : r));
      });
    },
    [change],
  );

  const addTitle = useCallback(
    (into: string, number: number) => {
      const added = ruledReel(number);
      if (added) change((all) => all.map((r) => (r.id === into ? { ...r, reel: mergeReels(r.reel, { ...added, chapterNames: [] }) } : r)));
    },
    [change, ruledReel],
  );

  const actionsOf = useCallback(
    (draftReel: DraftReel): ReelActions => {
      const { reel, id } = draftReel;
      const [piece] = reel.pieces;
      const title = piece && titleOf(piece.title);
      const finding = disc?.findings.titles.find((f) => f.title === piece?.title);
      const single = reel.pieces.length === 1 && piece && title && draftReel.jobId === null;
      const at = reels.findIndex((r) => r.id === id);
      const before = at > 0 ? reels[at - 1] : undefined;
      const problem = before
        ? refusal(
            before,
            reel.pieces.map((p) => p.title),
          )
        : null;
      const roleOf = (r: DraftReel) => disc?.findings.titles.find((f) => f.title === r.reel.pieces[0]?.title)?.role;
      const alike = reels.filter((r) => r.id !== id && r.jobId === null && roleOf(r) === roleOf(draftReel));
      const others = reels.filter((r) => chosen.has(r.id) && r.id !== id && r.jobId === null);
      const unlike = others.find((o) =>
        refusal(
          draftReel,
          o.reel.pieces.map((p) => p.title),
        ),
      );
      const likeThis = (ids: ReadonlySet<string>) => {
        if (disc) change((all) => all.map((r) => (ids.has(r.id) ? { ...r, reel: withTracksLike(disc.reading, r.reel, reel) } : r)));
      };
      const role = roleOf(draftReel);
      const series = disc?.tags.series ?? '';
      const here = single && moment?.title === title.number ? moment.ms : null;
      return {
        onEdit: (part) => {
          setEditing({ id, part });
        },
        onDivideByChapter:
          single && dividingChapters(title, piece).length > 0
            ? () => {
                replace(id, divideByChapters(title, reel, dividingChapters(title, piece)));
              }
            : null,
        onDivideAtWorks:
          single && (finding?.divisions.length ?? 0) > 1
            ? () => {
                replace(id, divideByChapters(title, reel, finding?.divisions ?? []));
              }
            : null,
        onDivide: single
          ? () => {
              setDividing(id);
            }
          : null,
        onDivideAtMoment:
          single && here !== null
            ? () => {
                replace(id, divideAt(title, reel, [here]));
              }
            : null,
        onDivideByAngle:
          single && title.angles > 1
            ? () => {
                replace(id, divideByAngles(title, reel));
              }
            : null,
        onMergeIntoBefore:
          before && !problem
            ? () => {
                merge(before.id, id);
              }
            : null,
        mergeProblem: problem,
        onApplyToAll:
          disc && alike.length > 0
            ? () => {
                likeThis(new Set(alike.map((r) => r.id)));
              }
            : null,
        likeIt: alike.length,
        onApplyToChosen:
          others.length > 0
            ? () => {
                likeThis(new Set(others.map((r) => r.id)));
              }
            : null,
        onMergeChosen:
          others.length > 0 && !unlike && draftReel.jobId === null
            ? () => {
                const gone = new Set(others.map((r) => r.id));
                const merged = others.reduce((into, o) => mergeReels(into, o.reel), reel);
                change((all) => all.filter((r) => !gone.has(r.id)).map((r) => (r.id === id ? { ...r, reel: merged } : r)));
                setChosen(new Set());
              }
            : null,
        chosen: others.length,
        onKeepForSet:
          title && role && series !== ''
            ? () => {
                const choice = choiceFrom(series, role, title, reel);
                const rest = rules.sets.filter((s) => s.series !== series || s.role !== role);
                void saveRules({ ...rules, sets: [...rest, choice] }).then(() => {
                  setSaid(`Kept: on other discs of “${series}”, ${ROLE_PLURAL[role]} get these tracks and recipes.`);
                });
              }
            : null,
        series,
      };
    },
    [titleOf, disc, reels, refusal, moment, replace, merge, change, chosen, rules],
  );

  const proposeAgain = useCallback(() => {
    if (!proposal) return;
    change((all) => {
      const made = all.filter((r) => r.jobId !== null);
      const fresh = proposal.reels
        .filter((reel) => !made.some((m) => m.reel.pieces[0]?.title === reel.pieces[0]?.title))
        .map((reel) => ({ id: crypto.randomUUID(), reel, jobId: null }));
      return [...made, ...fresh];
    });
  }, [change, proposal]);

  return {
    editing,
    setEditing,
    chosen,
    setChosen,
    dividing,
    setDividing,
    replace,
    said,
    proposal,
    ruledReel,
    refusal,
    merge,
    addTitle,
    actionsOf,
    proposeAgain,
  };
}
