import { useDraggable } from '@dnd-kit/core';
import { GripVertical, X } from 'lucide-react';
import Link from 'next/link';
import { MASTER, endingsOf } from '@/core/recipes';
import type { DraftReel } from '@/store/db';
import { bytes, list } from '../../format';
import { Mark, StateText } from '../../parts/controls';
import { RecipePick } from '../../parts/recipe-pick';
import { JOB } from '../../words-queue';
import { useBench } from '../bench-context';
import type { ReelFacts } from './use-reel';

/** What a card and a row do with a click of their own. */
const apart = (e: { stopPropagation: () => void }) => {
  e.stopPropagation();
};

export function RecipeBoxes({ draft, facts, short = false }: { draft: DraftReel; facts: ReelFacts; short?: boolean }) {
  const { commands, recipes } = useBench();
  return (
    <RecipePick
      chosen={draft.reel.recipes}
      recipes={recipes}
      disabled={draft.jobId !== null}
      short={short}
      remarks={facts.remarks}
      onChange={(id, on) => {
        commands.setRecipe(new Set([draft.id]), id, on);
      }}
    />
  );
}

export function ChooseBox({ draft, facts }: { draft: DraftReel; facts: ReelFacts }) {
  return (
    <input
      type="checkbox"
      aria-label={`Choose the reel ${draft.reel.name}`}
      title="Choose several to change or merge them together"
      className="accent-(--accent)"
      checked={facts.isChosen}
      onClick={apart}
      onChange={(e) => {
        facts.setChosen(e.target.checked);
      }}
    />
  );
}

export function Grip({ draft }: { draft: DraftReel }) {
  const { setNodeRef, listeners, attributes } = useDraggable({ id: `card ${draft.id}` });
  return (
    <span
      ref={setNodeRef}
      {...listeners}
      {...attributes}
      aria-label={`Drag the reel ${draft.reel.name} onto another to merge them`}
      title="Drag onto another reel to merge"
      className="cursor-grab touch-none text-third hover:text-ink"
    >
      <GripVertical size={14} aria-hidden />
    </span>
  );
}

export function ReelName({ draft, className = '' }: { draft: DraftReel; className?: string }) {
  const { commands, selectReel } = useBench();
  return (
    <input
      aria-label="Name of the reel"
      value={draft.reel.name}
      disabled={draft.jobId !== null}
      onFocus={() => {
        selectReel(draft);
      }}
      onChange={(e) => {
        commands.change(draft.id, { ...draft.reel, name: e.target.value });
      }}
      className={`min-w-0 rounded-[4px] border border-transparent bg-transparent font-serif font-semibold hover:border-line focus:border-line ${className}`}
    />
  );
}

export function RemoveReel({ draft }: { draft: DraftReel }) {
  const { commands } = useBench();
  return (
    <button
      type="button"
      aria-label={`Remove the reel ${draft.reel.name}`}
      title="Remove"
      onClick={(e) => {
        e.stopPropagation();
        commands.remove(new Set([draft.id]));
      }}
      className="text-third hover:text-ink"
    >
      <X size={14} aria-hidden />
    </button>
  );
}

/** Its tracks by number, leading to where they are edited. */
export function TracksLink({ draft, short = false }: { draft: DraftReel; short?: boolean }) {
  const { selectReel, edit } = useBench();
  const { reel } = draft;
  const audio = reel.audio.length + (reel.addedAudio?.length ?? 0);
  const subtitles = reel.subtitles.length + (reel.added?.length ?? 0);
  return (
    <button
      type="button"
      className="underline-offset-2 hover:underline"
      disabled={draft.jobId !== null}
      aria-label={`${audio} audio and ${subtitles} subtitle tracks: edit them`}
      onClick={(e) => {
        e.stopPropagation();
        selectReel(draft);
        edit('Tracks');
      }}
    >
      {short ? `${audio} + ${subtitles}` : list([`${audio} audio`, `${subtitles} subtitle`])}
    </button>
  );
}

export const sizesOf = (draft: DraftReel, { estimate }: ReelFacts): string =>
  list(draft.reel.recipes.map((r) => bytes(r === MASTER ? estimate.masterBytes : (estimate.copyBytes.get(r) ?? 0))));

/** Where its file will be; once it is queued, what became of its job. */
export function Outcome({ draft, facts }: { draft: DraftReel; facts: ReelFacts }) {
  const { recipes } = useBench();
  const { path, clash } = facts.place;
  if (facts.locked) return <JobLine draft={draft} />;
  return (
    <span
      className={`block truncate ${clash ? 'text-eyes' : ''}`}
      title={clash ? `${path}: a file of this name is planned or there already` : path}
    >
      {clash && <Mark state="eyes" />} {path}
      {[...endingsOf(draft.reel.recipes, recipes.byId).values()].join(', ')}
    </span>
  );
}

function JobLine({ draft }: { draft: DraftReel }) {
  const { engine, draft: plan } = useBench();
  const job = engine?.jobs.find((j) => j.id === draft.jobId);
  const again = (
    <button
      type="button"
      className="underline hover:text-ink"
      onClick={(e) => {
        e.stopPropagation();
        plan.planAgain(draft.id);
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
  const ended = job.state === 'failed' || job.state === 'cancelled';
  const share = job.state === 'running' && job.total > 0 ? `, ${Math.floor((100 * job.done) / job.total)} %` : '';
  return (
    <span className="flex justify-between gap-2">
      <Link href={job.state === 'done' ? '/vault' : '/queue'} className="hover:underline">
        <StateText state={job.state === 'done' ? 'kept' : ended ? 'damaged' : 'running'}>
          {JOB[job.state]}
          {share}
        </StateText>
      </Link>
      {ended && again}
    </span>
  );
}
