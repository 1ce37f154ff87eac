'use client';

import { useDraggable, useDroppable } from '@dnd-kit/core';
import { GripVertical, X } from 'lucide-react';
import Link from 'next/link';
import { useMemo } from 'react';
import { layoutMap, type Role } from '@/core/findings';
import { RECIPE_ENDING, estimateReel, type RecipeId, type Reel } from '@/core/reels';
import type { EngineState, JobState } from '@/contract';
import type { DiscRecord, DraftReel } from '@/store/db';
import { bytes, clock, list } from '../format';
import { Mark, StateText } from '../parts/controls';
import { ReelMenu, type ReelActions } from './reel/reel-menu';
import { hueOf } from './hues';
import { JOB, RECIPE, RECIPE_NOTE } from '../words';

/** What is said of a reel that takes the main title's material once more. */
const SECOND: Partial<Readonly<Record<Role, string>>> = {
  cut: 'another cut',
  version: 'same picture',
  duplicate: 'a duplicate',
  decoy: 'a decoy',
  'play-all': 'a play-all',
};
const ALL: readonly RecipeId[] = ['master', 'access'];

function RecipeBoxes({ reel, onChange, disabled }: { reel: Reel; onChange: (reel: Reel) => void; disabled: boolean }) {
  return (
    <div className="flex gap-3">
      {ALL.map((id) => (
        <label key={id} title={RECIPE_NOTE[id]} className="flex items-center gap-1">
          <input
            type="checkbox"
            className="accent-(--accent)"
            checked={reel.recipes.includes(id)}
            disabled={disabled || (reel.recipes.length === 1 && reel.recipes[0] === id)}
            onChange={(e) => {
              onChange({ ...reel, recipes: ALL.filter((r) => (r === id ? e.target.checked : reel.recipes.includes(r))) });
            }}
          />
          {RECIPE[id]}
        </label>
      ))}
    </div>
  );
}

function JobLine({ job, onPlanAgain }: { job: JobState | undefined; onPlanAgain: () => void }) {
  const again = (
    <button
      type="button"
      className="underline hover:text-ink"
      onClick={(e) => {
        e.stopPropagation();
        onPlanAgain();
      }}
    >
      Plan again
    </button>
  );
  if (!job)
    return (
      <span className="flex justify-between gap-2">
        <StateText state="none">no longer on the queue</StateText>
        {again}
      </span>
    );
  const state = job.state === 'done' ? 'kept' : job.state === 'failed' || job.state === 'cancelled' ? 'damaged' : 'running';
  const share = job.state === 'running' && job.total > 0 ? `, ${Math.floor((100 * job.done) / job.total)} %` : '';
  return (
    <span className="flex justify-between gap-2">
      <Link href={job.state === 'done' ? '/vault' : '/queue'} className="hover:underline">
        <StateText state={state}>
          {JOB[job.state]}
          {share}
        </StateText>
      </Link>
      {(job.state === 'failed' || job.state === 'cancelled') && again}
    </span>
  );
}

interface CardProps {
  /** Identity of each title's material on the map. */
  readonly contents: ReadonlyMap<number, number>;
  readonly disc: DiscRecord;
  readonly draft: DraftReel;
  readonly place: string;
  readonly selected: boolean;
  /** Chosen with others, for what is done with many; null where there is only one reel. */
  readonly chosen: boolean | null;
  readonly onChosen: (on: boolean) => void;
  readonly jobs: readonly JobState[];
  readonly onSelect: () => void;
  readonly onChange: (reel: Reel) => void;
  readonly onRemove: () => void;
  readonly onPlanAgain: () => void;
  readonly actions: ReelActions;
  /** Where the file will be, and whether something of that name is there or planned. */
  readonly path: string;
  readonly clash: boolean;
  /** Why something dragged over it can not be joined; null where it can. */
  readonly refusal: string | null;
}

