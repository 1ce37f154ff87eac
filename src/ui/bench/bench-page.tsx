'use client';

import { DndContext, PointerSensor, useSensor, useSensors, type DragEndEvent } from '@dnd-kit/core';
import { Columns2, Info, Redo2, Undo2, WandSparkles } from 'lucide-react';
import Link from 'next/link';
import { useCallback, useEffect, useMemo, useState } from 'react';
import { NO_TAGS, type Reel } from '@/core/reels';
import { useDisc } from '@/store/live';
import type { DiscRecord, DraftReel } from '@/store/db';
import { discState } from '@/store/disc-state';
import { useDraft } from '@/store/draft';
import { useEngine } from '@/store/engine';
import { reelsWithFacts } from '@/store/facts';
import { fetchPictures, knownPicture } from '@/store/looks';
import { considerMeasuring } from '@/store/measures-by-rule';
import { useOutputs } from '@/store/outputs';
import { useRules } from '@/store/rules';
import { plural } from '../format';
import { Button, Empty, StateText } from '../parts/controls';
import { CoverageBar, coverageText } from '../parts/coverage-bar';
import { inField } from '../parts/in-field';
import { discSentence, remarkText } from '../words';
import { CompareDialog } from './compare-dialog';
import { CoverageDialog } from './coverage-dialog';
import { DiscFactsDialog } from './disc-facts';
import { DiscMap } from './disc-map';
import { Dossier } from './dossier';
import { QueueBox } from './queue-box';
import { ReelCards } from './reel-cards';
import { DivideDialog } from './reel/divide-dialog';
import { ReelEditor } from './reel/reel-editor';
import { quietSource, readableSources } from '@/store/sources';
import { placesOf, useBench } from './use-bench';

const COVER_WIDTH = 480;

/** The one screen where the deciding happens. */
export function BenchPage({ discId }: { discId: string }) {
  const disc = useDisc(discId);
  if (disc === undefined)
    return (
      <div className="flex h-full">
        <Empty title="Opening the disc…" />
      </div>
    );
  if (disc === null)
    return (
      <div className="flex h-full">
        <Empty title="This disc is not in the catalogue of this browser">
          <Link href="/" className="underline">
            Read it on the Shelf
          </Link>
          : that takes a few seconds.
        </Empty>
      </div>
    );
  return <Bench disc={disc} />;
}

