'use client';

import Link from 'next/link';
import { useState } from 'react';
import type { EngineState, StandingSettings } from '@/contract';
import { giveOrder } from '@/store/standing';
import { Button } from '../parts/controls';
import { Check, Row, Select, TextField } from '../parts/fields';
import { Modal } from '../parts/modal';
import { ProblemNote } from '../parts/problem-note';
import { useAction } from '../parts/use-action';

const SURE = [
  { value: '0.95', name: 'very sure, 95 %' },
  { value: '0.8', name: 'sure, 80 %' },
  { value: '0.5', name: 'more likely than not, 50 %' },
  { value: '0', name: 'in any case' },
] as const;

type Form = Omit<StandingSettings, 'rules' | 'recipes'>;
const FIRST: Form = { leastSure: 0.8, eject: true, roots: [], series: null };

function SeriesRow({ series, onChange }: { series: Form['series']; onChange: (series: Form['series']) => void }) {
  const number = (text: string) => Math.max(0, Math.round(Number(text) || 0));
  return (
    <Row name="A series" hint="Discs of episodes are numbered on from one to the next, in the order in which they come.">
      <Check
        label="The discs that come are of one series"
        checked={series !== null}
        onChange={(on) => {
          onChange(on ? { series: '', season: null, nextEpisode: 1 } : null);
        }}
      />
      {series && (
        <span className="flex flex-wrap items-center gap-1.5">
          <TextField
            label="Name of the series"
            placeholder="Its name"
            value={series.series}
            onChange={(e) => {
              onChange({ ...series, series: e.target.value });
            }}
            className="min-w-40 flex-1"
          />
          season
          <TextField
            label="Season"
            inputMode="numeric"
            value={series.season ?? ''}
            onChange={(e) => {
              onChange({ ...series, season: e.target.value.trim() === '' ? null : number(e.target.value) });
            }}
            className="w-12 text-right"
          />
          next episode
          <TextField
            label="Number of the next episode"
            inputMode="numeric"
            value={series.nextEpisode}
            onChange={(e) => {
              onChange({ ...series, nextEpisode: number(e.target.value) });
            }}
            className="w-14 text-right"
          />
        </span>
      )}
    </Row>
  );
}

/** What the order is to be, before it is given or changed. */
export function StandingDialog({ engine, onClose }: { engine: EngineState; onClose: () => void }) {
  const { settings } = engine.standing;
  const [form, setForm] = useState<Form>(settings ?? FIRST);
  const action = useAction();
  const sure = SURE.some((s) => Number(s.value) === form.leastSure)
    ? SURE
    : [...SURE, { value: String(form.leastSure), name: `${Math.round(form.leastSure * 100)} % sure` }];
  const places = engine.roots.filter((r) => !r.id.startsWith('images-of-'));
  const give = async () => {
    const { leastSure, eject, roots, series } = form;
    if (await action.run(() => giveOrder({ leastSure, eject, roots, series }))) onClose();
  };
  return (
    <Modal
      title="Discs by themselves"
      onClose={onClose}
      footer={
        <>
          <Button tone="quiet" onClick={onClose}>
            Cancel
          </Button>
          <Button tone="main" busy={action.busy} disabled={form.series?.series.trim() === ''} onClick={() => void give()}>
            {settings ? 'Change the order' : 'Give the order'}
          </Button>
        </>
      }
    >
      <p className="pb-2 text-second">
        Each disc that is put in is read, planned by the{' '}
        <Link href="/rules" className="text-accent underline">
          house rules
        </Link>{' '}
        as they are now, and queued. It goes on when this page, or the whole browser, is closed. Damaged, protected and known discs are
        never queued by themselves.
      </p>
      <Row name="Queue it" hint="How sure the findings must be of what the disc is about; else it waits on the Shelf.">
        <Select
          label="How sure the findings must be"
          value={String(form.leastSure)}
          options={sure}
          onChange={(value) => {
            setForm({ ...form, leastSure: Number(value) });
          }}
        />
      </Row>
      <Row name="The tray">
        <Check
          label="opens when the disc has been read, or has to wait"
          checked={form.eject}
          onChange={(eject) => {
            setForm({ ...form, eject });
          }}
        />
      </Row>
      <Row name="New images" hint="Those that come from now on.">
        {places.map((root) => (
          <Check
            key={root.id}
            label={`in ${root.name}`}
            checked={form.roots.includes(root.id)}
            onChange={(on) => {
              setForm({ ...form, roots: on ? [...form.roots, root.id] : form.roots.filter((r) => r !== root.id) });
            }}
          />
        ))}
      </Row>
      <SeriesRow
        series={form.series}
        onChange={(series) => {
          setForm({ ...form, series });
        }}
      />
      {action.problem && <ProblemNote problem={action.problem} onClose={action.clear} />}
    </Modal>
  );
}
