'use client';

import { useLiveQuery } from 'dexie-react-hooks';
import { Redo2, Undo2 } from 'lucide-react';
import Link from 'next/link';
import { useCallback, useEffect, useState } from 'react';
import { safeFolderPath, wholeTitleReel, type Reel } from '@/core/reels';
import { catalogue, type DraftReel } from '@/store/db';
import { discState } from '@/store/disc-state';
import { useDraft } from '@/store/draft';
import { useEngine } from '@/store/engine';
import { useOutputs } from '@/store/outputs';
import { plural } from '../format';
import { Button, Empty, StateText } from '../parts/controls';
import { CoverageBar, coverageText } from '../parts/coverage-bar';
import { discSentence, remarkText } from '../words';
import { DiscMap } from './disc-map';
import { Dossier } from './dossier';
import { QueueBox } from './queue-box';
import { ReelCards } from './reel-cards';
import { quietSource, readableSources } from './sources';

const inField = (target: EventTarget | null) => target instanceof HTMLElement && /^(INPUT|SELECT|TEXTAREA)$/.test(target.tagName);

/** The one screen where the deciding happens. */
export function BenchPage({ discId }: { discId: string }) {
  const disc = useLiveQuery(async () => (await catalogue.discs.where('fingerprint').startsWith(discId).first()) ?? null, [discId]);
  const draft = useDraft(disc ?? null);
  const { state } = useEngine();
  const outputs = useOutputs();
  const [chosenTitle, setTitle] = useState<number | null>(null);
  const [chosenReel, setReel] = useState<string | null>(null);
  const reels = draft.record?.reels ?? [];
  const titleNumber =
    chosenTitle ??
    reels[0]?.reel.pieces[0]?.title ??
    disc?.findings.mainTitle ??
    disc?.findings.outOfReach ??
    disc?.reading.titles[0]?.number ??
    null;
  const title = disc?.reading.titles.find((t) => t.number === titleNumber) ?? null;
  const ofTitle = reels.filter((r) => r.reel.pieces.some((p) => p.title === titleNumber));
  const current: DraftReel | null = ofTitle.find((r) => r.id === chosenReel) ?? ofTitle.find((r) => r.jobId === null) ?? ofTitle[0] ?? null;

  const changeReel = useCallback(
    (id: string, reel: Reel) => {
      draft.change((all) => all.map((r) => (r.id === id ? { ...r, reel } : r)));
    },
    [draft],
  );
  const take = useCallback(() => {
    if (!disc || !title || (title.state !== 'usable' && title.state !== 'damaged')) return;
    const id = crypto.randomUUID();
    const isMatter = disc.findings.mainTitle === title.number && disc.findings.kind === 'film';
    const name = isMatter ? disc.name : `${disc.name} - title ${String(title.number)}`;
    draft.change((all) => [...all, { id, reel: wholeTitleReel(title, name), jobId: null }]);
    setReel(id);
  }, [disc, title, draft]);

  useEffect(() => {
    const onKey = (event: KeyboardEvent) => {
      if (inField(event.target) || event.altKey) return;
      const key = event.key.toLowerCase();
      if ((event.ctrlKey || event.metaKey) && key === 'z') {
        event.preventDefault();
        (event.shiftKey ? draft.redo : draft.undo)?.();
      } else if (event.ctrlKey || event.metaKey) return;
      else if (key === 't' && ofTitle.length === 0) take();
      else if (key === 'q') document.querySelector<HTMLButtonElement>('[data-action=queue]')?.click();
    };
    window.addEventListener('keydown', onKey);
    return () => {
      window.removeEventListener('keydown', onKey);
    };
  }, [draft, take, ofTitle.length]);

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
  const source = quietSource(readableSources(disc, state), state);
  const { coverage } = discState(disc, draft.record ?? undefined, state?.jobs ?? [], outputs ?? []);
  const remarks = disc.reading.remarks.filter((r) => r.title === null);
  return (
    <div className="mx-auto flex h-full max-w-[2400px] flex-col gap-3 px-5 pt-3 pb-4">
      <div className="flex items-end justify-between gap-6">
        <div className="min-w-0">
          <h1 className="truncate font-serif text-[24px] leading-tight font-medium">{disc.name}</h1>
          <p className="truncate font-serif text-[15px] text-second italic">{discSentence(disc.reading, disc.findings)}</p>
          {remarks.slice(0, 2).map((r) => (
            <p key={r.detail} title={r.detail}>
              <StateText state={r.severity === 'note' ? 'none' : r.severity === 'warning' ? 'eyes' : 'damaged'}>{remarkText(r)}</StateText>
            </p>
          ))}
        </div>
        <div className="w-[380px] shrink-0">
          <p className="pb-1 text-right text-second">{coverageText(coverage)}</p>
          <CoverageBar coverage={coverage} />
        </div>
      </div>
      <div className="grid min-h-0 flex-1 grid-cols-[minmax(0,1fr)_minmax(380px,436px)] gap-4">
        <DiscMap disc={disc} selected={titleNumber} onSelect={setTitle} reels={reels} />
        {title ? (
          <Dossier
            disc={disc}
            title={title}
            draft={current}
            source={source}
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
        <div className="flex items-center gap-2">
          <h2 className="font-serif text-[15px] font-semibold">{plural(reels.length, 'reel')}</h2>
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
        </div>
        <div className="flex gap-4">
          <ReelCards
            disc={disc}
            reels={reels}
            selected={current?.id ?? null}
            engine={state}
            onSelect={(r) => {
              setReel(r.id);
              setTitle(r.reel.pieces[0]?.title ?? null);
            }}
            onChange={changeReel}
            folder={safeFolderPath(draft.record?.folder ?? '')}
            onPlanAgain={draft.planAgain}
            onRemove={(id) => {
              draft.change((all) => all.filter((r) => r.id !== id));
            }}
          />
          <QueueBox disc={disc} draft={draft} engine={state} />
        </div>
      </section>
    </div>
  );
}
