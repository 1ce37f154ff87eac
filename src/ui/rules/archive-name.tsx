'use client';

import { useState } from 'react';
import { call } from '@/store/api';
import { useArchive } from '@/store/archive';
import { Button } from '../parts/controls';
import { TextField } from '../parts/fields';
import { ProblemNote } from '../parts/problem-note';
import { useAction } from '../parts/use-action';

const LONGEST = 80;

/** What the archive is called: it stands at the head of every page, so that nobody takes one for another. */
export function ArchiveName() {
  const name = useArchive()?.archive.name ?? '';
  const [edited, setEdited] = useState<string | null>(null);
  const action = useAction();
  const wanted = (edited ?? name).trim();
  return (
    <form
      className="flex items-center gap-2 pt-2"
      onSubmit={(e) => {
        e.preventDefault();
        void action
          .run(() => call('nameArchive', { body: { name: wanted } }))
          .then((isDone) => {
            if (isDone) setEdited(null);
          });
      }}
    >
      <label className="flex items-center gap-2">
        <span className="text-second">These are the rules of</span>
        <TextField
          label="Name of the archive"
          value={edited ?? name}
          maxLength={LONGEST}
          onChange={(e) => {
            setEdited(e.target.value);
          }}
        />
      </label>
      {wanted !== name && wanted !== '' && (
        <Button type="submit" disabled={action.busy}>
          Rename the archive
        </Button>
      )}
      {action.problem && <ProblemNote problem={action.problem} onClose={action.clear} />}
    </form>
  );
}
