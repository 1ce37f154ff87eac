'use client';

import { FileDown } from 'lucide-react';
import Link from 'next/link';
import { useEffect, useState } from 'react';
import { clearDropped, readDropped, useDropped } from '@/store/dropped';
import { Bar, Panel, StateText } from '../parts/controls';

const WORD = {
  reading: 'reading',
  waiting: 'waits for the one before',
  making: 'making the master',
  proving: 'proving it',
  done: 'done',
  failed: 'failed',
} as const;

/** Image files dropped onto the page are read right here, without being uploaded anywhere. */
export function DropZone() {
  const works = useDropped();
  const [over, setOver] = useState(false);
  useEffect(() => {
    void clearDropped();
  }, []);
  const take = (list: FileList | null) => {
    for (const file of list ?? []) readDropped(file);
  };
  return (
    <Panel label="Images on this computer" title="Images on this computer" className="shrink-0">
      <label
        onDragOver={(e) => {
          e.preventDefault();
          setOver(true);
        }}
        onDragLeave={() => {
          setOver(false);
        }}
        onDrop={(e) => {
          e.preventDefault();
          setOver(false);
          take(e.dataTransfer.files);
        }}
        className={`m-2 flex cursor-pointer items-center gap-2 rounded-[6px] border border-dashed px-3 py-2 text-second hover:text-ink ${over ? 'border-accent bg-wash text-ink' : 'border-line'}`}
      >
        <FileDown size={15} aria-hidden />
        Drop an image here, or choose one: it is read in this browser and uploaded nowhere
        <input
          type="file"
          multiple
          aria-label="Image files on this computer"
          accept=".iso,.img,.udf"
          className="sr-only"
          onChange={(e) => {
            take(e.target.files);
            e.target.value = '';
          }}
        />
      </label>
      <ul>
        {works
          .filter((w) => w.state !== 'done' || w.fingerprint !== null)
          .slice(-4)
          .map((w) => (
            <li key={w.id} className="border-t border-faint px-3 py-1.5">
              <span className="flex justify-between gap-2">
                <span className="truncate">{w.name}</span>
                {w.state === 'done' && w.fingerprint !== null ? (
                  <Link href={`/bench/${w.fingerprint.slice(0, 16)}`} className="text-accent hover:underline">
                    to the Bench
                  </Link>
                ) : (
                  <StateText state={w.state === 'failed' ? 'damaged' : 'running'}>{WORD[w.state]}</StateText>
                )}
              </span>
              {w.state !== 'done' && w.state !== 'failed' && (
                <Bar value={w.total > 0 ? w.done / w.total : null} label={`${WORD[w.state]} ${w.name}`} />
              )}
              {w.message && <span className="text-second">{w.message}</span>}
            </li>
          ))}
      </ul>
    </Panel>
  );
}