function ReelCard({
  disc,
  contents,
  draft,
  place,
  path,
  clash,
  refusal,
  selected,
  chosen,
  onChosen,
  jobs,
  actions,
  onSelect,
  onChange,
  onRemove,
  onPlanAgain,
}: CardProps) {
  const { reel, jobId } = draft;
  const estimate = estimateReel(disc.reading, reel);
  const locked = jobId !== null;
  // A second main title may be wanted, but not by mistake.
  const role = disc.findings.titles.find((f) => f.title === reel.pieces[0]?.title)?.role ?? 'extra';
  const remark = SECOND[role] ?? null;
  const { setNodeRef: dropRef, isOver } = useDroppable({ id: `reel ${draft.id}`, disabled: locked });
  const { setNodeRef: dragRef, listeners, attributes, isDragging } = useDraggable({ id: `card ${draft.id}`, disabled: locked });
  const pieces = reel.pieces.map((p) => {
    const chapters = disc.reading.titles.find((t) => t.number === p.title)?.chapters.length ?? 0;
    if (p.range) return `title ${p.title}, ${clock(p.range.fromMs)} to ${clock(p.range.toMs)}`;
    return `title ${p.title}${p.fromChapter === 1 && p.toChapter === chapters ? (chapters > 1 ? `, all ${chapters} chapters` : '') : `, chapters ${p.fromChapter} to ${p.toChapter}`}`;
  });
  return (
    <article
      ref={dropRef}
      aria-label={`Reel ${reel.name}`}
      onClick={onSelect}
      className={`flex w-[336px] shrink-0 flex-col gap-1.5 rounded-[8px] border bg-card px-3 py-2 ${isOver ? (refusal ? 'border-eyes' : 'border-planned shadow-[inset_0_0_0_2px_var(--planned)]') : selected ? 'border-accent shadow-[inset_0_0_0_1px_var(--accent)]' : 'border-line'} ${isDragging ? 'opacity-60' : ''}`}
    >
      <div className="flex items-center gap-2">
        {!locked && chosen !== null && (
          <input
            type="checkbox"
            aria-label={`Choose the reel ${reel.name}`}
            title="Choose several to change or merge them together"
            className="accent-(--accent)"
            checked={chosen}
            onClick={(e) => {
              e.stopPropagation();
            }}
            onChange={(e) => {
              onChosen(e.target.checked);
            }}
          />
        )}
        {!locked && (
          <span
            ref={dragRef}
            {...listeners}
            {...attributes}
            aria-label={`Drag the reel ${reel.name} onto another to merge them`}
            title="Drag onto another reel to merge"
            className="cursor-grab touch-none text-third hover:text-ink"
          >
            <GripVertical size={14} aria-hidden />
          </span>
        )}
        <input
          aria-label="Name of the reel"
          value={reel.name}
          disabled={locked}
          onFocus={onSelect}
          onChange={(e) => {
            onChange({ ...reel, name: e.target.value });
          }}
          className="min-w-0 flex-1 rounded-[4px] border border-transparent bg-transparent font-serif text-[16px] font-semibold hover:border-line focus:border-line"
        />
        <span className="text-[12px] text-third">{place}</span>
        {!locked && <ReelMenu name={reel.name} actions={actions} />}
        <button
          type="button"
          aria-label={`Remove the reel ${reel.name}`}
          title="Remove"
          onClick={(e) => {
            e.stopPropagation();
            onRemove();
          }}
          className="text-third hover:text-ink"
        >
          <X size={14} aria-hidden />
        </button>
      </div>
      <div className="flex gap-px">
        {pieces.map((text, i) => (
          <div
            key={`${i} ${text}`}
            className={`min-w-0 flex-1 truncate rounded-[3px] px-2 py-0.5 text-[12px] text-on-hue ${hueOf(contents.get(reel.pieces[i]?.title ?? 0) ?? 0)}`}
          >
            {text}
          </div>
        ))}
      </div>
      <div className="grid grid-cols-[62px_minmax(0,1fr)] gap-x-2">
        <span className="text-second">recipes</span>
        <RecipeBoxes reel={reel} onChange={onChange} disabled={locked} />
        <span className="text-second">tracks</span>
        <span className={`truncate ${remark ? 'font-medium' : ''}`}>
          {remark && <StateText state="eyes">{remark},</StateText>}
          {remark && ' '}
          {isOver && refusal ? (
            <StateText state="eyes">{refusal}</StateText>
          ) : (
            <button
              type="button"
              className="underline-offset-2 hover:underline"
              disabled={locked}
              onClick={(e) => {
                e.stopPropagation();
                actions.onEdit('Tracks');
              }}
            >
              {list([
                `${reel.audio.length + (reel.addedAudio?.length ?? 0)} audio`,
                `${reel.subtitles.length + (reel.added?.length ?? 0)} subtitle`,
              ])}
            </button>
          )}
          , {clock(estimate.durationMs)}
        </span>
        <span className="text-second">size</span>
        <span className="truncate">
          about {list(reel.recipes.map((r) => bytes(r === 'master' ? estimate.masterBytes : estimate.accessBytes)))}
        </span>
        <span className="text-second">{locked ? 'job' : 'file'}</span>
        {locked ? (
          <JobLine job={jobs.find((j) => j.id === jobId)} onPlanAgain={onPlanAgain} />
        ) : (
          <span
            className={`truncate ${clash ? 'text-eyes' : ''}`}
            title={clash ? `${path}: a file of this name is planned or there already` : path}
          >
            {clash && <Mark state="eyes" />} {path}
            {reel.recipes.map((r) => RECIPE_ENDING[r]).join(', ')}
          </span>
        )}
      </div>
    </article>
  );
}