function Bench({ disc }: { disc: DiscRecord }) {
  const draft = useDraft(disc);
  const rules = useRules();
  const { state } = useEngine();
  const outputs = useOutputs();
  const [chosenTitle, setTitle] = useState<number | null>(null);
  const [chosenReel, setReel] = useState<string | null>(null);
  const [moments, setMoments] = useState<{ title: number; ms: number } | null>(null);
  const [open, setOpen] = useState<'compare' | 'facts' | 'coverage' | null>(null);
  const [stretch, setStretch] = useState<{ readonly id: string } | null>(null);
  const [dragged, setDragged] = useState<readonly number[]>([]);
  const sensors = useSensors(useSensor(PointerSensor, { activationConstraint: { distance: 6 } }));
  const reels = useMemo(() => draft.record?.reels ?? [], [draft.record]);
  const titleNumber =
    chosenTitle ??
    reels[0]?.reel.pieces[0]?.title ??
    disc.findings.mainTitle ??
    disc.findings.outOfReach ??
    disc.reading.titles[0]?.number ??
    null;
  const title = disc.reading.titles.find((t) => t.number === titleNumber) ?? null;
  const moment = moments?.title === titleNumber ? moments : null;
  const bench = useBench(disc, draft, rules, moment);
  const ofTitle = reels.filter((r) => r.reel.pieces.some((p) => p.title === titleNumber));
  const current: DraftReel | null = ofTitle.find((r) => r.id === chosenReel) ?? ofTitle.find((r) => r.jobId === null) ?? ofTitle[0] ?? null;
  const selected = reels.find((r) => r.id === chosenReel) ?? current;
  const source = quietSource(readableSources(disc, state), state);

  useEffect(() => {
    considerMeasuring(disc.fingerprint);
  }, [disc.fingerprint]);
  const { change } = draft;
  const changeReel = useCallback(
    (id: string, reel: Reel) => {
      change((all) => all.map((r) => (r.id === id ? { ...r, reel } : r)));
    },
    [change],
  );
  const { ruledReel } = bench;
  const take = useCallback(() => {
    const reel = titleNumber === null ? null : ruledReel(titleNumber);
    if (!reel) return;
    const id = crypto.randomUUID();
    change((all) => [...all, { id, reel, jobId: null }]);
    setReel(id);
  }, [titleNumber, ruledReel, change]);
  const look = useCallback((number: number, ms: number | null) => {
    setMoments(ms === null ? null : { title: number, ms });
  }, []);
  /** The picture that is looked at; null where it can not be had. */
  const pictureLookedAt = async (): Promise<string | null> => {
    if (!source || !moment) return null;
    const wish = { source: source.ref, reading: disc.reading, title: moment.title, angle: 1, width: COVER_WIDTH };
    await fetchPictures(wish, [moment.ms]);
    return knownPicture(wish, moment.ms) ?? null;
  };
  const coverFrom = async (id: string) => {
    const cover = await pictureLookedAt();
    if (!cover) return;
    change((all) => all.map((r) => (r.id === id ? { ...r, reel: { ...r.reel, tags: { ...NO_TAGS, ...r.reel.tags, cover } } } : r)));
  };

  useEffect(() => {
    const onKey = (event: KeyboardEvent) => {
      if (inField(event.target) || event.altKey) return;
      const key = event.key.toLowerCase();
      if ((event.ctrlKey || event.metaKey) && key === 'z') {
        event.preventDefault();
        (event.shiftKey ? draft.redo : draft.undo)?.();
        return;
      }
      if (event.ctrlKey || event.metaKey) return;
      const actions = selected ? bench.actionsOf(selected) : null;
      if (key === 't' && ofTitle.length === 0) take();
      else if (key === 'a' && selected && title && !bench.refusal(selected, [title.number])) bench.addTitle(selected.id, title.number);
      else if (key === 'e' && selected && selected.jobId === null) bench.setEditing({ id: selected.id, part: 'Pieces' });
      else if (key === 'm') actions?.onMergeIntoBefore?.();
      else if (key === 'd') actions?.onDivideAtMoment?.();
      else if (key === 'c') setOpen('compare');
      else if (key === 'p') document.querySelector<HTMLButtonElement>('[data-action=play]')?.click();
      else if (key === 'q') document.querySelector<HTMLButtonElement>('[data-action=queue]')?.click();
      else return;
      event.preventDefault();
    };
    window.addEventListener('keydown', onKey);
    return () => {
      window.removeEventListener('keydown', onKey);
    };
  }, [draft, take, ofTitle.length, selected, title, bench]);

  const storage = (state?.storages ?? []).find((s) => s.id === draft.record?.storage)?.id ?? state?.storages[0]?.id ?? null;
  const places = useMemo(() => placesOf(disc, draft, rules, outputs ?? [], storage), [disc, draft, rules, outputs, storage]);
  const { coverage } = useMemo(
    () => discState(disc, draft.record ?? undefined, state?.jobs ?? [], outputs ?? []),
    [disc, draft.record, state?.jobs, outputs],
  );
  const remarks = disc.reading.remarks.filter((r) => r.title === null);
  const titlesOf = (id: string): readonly number[] => {
    if (id.startsWith('lane ')) return [Number(id.slice(5))];
    return reels.find((r) => `card ${r.id}` === id)?.reel.pieces.map((p) => p.title) ?? [];
  };
  const onDragEnd = ({ active, over }: DragEndEvent) => {
    setDragged([]);
    const target = over && reels.find((r) => `reel ${r.id}` === String(over.id));
    const id = String(active.id);
    if (!target || bench.refusal(target, titlesOf(id))) return;
    if (id.startsWith('lane ')) bench.addTitle(target.id, Number(id.slice(5)));
    else bench.merge(target.id, id.slice(5));
    setReel(target.id);
  };
  const divided = reels.find((r) => r.id === bench.dividing && r.jobId === null);
  const edited = reels.find((r) => r.id === bench.editing?.id && r.jobId === null);
  return (
    <DndContext
      id="bench"
      sensors={sensors}
      onDragStart={({ active }) => {
        setDragged(titlesOf(String(active.id)));
      }}
      onDragCancel={() => {
        setDragged([]);
      }}
      onDragEnd={onDragEnd}
    >
      <div className="mx-auto flex h-full max-w-[2400px] flex-col gap-3 px-5 pt-3 pb-4">
        <div className="flex items-end justify-between gap-6">
          <div className="min-w-0">
            <div className="flex items-center gap-2">
              <h1 className="truncate font-serif text-[24px] leading-tight font-medium">{disc.name}</h1>
              <Button
                tone="quiet"
                aria-label="About this disc"
                title="About this disc"
                className="px-1.5"
                onClick={() => {
                  setOpen('facts');
                }}
              >
                <Info size={15} aria-hidden />
              </Button>
            </div>
            <p className="truncate font-serif text-[15px] text-second italic">{discSentence(disc.reading, disc.findings)}</p>
            {remarks.slice(0, 2).map((r) => (
              <p key={r.detail} title={r.detail}>
                <StateText state={r.severity === 'note' ? 'none' : r.severity === 'warning' ? 'eyes' : 'damaged'}>
                  {remarkText(r)}
                </StateText>
              </p>
            ))}
          </div>
          <div className="w-[380px] shrink-0">
            <button
              type="button"
              className="block w-full text-right text-second hover:text-ink"
              title="What has become of this disc, and why"
              aria-label={`Coverage: ${coverageText(coverage)}. Show why`}
              onClick={() => {
                setOpen('coverage');
              }}
            >
              <span className="block truncate pb-1 underline-offset-2 hover:underline">{coverageText(coverage)}</span>
              <CoverageBar coverage={coverage} />
            </button>
          </div>
        </div>
        <div className="grid min-h-0 flex-1 grid-cols-[minmax(0,1fr)_minmax(380px,436px)] gap-4">
          <DiscMap disc={disc} selected={titleNumber} onSelect={setTitle} reels={reels} stretch={stretch} />
          {title ? (
            <Dossier
              disc={disc}
              title={title}
              draft={current}
              source={source}
              rules={rules}
              decision={bench.proposal?.decisions.find((d) => d.title === title.number) ?? null}
              moment={moment?.ms ?? null}
              onLook={look}
              onTake={take}
              onChange={(reel) => {
                if (current) changeReel(current.id, reel);
              }}
            />
          ) : (
            <Empty title="No title to show" />
          )}
        </div>
        <section aria-label="What will be made" className="flex flex-col gap-1.5">
          <div className="flex items-center gap-1">
            <h2 className="pr-1 font-serif text-[15px] font-semibold">{plural(reels.length, 'reel')}</h2>
            <Button
              tone="quiet"
              onClick={() => draft.undo?.()}
              disabled={!draft.undo}
              aria-label="Undo"
              title="Undo (Ctrl Z)"
              className="px-1.5"
            >
              <Undo2 size={14} aria-hidden />
            </Button>
            <Button
              tone="quiet"
              onClick={() => draft.redo?.()}
              disabled={!draft.redo}
              aria-label="Redo"
              title="Redo (Ctrl Shift Z)"
              className="px-1.5"
            >
              <Redo2 size={14} aria-hidden />
            </Button>
            <Button tone="quiet" onClick={bench.proposeAgain} title="What is not on the queue is proposed anew by the house rules">
              <WandSparkles size={14} aria-hidden /> By the house rules
            </Button>
            <Button
              tone="quiet"
              onClick={() => {
                setOpen('compare');
              }}
              title="Compare the title with another (C)"
            >
              <Columns2 size={14} aria-hidden /> Compare
            </Button>
            {bench.said && (
              <span role="status" className="truncate pl-2 text-second">
                {bench.said}
              </span>
            )}
          </div>
          <div className="flex gap-4">
            <ReelCards
              disc={disc}
              reels={reels}
              places={places}
              actionsOf={bench.actionsOf}
              refusalOf={(r) => (dragged.length > 0 ? bench.refusal(r, dragged) : null)}
              selected={selected?.id ?? null}
              chosen={bench.chosen}
              onChosen={bench.setChosen}
              engine={state}
              onSelect={(r) => {
                setReel(r.id);
                setTitle(r.reel.pieces[0]?.title ?? null);
              }}
              onChange={changeReel}
              onPlanAgain={draft.planAgain}
              onRemove={(id) => {
                change((all) => all.filter((r) => r.id !== id));
              }}
            />
            <QueueBox disc={disc} draft={draft} engine={state} places={places} />
          </div>
        </section>
      </div>
      {edited && bench.editing && (
        <ReelEditor
          disc={disc}
          reel={edited.reel}
          part={bench.editing.part}
          path={places.get(edited.id)?.path ?? ''}
          clash={places.get(edited.id)?.clash ?? false}
          onChange={(reel) => {
            changeReel(edited.id, reel);
          }}
          onCover={source && moment ? () => void coverFrom(edited.id) : null}
          onClose={() => {
            bench.setEditing(null);
          }}
        />
      )}
      {divided && bench.dividing && (
        <DivideDialog
          disc={disc}
          reel={divided.reel}
          onDivide={(reels) => {
            bench.replace(divided.id, reels);
          }}
          onClose={() => {
            bench.setDividing(null);
          }}
        />
      )}
      {open === 'compare' && title && (
        <CompareDialog
          disc={disc}
          title={title}
          source={source}
          onClose={() => {
            setOpen(null);
          }}
        />
      )}
      {open === 'coverage' && (
        <CoverageDialog
          disc={disc}
          coverage={coverage}
          proposal={bench.proposal}
          reels={reels.map((r) => r.reel)}
          onTitle={setTitle}
          onStretch={(id) => {
            setStretch({ id });
          }}
          onClose={() => {
            setOpen(null);
          }}
        />
      )}
      {open === 'facts' && (
        <DiscFactsDialog
          disc={disc}
          onLook={source && moment ? pictureLookedAt : null}
          onClose={() => {
            setOpen(null);
          }}
          onSaved={(now) => {
            void reelsWithFacts(reels, disc, now).then((next) => {
              change(() => next);
            });
          }}
        />
      )}
    </DndContext>
  );
}
