'use client';

import { useState } from 'react';
import type { ReelTags } from '@/core/reels';
import { catalogue } from '@/store/archive';
import type { DiscRecord } from '@/store/db';
import { saveFacts, type DiscFacts } from '@/store/facts';
import { useNextEpisode, useSeriesNames } from '@/store/live';
import { Button } from '../../parts/controls';
import { Row, TextField } from '../../parts/fields';
import { Modal } from '../../parts/modal';
import { KeepingRows, SeasonField, WorkLanguageField, YearField, wholeNumber } from './tag-rows';

/** The series that a disc belongs to, and with which episode it begins. */
function SeriesRows({
  fingerprint,
  facts,
  onChange,
  set,
}: {
  fingerprint: string;
  facts: DiscFacts;
  onChange: (facts: DiscFacts) => void;
  set: (change: Partial<ReelTags>) => void;
}) {
  const { tags } = facts;
  const next = useNextEpisode(fingerprint, tags.series, tags.season);
  const known = useSeriesNames();
  return (
    <>
      <Row name="series" hint="discs of one series are numbered on from each other">
        <TextField
          label="Series"
          list="known-series"
          value={tags.series}
          onChange={(e) => {
            set({ series: e.target.value });
          }}
        />
        <datalist id="known-series">
          {(known ?? []).map((s) => (
            <option key={s} value={s} />
          ))}
        </datalist>
      </Row>
      <Row name="season, first episode">
        <span className="flex items-center gap-2">
          <SeasonField tags={tags} set={set} />
          <TextField
            label="First episode"
            value={facts.firstEpisode ?? ''}
            placeholder={tags.series === '' ? '' : String(next ?? 1)}
            className="w-16"
            onChange={(e) => {
              onChange({ ...facts, firstEpisode: wholeNumber(e.target.value) });
            }}
          />
          {tags.series !== '' && facts.firstEpisode === null && <span className="text-second">goes on with {next ?? 1}</span>}
        </span>
      </Row>
    </>
  );
}

/** What the archive knows of a disc: goes to the reels that are made of it. */
export function DiscFactsDialog({
  disc,
  onClose,
  onSaved,
  onLook,
}: {
  disc: DiscRecord;
  /** Gives the picture that is looked at; null where none is. */
  onLook: (() => Promise<string | null>) | null;
  onClose: () => void;
  onSaved: (disc: DiscRecord) => void;
}) {
  const [facts, setFacts] = useState<DiscFacts>({ name: disc.name, tags: disc.tags, firstEpisode: disc.firstEpisode, labels: disc.labels });
  const { tags } = facts;
  const set = (change: Partial<ReelTags>) => {
    setFacts((f) => ({ ...f, tags: { ...f.tags, ...change } }));
  };
  const next = useNextEpisode(disc.fingerprint, tags.series, tags.season);
  const save = async () => {
    const firstEpisode = tags.series === '' ? null : (facts.firstEpisode ?? next ?? 1);
    onSaved(await saveFacts(catalogue(), disc, { ...facts, firstEpisode }));
    onClose();
  };
  return (
    <Modal
      title="About this disc"
      onClose={onClose}
      footer={
        <>
          <Button onClick={onClose}>Cancel</Button>
          <Button tone="main" onClick={() => void save()}>
            Keep
          </Button>
        </>
      }
    >
      <form
        onSubmit={(e) => {
          e.preventDefault();
          void save();
        }}
      >
        <Row name="name">
          <TextField
            label="Name of the disc"
            value={facts.name}
            onChange={(e) => {
              setFacts({ ...facts, name: e.target.value });
            }}
          />
        </Row>
        <Row name="year, language">
          <span className="flex gap-2">
            <YearField tags={tags} set={set} />
            <WorkLanguageField tags={tags} set={set} />
          </span>
        </Row>
        <SeriesRows fingerprint={disc.fingerprint} facts={facts} onChange={setFacts} set={set} />
        <Row name="labels" hint="words of your own, with commas between them">
          <TextField
            label="Labels"
            defaultValue={facts.labels.join(', ')}
            onChange={(e) => {
              setFacts({
                ...facts,
                labels: e.target.value
                  .split(',')
                  .map((l) => l.trim())
                  .filter((l) => l !== '')
                  .slice(0, 20),
              });
            }}
          />
        </Row>
        <KeepingRows tags={tags} set={set} onLook={onLook} />
      </form>
    </Modal>
  );
}