/** What will be produced: one card per reel. */
export function ReelCards({
  disc,
  reels,
  places,
  actionsOf,
  refusalOf,
  selected,
  chosen,
  onChosen,
  engine,
  onSelect,
  onChange,
  onRemove,
  onPlanAgain,
}: {
  disc: DiscRecord;
  reels: readonly DraftReel[];
  places: ReadonlyMap<string, { readonly path: string; readonly clash: boolean }>;
  actionsOf: (draft: DraftReel) => ReelActions;
  /** Why what is being dragged can not go into a reel. */
  refusalOf: (draft: DraftReel) => string | null;
  selected: string | null;
  chosen: ReadonlySet<string>;
  onChosen: (chosen: ReadonlySet<string>) => void;
  engine: EngineState | null;
  onSelect: (draft: DraftReel) => void;
  onChange: (id: string, reel: Reel) => void;
  onRemove: (id: string) => void;
  onPlanAgain: (id: string) => void;
}) {
  const contents = useMemo(
    () => new Map(layoutMap(disc.reading, disc.findings, 'place').lanes.map((l) => [l.title, l.blocks[0]?.content ?? 0])),
    [disc.reading, disc.findings],
  );
  return (
    <div className="flex min-w-0 flex-1 gap-3 overflow-x-auto p-px" role="group" aria-label="Reels">
      {reels.length === 0 && (
        <p className="flex flex-1 items-center justify-center rounded-[8px] border border-dashed border-line text-second">
          No reel yet: select a title on the map and take it.
        </p>
      )}
      {reels.map((draft, i) => (
        <ReelCard
          key={draft.id}
          disc={disc}
          contents={contents}
          draft={draft}
          path={places.get(draft.id)?.path ?? ''}
          clash={places.get(draft.id)?.clash ?? false}
          actions={actionsOf(draft)}
          refusal={refusalOf(draft)}
          place={`${i + 1} of ${reels.length}`}
          selected={draft.id === selected}
          chosen={reels.length > 1 ? chosen.has(draft.id) : null}
          onChosen={(on) => {
            const next = new Set(chosen);
            if (on) next.add(draft.id);
            else next.delete(draft.id);
            onChosen(next);
          }}
          jobs={engine?.jobs ?? []}
          onSelect={() => {
            onSelect(draft);
          }}
          onChange={(reel) => {
            onChange(draft.id, reel);
          }}
          onRemove={() => {
            onRemove(draft.id);
          }}
          onPlanAgain={() => {
            onPlanAgain(draft.id);
          }}
        />
      ))}
    </div>
  );
}
