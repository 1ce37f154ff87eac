import { useCallback, useMemo, useState } from 'react';
import { possibleActions, type TitleMoment } from '@/core/reels';
import type { DiscRecord, DraftReel } from '@/store/db';
import { discState } from '@/store/disc-state';
import { proposalOf, useDraft } from '@/store/draft';
import { useEngine } from '@/store/engine';
import { fetchPictures, knownPicture } from '@/store/looks';
import { sizeFactors } from '@/store/history';
import { useTried } from '@/store/trials';
import { useOutputs } from '@/store/outputs';
import { useRecipes } from '@/store/recipes';
import { useRules } from '@/store/rules';
import { quietSource, readableSources } from '@/store/sources';
import { storageOf } from '@/store/submit';
import { useKept } from '../parts/use-kept';
import type { BenchDialog, BenchView } from './bench-context';
import { PARTS } from './editor/parts';
import { placesOf } from './reels/places';
import { useReelCommands } from './reels/use-reel-commands';

const COVER_WIDTH = 480;
const NO_REELS: readonly DraftReel[] = [];

/** Everything the parts of a Bench share: what is looked at, what is selected, and what can be done. */
export function useBenchView(disc: DiscRecord): BenchView {
  const draft = useDraft(disc);
  const rules = useRules();
  const recipes = useRecipes();
  const engine = useEngine().state;
  const outputs = useOutputs();
  const [chosenTitle, selectTitle] = useState<number | null>(null);
  const [selectedId, setSelected] = useState<string | null>(null);
  const [lookedAt, look] = useState<TitleMoment | null>(null);
  const [chosen, choose] = useState<ReadonlySet<string>>(new Set());
  const [dialog, openDialog] = useState<BenchDialog | null>(null);
  const [stretch, setStretch] = useState<{ readonly id: string } | null>(null);
  const [editorOpen, keepEditorOpen] = useKept('bench-editor', ['open', 'closed'], 'open');
  const [part, keepPart] = useKept('bench-editor-part', PARTS, 'Chapters');
  const tried = useTried(disc.fingerprint);
  const experience = useMemo(() => ({ factors: sizeFactors(outputs ?? []), tried }), [outputs, tried]);
  const proposal = useMemo(() => proposalOf(disc, rules), [disc, rules]);
  const commands = useReelCommands(disc, draft, rules, proposal);
  const reels = draft.record?.reels ?? NO_REELS;
  const titleNumber =
    chosenTitle ??
    reels[0]?.reel.pieces[0]?.title ??
    disc.findings.mainTitle ??
    disc.findings.outOfReach ??
    disc.reading.titles[0]?.number ??
    null;
  const title = disc.reading.titles.find((t) => t.number === titleNumber) ?? null;
  const moment = lookedAt?.title === titleNumber ? lookedAt : null;
  const ofTitle = reels.filter((r) => r.reel.pieces.some((p) => p.title === titleNumber));
  const taking = ofTitle.find((r) => r.id === selectedId) ?? ofTitle.find((r) => r.jobId === null) ?? ofTitle[0] ?? null;
  const selected = reels.find((r) => r.id === selectedId) ?? taking;
  const source = quietSource(readableSources(disc, engine), engine);
  const storage = storageOf(draft.record, engine)?.id ?? null;
  const places = useMemo(() => placesOf(disc, draft, rules, outputs ?? [], storage), [disc, draft, rules, outputs, storage]);
  const { coverage } = useMemo(
    () => discState(disc, draft.record ?? undefined, engine?.jobs ?? [], outputs ?? []),
    [disc, draft.record, engine?.jobs, outputs],
  );
  const selectReel = useCallback((reel: DraftReel) => {
    setSelected(reel.id);
    selectTitle(reel.reel.pieces[0]?.title ?? null);
  }, []);
  const possible = useCallback((reel: DraftReel) => possibleActions(disc, reels, reel, chosen, moment), [disc, reels, chosen, moment]);
  return {
    disc,
    draft,
    rules,
    recipes,
    experience,
    engine,
    proposal,
    coverage,
    source,
    reels,
    places,
    commands,
    possible,
    title,
    selectTitle,
    moment,
    look,
    pictureLookedAt:
      source && moment
        ? async () => {
            const wish = { source: source.ref, reading: disc.reading, title: moment.title, angle: 1, width: COVER_WIDTH };
            await fetchPictures(wish, [moment.ms]);
            return knownPicture(wish, moment.ms) ?? null;
          }
        : null,
    selected,
    selectReel,
    taking,
    take: () => {
      const id = titleNumber === null ? null : commands.take(titleNumber);
      if (id) setSelected(id);
    },
    chosen,
    choose,
    editing: editorOpen === 'open' && selected?.jobId === null ? part : null,
    lastPart: part,
    edit: (next) => {
      keepEditorOpen(next === null ? 'closed' : 'open');
      if (next !== null) keepPart(next);
    },
    dialog,
    openDialog,
    stretch,
    showStretch: (id) => {
      setStretch({ id });
    },
  };
}
