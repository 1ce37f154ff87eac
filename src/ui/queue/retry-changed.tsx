'use client';

import { useState } from 'react';
import { isOver, type JobState } from '@/contract';
import { MASTER, type RecipeId } from '@/core/recipes';
import { call } from '@/store/api';
import { useEngine } from '@/store/engine';
import { useRecipes } from '@/store/recipes';
import { bytes } from '../format';
import { Button } from '../parts/controls';
import { Select, TextField } from '../parts/fields';
import { Modal } from '../parts/modal';
import { ProblemNote } from '../parts/problem-note';
import { RecipePick } from '../parts/recipe-pick';
import { useAction } from '../parts/use-action';

const FIELD = 'grid grid-cols-[110px_minmax(0,1fr)] items-center gap-2';

/** A job that failed or was cancelled, tried again to another place, under another name or by other recipes. */
export function RetryChanged({ job, onClose }: { job: JobState; onClose: () => void }) {
  const { state } = useEngine();
  const recipes = useRecipes();
  const action = useAction();
  const [storage, setStorage] = useState(job.storageId);
  const [folder, setFolder] = useState(job.folder);
  const [fileName, setFileName] = useState(job.fileName);
  const [chosen, setChosen] = useState<readonly RecipeId[]>(job.recipes);
  const storages = state?.storages.filter((s) => s.identity === 'known') ?? [];
  const isPlaced = job.files.length > 0;
  const over = isOver(job);
  const choose = (id: RecipeId, on: boolean) => {
    // In the order that reels have them: the master first.
    const next = on ? [...chosen, id] : chosen.filter((r) => r !== id);
    setChosen([...next.filter((r) => r === MASTER), ...next.filter((r) => r !== MASTER)]);
  };
  const missing = chosen.filter((r) => r !== MASTER && !recipes.byId.has(r));
  const retry = () =>
    action.run(async () => {
      const copies = chosen.flatMap((r) => recipes.byId.get(r) ?? []);
      await call('changeJob', { id: job.id, body: { storage, folder, fileName, recipes: [...chosen], copies } });
      onClose();
    });
  return (
    <Modal
      title={over ? `Try “${job.name}” again, changed` : `Change “${job.name}”`}
      onClose={onClose}
      footer={
        <Button
          tone="main"
          busy={action.busy}
          disabled={chosen.length === 0 || missing.length > 0 || fileName.trim() === '' || storage === ''}
          onClick={() => void retry()}
        >
          {over ? 'Retry' : 'Change it'}
        </Button>
      }
    >
      <div className="flex flex-col gap-2.5">
        {action.problem && <ProblemNote problem={action.problem} onClose={action.clear} />}
        <label className={FIELD}>
          <span className="text-second">Storage</span>
          <Select
            label="Storage"
            disabled={isPlaced}
            value={storage}
            options={storages.map((s) => ({
              value: s.id,
              name: s.freeBytes === null ? s.name : `${s.name}, ${bytes(s.freeBytes)} free`,
            }))}
            onChange={setStorage}
          />
        </label>
        <label className={FIELD}>
          <span className="text-second">Folder</span>
          <TextField
            label="Folder"
            disabled={isPlaced}
            placeholder="none: the storage itself"
            value={folder}
            onChange={(e) => {
              setFolder(e.target.value);
            }}
          />
        </label>
        <label className={FIELD}>
          <span className="text-second">File name</span>
          <TextField
            label="File name"
            disabled={isPlaced}
            value={fileName}
            onChange={(e) => {
              setFileName(e.target.value);
            }}
          />
        </label>
        <div className={FIELD}>
          <span className="text-second">Made by</span>
          <RecipePick chosen={chosen} recipes={recipes} onChange={choose} />
        </div>
        <p className="text-second">
          {isPlaced
            ? 'A part of it is proven and in the library: that stays where it is, and only its recipes can be changed.'
            : storage !== job.storageId
              ? 'A master that is finished is taken along and proven anew there. What else was begun goes, and is made again.'
              : 'What was finished and is still wanted is not made again. Copies by recipes that were changed since are.'}
        </p>
        {missing.length > 0 && <p className="text-eyes">A recipe of this job is no longer among yours: choose others.</p>}
      </div>
    </Modal>
  );
}
