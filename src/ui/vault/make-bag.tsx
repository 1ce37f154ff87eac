'use client';

import { useState } from 'react';
import type { Output, StorageState } from '@/contract';
import { call } from '@/store/api';
import { useEngine } from '@/store/engine';
import { useOutputs } from '@/store/outputs';
import { bytes, plural } from '../format';
import { Button } from '../parts/controls';
import { Check, Row, TextField } from '../parts/fields';
import { Modal } from '../parts/modal';
import { PlaceRows, usableStorages } from '../parts/place-rows';
import { ProblemNote } from '../parts/problem-note';
import { toast } from '../parts/toasts';
import { useAction } from '../parts/use-action';
import { resultName } from '../words-recipes';

const KEPT_ORGANIZATION = 'bag organization';
const NO_STORAGES: readonly StorageState[] = [];

/** Results of one disc put together with all that is known of them, to be handed on. */
export function MakeBag({ output, onClose }: { output: Output; onClose: () => void }) {
  const storages = usableStorages(useEngine().state?.storages ?? NO_STORAGES);
  const { fingerprint } = output.sidecar.disc;
  const choices = (useOutputs() ?? []).filter((o) => o.sidecar.disc.fingerprint === fingerprint && o.presence === 'present');
  const [chosen, setChosen] = useState<ReadonlySet<string>>(new Set([output.id]));
  const [name, setName] = useState(output.sidecar.reel.name);
  const [storage, setStorage] = useState(output.storage);
  const [organization, setOrganization] = useState(() => localStorage.getItem(KEPT_ORGANIZATION) ?? '');
  const [description, setDescription] = useState('');
  const action = useAction();
  const outputs = choices.filter((o) => chosen.has(o.id));
  const size = outputs.reduce((sum, o) => sum + o.sizeBytes, 0);
  const make = () =>
    action.run(async () => {
      localStorage.setItem(KEPT_ORGANIZATION, organization);
      await call('makeBag', { body: { outputs: outputs.map((o) => o.id), storage, name, organization, description } });
      toast({ text: `The bag “${name}” is being made`, state: 'running' });
      onClose();
    });
  return (
    <Modal
      title="A bag to hand on"
      onClose={onClose}
      footer={
        <>
          <span className="mr-auto text-second">
            {plural(outputs.length, 'result')}, {bytes(size)}
          </span>
          <Button tone="quiet" onClick={onClose}>
            Cancel
          </Button>
          <Button tone="main" busy={action.busy} disabled={outputs.length === 0 || name.trim() === ''} onClick={() => void make()}>
            Make the bag
          </Button>
        </>
      }
    >
      <p className="pb-2 text-second">
        Copies of the files with their sidecars, in a folder by RFC 8493: its manifests show anybody that all is there and unchanged. With
        PREMIS events and a description in Dublin Core. Each file is compared with its sidecar while it is copied.
      </p>
      <ul
        aria-label="Results of this disc"
        className="mb-2 max-h-52 divide-y divide-faint overflow-y-auto rounded-[6px] border border-line"
      >
        {choices.map((o) => (
          <li key={o.id} className="flex items-baseline gap-2 px-3 py-1">
            <span className="min-w-0 flex-1 truncate">
              <Check
                label={`${o.sidecar.reel.name}, ${resultName(o.sidecar)}`}
                checked={chosen.has(o.id)}
                onChange={(on) => {
                  const next = new Set(chosen);
                  if (on) next.add(o.id);
                  else next.delete(o.id);
                  setChosen(next);
                }}
              />
            </span>
            <span className="text-second tabular-nums">{bytes(o.sizeBytes)}</span>
          </li>
        ))}
      </ul>
      <PlaceRows
        what="bag"
        hint="Of its folder, in “Bags”."
        name={name}
        onName={setName}
        storage={storage}
        storages={storages}
        onStorage={setStorage}
      />
      <Row name="From">
        <TextField
          label="Organization that hands it on"
          placeholder="Your archive"
          value={organization}
          onChange={(e) => {
            setOrganization(e.target.value);
          }}
        />
      </Row>
      <Row name="What it is">
        <TextField
          label="Description of the bag"
          value={description}
          onChange={(e) => {
            setDescription(e.target.value);
          }}
        />
      </Row>
      {action.problem && <ProblemNote problem={action.problem} onClose={action.clear} />}
    </Modal>
  );
}
