'use client';

import { useState } from 'react';
import { catalogue, openedArchive } from '@/store/archive';
import { useEngine } from '@/store/engine';
import { exportCatalogue } from '@/store/exchange';
import { queueDiscs } from '@/store/queue-discs';
import { plural } from '../format';
import { Button } from '../parts/controls';
import { TextField } from '../parts/fields';
import { saveText } from '../parts/save-file';
import type { DiscRow } from './collection';

const MOST_PROBLEMS = 3;

/** What can be done with many discs at once. */
export function BulkBar({ rows, onDone }: { rows: readonly DiscRow[]; onDone: () => void }) {
  const { state } = useEngine();
  const [label, setLabel] = useState('');
  const [said, setSaid] = useState<string | null>(null);
  const [busy, setBusy] = useState(false);
  const [sure, setSure] = useState(false);
  const keys = rows.map((r) => r.disc.fingerprint);
  const addLabel = async () => {
    const word = label.trim();
    if (word === '') return;
    await catalogue()
      .discs.where('fingerprint')
      .anyOf(keys)
      .modify((disc) => {
        Object.assign(disc, { labels: [...new Set([...disc.labels, word])] });
      });
    setLabel('');
    setSaid(`“${word}” is on ${plural(rows.length, 'disc')}.`);
  };
  const queue = async () => {
    setBusy(true);
    const { queued, away, problems } = await queueDiscs(
      rows.map((r) => r.disc),
      state,
    );
    setBusy(false);
    const words = [
      `${plural(queued, 'reel')} on the queue.`,
      away > 0 ? `${plural(away, 'disc')} can not be read now.` : '',
      ...problems.slice(0, MOST_PROBLEMS),
    ];
    setSaid(words.filter((w) => w !== '').join(' '));
  };
  return (
    <div
      role="region"
      aria-label="What to do with the chosen discs"
      className="flex flex-wrap items-center gap-2 border-b border-faint bg-wash px-3 py-1.5"
    >
      <span className="font-semibold">{plural(rows.length, 'disc')}</span>
      <Button busy={busy} onClick={() => void queue()}>
        {busy ? 'Queueing…' : 'Queue what is planned'}
      </Button>
      <form
        className="flex gap-1"
        onSubmit={(e) => {
          e.preventDefault();
          void addLabel();
        }}
      >
        <TextField
          label="New label"
          placeholder="label"
          value={label}
          className="w-28"
          onChange={(e) => {
            setLabel(e.target.value);
          }}
        />
        <Button type="submit" disabled={label.trim() === ''}>
          Add label
        </Button>
      </form>
      <Button
        onClick={() => {
          void exportCatalogue(catalogue(), openedArchive()?.archive ?? null, new Set(keys)).then((text) => {
            saveText(`catalogue of ${plural(rows.length, 'disc')}.json`, text, 'application/json');
          });
        }}
      >
        Export
      </Button>
      <Button
        tone="danger"
        onClick={() => {
          if (!sure) {
            setSure(true);
            return;
          }
          void Promise.all([catalogue().discs.bulkDelete(keys), catalogue().drafts.bulkDelete(keys)]).then(onDone);
        }}
      >
        {sure ? 'Really take off the shelf' : 'Take off the shelf'}
      </Button>
      <Button tone="quiet" onClick={onDone}>
        Choose none
      </Button>
      {said && (
        <span role="status" className="text-second">
          {said}
        </span>
      )}
    </div>
  );
}
